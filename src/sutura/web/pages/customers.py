"""Customers: found while typing, shown, saved, made one, handed out, erased."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import JSONResponse, Response

from sutura.core.errors import NotFound
from sutura.core.intake.customers import ERASED
from sutura.services import customers as service
from sutura.store import customers as customers_store
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

router = APIRouter()


@router.get("/customers/find")
def find_customers(ask: Ask, q: str = "") -> Response:
    customers = service.find_customers(q) if len(q.strip()) > 1 else []
    return render(ask, "intake/customers.html", found=customers, asked=q.strip())


@router.get("/customers/{customer_id}")
def customer_page(ask: Ask, customer_id: int) -> Response:
    return _customer(ask, customer_id)


def _customer(ask: Asking, customer_id: int, shown: Shown = ANEW) -> Response:
    record = customers_store.load_customer(customer_id)
    if record is None:
        raise NotFound("customer", customer_id)
    kept = {"name": record.name, "phone": record.phone, "email": record.email, "note": record.note}
    return render(
        ask,
        "intake/customer.html",
        room="Counter",
        shown=shown,
        found=record,
        entered=shown.over(kept),
        jobs=customers_store.customer_jobs(customer_id),
        same=service.perhaps_same(record),
        erased=record.name == ERASED,
    )


@router.post("/customers/{customer_id}")
@deed(then="/customers/{customer_id}", again=_customer)
def save_customer(ask: Ask, customer_id: int, form: Form) -> None:
    service.save_customer(
        customer_id,
        name=form.text("name"),
        phone=form.text("phone"),
        email=form.text("email"),
        note=form.text("note"),
        version=form.number("version"),
        by=ask.person,
        now=ask.now,
    )


@router.post("/customers/{customer_id}/merge")
@deed(then="/customers/{customer_id}", again=_customer)
def merge(ask: Ask, customer_id: int, form: Form) -> None:
    service.merge_customers(customer_id, form.number("other"), ask.person, ask.now)


@router.get("/customers/{customer_id}/export.json")
def export_customer(ask: Ask, customer_id: int) -> Response:
    kept = service.export_customer(customer_id, ask.person)
    return JSONResponse(
        kept, headers={"Content-Disposition": f'attachment; filename="customer-{customer_id}.json"'}
    )


@router.post("/customers/{customer_id}/erase")
@deed(then="/counter", again=_customer)
def erase(ask: Ask, customer_id: int, form: Form) -> None:
    service.erase_customer(customer_id, form.text("typed_name"), ask.person, ask.now)

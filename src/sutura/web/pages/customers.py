"""Customers: found while typing, shown, saved, made one, handed out, erased."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import JSONResponse, Response

from sutura.core.errors import NotFound, Refusal
from sutura.core.intake.customers import ERASED
from sutura.services import customers as service
from sutura.store import customers as customers_store
from sutura.web.errors import deed
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Entered, Form, Sent

router = APIRouter()


@router.get("/customers/find")
def find_customers(ask: Ask, q: str = "") -> Response:
    customers = service.find_customers(q) if len(q.strip()) > 1 else []
    return render(ask, "intake/customers.html", found=customers, asked=q.strip())


@router.get("/customers/{customer_id}")
def customer_page(ask: Ask, customer_id: int) -> Response:
    return _customer(ask, customer_id, None)


def _customer(
    ask: Asking, customer_id: int, sent: Sent | None, refusal: Refusal | None = None, status: int = 200
) -> Response:
    record = customers_store.load_customer(customer_id)
    if record is None:
        raise NotFound("customer", customer_id)
    kept = {"name": record.name, "phone": record.phone, "email": record.email, "note": record.note}
    return render(
        ask,
        "intake/customer.html",
        room="Counter",
        status=status,
        refusal=refusal,
        found=record,
        entered=sent.entered() if sent else Entered.of(kept),
        jobs=customers_store.customer_jobs(customer_id),
        same=service.perhaps_same(record),
        erased=record.name == ERASED,
    )


@router.post("/customers/{customer_id}")
def save_customer(ask: Ask, customer_id: int, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: service.save_customer(
            customer_id,
            name=form.text("name"),
            phone=form.text("phone"),
            email=form.text("email"),
            note=form.text("note"),
            version=form.number("version"),
            by=ask.person,
            now=ask.now,
        ),
        then=f"/customers/{customer_id}",
        again=lambda refusal, status: _customer(ask, customer_id, form, refusal, status),
    )


@router.post("/customers/{customer_id}/merge")
def merge(ask: Ask, customer_id: int, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: service.merge_customers(customer_id, form.number("other"), ask.person, ask.now),
        then=f"/customers/{customer_id}",
        again=lambda refusal, status: _customer(ask, customer_id, None, refusal, status),
    )


@router.get("/customers/{customer_id}/export.json")
def export_customer(ask: Ask, customer_id: int) -> Response:
    kept = service.export_customer(customer_id, ask.person)
    return JSONResponse(
        kept, headers={"Content-Disposition": f'attachment; filename="customer-{customer_id}.json"'}
    )


@router.post("/customers/{customer_id}/erase")
def erase(ask: Ask, customer_id: int, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: service.erase_customer(customer_id, form.text("typed_name"), ask.person, ask.now),
        then="/counter",
        again=lambda refusal, status: _customer(ask, customer_id, None, refusal, status),
    )

"""Customers: found while typing, shown, saved, made one, handed out, erased."""

from __future__ import annotations

from fastapi.responses import JSONResponse, Response

from sutura.core.handover.telling import Way
from sutura.core.intake.customers import ERASED
from sutura.core.people import Deed
from sutura.services import customers as service
from sutura.store import customers as customers_store
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown
from sutura.words.speech import languages

addresses = Addresses()


@addresses.get("/customers/find", may=Deed.TAKE_IN)
def find_customers(ask: Ask, q: str = "") -> Response:
    customers = service.find_customers(q) if len(q.strip()) > 1 else []
    return render(ask, "intake/customers.html", found=customers, asked=q.strip())


@addresses.get("/customers/{customer_id}", may=Deed.TAKE_IN)
def customer_page(ask: Ask, customer_id: int) -> Response:
    return _customer(ask, customer_id)


def _customer(ask: Asking, customer_id: int, shown: Shown = ANEW) -> Response:
    record = service.read_customer(customer_id, ask.person, ask.now)
    # it may have become part of another
    customer_id = record.id
    kept = {"name": record.name, "phone": record.phone, "email": record.email, "note": record.note}
    kept |= {"channel": record.channel, "language": record.language}
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
        channels=[(way.value, way) for way in Way],
        languages=list(languages().items()),
    )


@addresses.post("/customers/{customer_id}", may=Deed.TAKE_IN)
@deed(then="/customers/{customer_id}", again=_customer)
def save_customer(ask: Ask, customer_id: int, form: Form) -> None:
    service.save_customer(
        customer_id,
        name=form.text("name"),
        phone=form.text("phone"),
        email=form.text("email"),
        note=form.text("note"),
        version=form.number("version"),
        channel=form.text("channel"),
        language=form.text("language"),
        by=ask.person,
        now=ask.now,
    )


@addresses.post("/customers/{customer_id}/merge", may=Deed.TAKE_IN)
@deed(then="/customers/{customer_id}", again=_customer)
def merge(ask: Ask, customer_id: int, form: Form) -> None:
    service.merge_customers(customer_id, form.number("other"), ask.person, ask.now)


@addresses.get("/customers/{customer_id}/export.json", may=Deed.ERASE_CUSTOMER)
def export_customer(ask: Ask, customer_id: int) -> Response:
    kept = service.export_customer(customer_id, ask.person, ask.now)
    return JSONResponse(
        kept, headers={"Content-Disposition": f'attachment; filename="customer-{customer_id}.json"'}
    )


@addresses.post("/customers/{customer_id}/erase", may=Deed.ERASE_CUSTOMER)
@deed(then="/counter", again=_customer, outside=True)
def erase(ask: Ask, customer_id: int, form: Form) -> None:
    service.erase_customer(customer_id, form.text("typed_name"), ask.person, ask.now)

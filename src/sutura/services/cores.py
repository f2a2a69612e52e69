"""Old screens: where they lie, and what becomes of them."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from functools import partial

from sutura.core.errors import Invalid, NotFound, StaleSave
from sutura.core.facts import fact
from sutura.core.people import Deed, demand
from sutura.core.stock import cores as rules
from sutura.core.stock.cores import CoreState
from sutura.core.typed import Problems, read_text
from sutura.core.values import Person
from sutura.services.shop import shop
from sutura.store import audit as audit_store
from sutura.store import cores as store
from sutura.store.database import reading, writing


def _locked(core_id: int, version: int) -> store.CoreRow:
    core = store.lock_core(core_id)
    if core is None:
        raise NotFound("old screen", core_id)
    if core.version != version:
        raise StaleSave(fact("stock.the-old-screen"), "", None, {}, {})
    return core


@writing
def place_core(core_id: int, place: str, version: int, by: Person) -> None:
    """It lies there now."""
    demand(by, Deed.RECEIVE)
    core = _locked(core_id, version)
    problems = Problems("The place")
    where = problems.read("place", place, partial(read_text, most=40, least=1)) or ""
    if core.state is not CoreState.KEPT:
        problems.add("place", place, fact("stock.old-screen-is-gone", state=core.state))
    problems.refuse()
    store.save_core(core_id, place=where)


@reading
def kept_of(job_id: int) -> store.CoreRow | None:
    """The old screen of a job, where it is still here."""
    core = store.load_core_of(job_id)
    return core if core and core.state is CoreState.KEPT else None


def decide(job_id: int, what: str, by: Person, now: datetime) -> None:
    """What becomes of a job's old screen at handover, where it is still here: it stays to be sold as a core
    where nothing is said, goes with its device, or is recycled. Inside a deed.
    """
    goes = (CoreState.HANDED_BACK.value, CoreState.RECYCLED.value)
    if what and what not in goes:
        raise Invalid("old_screen", what, fact("stock.old-screen-goes", ways=goes))
    core = kept_of(job_id)
    if core is not None and what:
        store.save_core(core.id, state=what, ended_at=now, person=by.id)


@writing
def end_core(core_id: int, typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """It is handed back, recycled, or sold as a core (rule stock.cores)."""
    demand(by, Deed.RECEIVE)
    core = _locked(core_id, version)
    end = rules.read_end(core.state, typed, shop().currency)
    if end.to is CoreState.SOLD:
        demand(by, Deed.ORDER)
    store.save_core(
        core_id,
        state=end.to.value,
        buyer=end.buyer,
        amount_minor=end.amount_minor,
        ended_at=now,
        person=by.id,
    )
    if end.to is CoreState.SOLD:
        told = {"job": core.job, "buyer": end.buyer, "amount": end.amount_minor}
        audit_store.add_audit(by.id, now, "old screen sold", told)

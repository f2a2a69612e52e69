"""Orders at suppliers: what is advised is read here, and what was ordered, came, and went back is kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from peewee import JOIN, SQL, Case, Expression, Select, fn

from sutura.core.job import Stage
from sutura.core.stock.orders import ON_ORDER as BOUGHT
from sutura.core.stock.orders import Arrived, LineState, OrderState
from sutura.store.database import column, each, first, reading, rows, written
from sutura.store.expressions import BY_BIN, ON_THE_SHELF, or_empty
from sutura.store.stock_tables import ModelCame, PartUse, PurchaseArrival, PurchaseLine, PurchaseOrder
from sutura.store.tables import CatalogueModel, Job, Offer, Part, Person, Supplier

# -- what advice is made of ---------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfPart:
    """A part of the shelf with what is there, promised, on order, and waited for."""

    id: int
    barcode: str
    name: str
    bin: str
    kind: str
    family: str
    grade: str
    printed_number: str
    on_hand: int
    held: int
    on_order: int
    # written into an order that is not sent yet
    drafted: int
    waiting: int


ON_ORDER = [state.value for state in BOUGHT]
_TO_COME = PurchaseLine.quantity - PurchaseLine.short - PurchaseLine.good - PurchaseLine.bad
_ON_ORDER = (
    PurchaseLine.select(fn.COALESCE(fn.SUM(_TO_COME), 0))
    .join(PurchaseOrder)
    .where(PurchaseLine.part == Part.id, PurchaseOrder.state.in_(ON_ORDER))
)
_DRAFTED = (
    PurchaseLine.select(fn.COALESCE(fn.SUM(PurchaseLine.quantity), 0))
    .join(PurchaseOrder)
    .where(PurchaseLine.part == Part.id, PurchaseOrder.state == OrderState.DRAFT.value)
)
# the offers that a job chose: one, or the members of a kit
_CHOSEN = (Offer.id == Job.offer) | Expression(Job.more_offers, "@>", fn.TO_JSONB(Offer.id))
# jobs with an agreed price that hold no part yet
_WAITING = (
    Job.select(fn.COUNT(SQL("*")))
    .join(Offer, on=_CHOSEN)
    .where(Job.stage == Stage.QUOTED.value, Offer.part == Part.id)
)


@written
def _shelf() -> Select:
    parts = Part.select(
        Part.id,
        Part.barcode,
        Part.name,
        Part.bin,
        Part.kind,
        or_empty(Part.family).alias("family"),
        Part.grade,
        Part.printed_number,
        Part.on_hand,
        Part.held,
        _ON_ORDER.alias("on_order"),
        _DRAFTED.alias("drafted"),
        _WAITING.alias("waiting"),
    )
    return parts.where(ON_THE_SHELF).order_by(*BY_BIN)


@reading
def shelf_parts() -> list[ShelfPart]:
    return each(ShelfPart, _shelf())


@written
def _uses(since: date) -> Select:
    return PartUse.select(PartUse.part, PartUse.week, PartUse.uses).where(PartUse.week >= since)


@reading
def weekly_uses(since: date) -> dict[int, dict[int, int]]:
    """Uses of each part (fitted less taken out again) by weeks since a Monday, this week among them. They are
    kept with the ledger by a trigger.
    """
    by_part: dict[int, dict[int, int]] = {}
    for part_id, week, used in rows(_uses(since)):
        by_part.setdefault(part_id, {})[(week - since).days // 7] = used
    return by_part


@written
def _families(since: date) -> Select:
    came = ModelCame.select(ModelCame.model, fn.SUM(ModelCame.jobs).alias("jobs")).where(
        ModelCame.week >= since
    )
    counted = came.group_by(ModelCame.model).alias("came")
    families = CatalogueModel.select(
        CatalogueModel.part_family,
        fn.COALESCE(fn.SUM(counted.c.jobs), 0).cast("bigint"),
        fn.MAX(CatalogueModel.released),
    )
    return families.join(counted, JOIN.LEFT_OUTER, on=counted.c.model_id == CatalogueModel.id).group_by(
        CatalogueModel.part_family
    )


@reading
def families_since(since: date) -> dict[str, tuple[int, int]]:
    """How many devices of each family of parts came in since a Monday, and the year in which the newest of
    them came out, 0 where nobody knows.
    """
    return {family: (came, released) for family, came, released in rows(_families(since))}


@dataclass(frozen=True, slots=True, kw_only=True)
class BestOffer:
    """The cheapest offer of a part, with what its supplier asks and gives."""

    part_id: int
    id: int
    number: str
    price_minor: int
    lead_days: int
    minimum: int
    pack: int
    price_breaks: Sequence[Sequence[int]]
    supplier_id: str
    supplier: str


_OFFERS = Offer.select(
    Offer.part.alias("part_id"),
    Offer.id,
    Offer.number,
    Offer.price_minor,
    Offer.lead_days,
    Offer.minimum,
    Offer.pack,
    Offer.price_breaks,
    Offer.supplier.alias("supplier_id"),
    Supplier.name.alias("supplier"),
).join(Supplier)


@written
def _each_supplier(part_ids: list[int]) -> Select:
    offers = _OFFERS.where(Offer.part == fn.ANY(part_ids)).order_by(
        Offer.part, Offer.supplier, Offer.price_minor, Offer.lead_days, Offer.id
    )
    return offers.distinct(Offer.part, Offer.supplier)


@written
def _cheapest(part_ids: list[int]) -> Select:
    offers = _OFFERS.where(Offer.part == fn.ANY(part_ids))
    return offers.order_by(Offer.part, Offer.price_minor, Offer.lead_days, Offer.id).distinct(Offer.part)


@written
def _promised(part_ids: list[int]) -> Select:
    waiting = Job.select(Offer.part, fn.MIN(Job.promise_at)).join(Offer, on=_CHOSEN)
    return waiting.where(Job.stage == Stage.QUOTED.value, Offer.part == fn.ANY(part_ids)).group_by(Offer.part)


@reading
def offers_of(part_ids: Sequence[int]) -> dict[int, list[BestOffer]]:
    """The offers of parts, the cheapest of each supplier."""
    by_part: dict[int, list[BestOffer]] = {}
    for offer in each(BestOffer, _each_supplier(list(part_ids))):
        by_part.setdefault(offer.part_id, []).append(offer)
    return by_part


@reading
def first_promises(part_ids: Sequence[int]) -> dict[int, datetime]:
    """When the first of the jobs that wait for a part was promised."""
    return dict(rows(_promised(list(part_ids))))


@reading
def best_offers(part_ids: Sequence[int]) -> dict[int, BestOffer]:
    """The cheapest offer of each part."""
    return {offer.part_id: offer for offer in each(BestOffer, _cheapest(list(part_ids)))}


@written
def _deliveries(since: datetime) -> Select:
    days = fn.DATE_PART("epoch", PurchaseArrival.at - PurchaseOrder.sent_at) / 86_400
    return (
        PurchaseOrder.select(PurchaseOrder.supplier, days.cast("float8"))
        .join(PurchaseLine)
        .join(PurchaseArrival)
        .where(PurchaseArrival.at >= since)
        .group_by(PurchaseOrder.id, PurchaseOrder.supplier, PurchaseArrival.at, PurchaseOrder.sent_at)
        .order_by(PurchaseArrival.at)
    )


@reading
def delivered_days(since: datetime) -> dict[str, list[float]]:
    """Days from sending to each arrival of pieces, by supplier."""
    by_supplier: dict[str, list[float]] = {}
    for supplier_id, took in rows(_deliveries(since)):
        by_supplier.setdefault(supplier_id, []).append(took)
    return by_supplier


# -- orders -------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderRow:
    """An order. `pieces` were ordered, `to_come` of them are still to come."""

    id: int
    supplier_id: str
    supplier: str
    state: OrderState
    person: str
    person_id: int
    at: datetime
    asked_at: datetime | None
    sent_at: datetime | None
    expected_on: date | None
    version: int
    pieces: int
    to_come: int
    total_minor: int
    shipping_minor: int

    @property
    def number(self) -> str:
        """How we call it, to the supplier as well."""
        return f"O-{self.id:05d}"

    def is_late(self, day: date) -> bool:
        """Whether what is to come next was expected before this day."""
        return self.expected_on is not None and self.expected_on < day


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderLine:
    id: int
    part_id: int
    barcode: str
    part: str
    bin: str
    printed_number: str
    number: str
    quantity: int
    price_minor: int
    for_jobs: int
    expected_on: date | None
    short: int
    good: int
    bad: int

    @property
    def together_minor(self) -> int:
        return self.quantity * self.price_minor

    @property
    def state(self) -> LineState:
        return LineState(quantity=self.quantity, short=self.short, good=self.good, bad=self.bad)


def _order(state: str, **columns: Any) -> OrderRow:
    return OrderRow(state=OrderState(state), **columns)


_SENT_TO_COME = Case(None, [(PurchaseOrder.state.in_(ON_ORDER), _TO_COME)], 0)
_ORDERS = (
    PurchaseOrder.select(
        PurchaseOrder.id,
        PurchaseOrder.supplier.alias("supplier_id"),
        Supplier.name.alias("supplier"),
        PurchaseOrder.state,
        Person.name.alias("person"),
        PurchaseOrder.person.alias("person_id"),
        PurchaseOrder.at,
        PurchaseOrder.asked_at,
        PurchaseOrder.sent_at,
        PurchaseOrder.version,
        PurchaseOrder.shipping_minor,
        fn.MIN(Case(None, [(_TO_COME > 0, PurchaseLine.expected_on)], None)).alias("expected_on"),
        fn.COALESCE(fn.SUM(PurchaseLine.quantity), 0).alias("pieces"),
        fn.COALESCE(fn.SUM(_SENT_TO_COME), 0).alias("to_come"),
        fn.COALESCE(fn.SUM(PurchaseLine.quantity * PurchaseLine.price_minor), 0).alias("total_minor"),
    )
    .join(Supplier)
    .switch(PurchaseOrder)
    .join(Person)
    .switch(PurchaseOrder)
    .join(PurchaseLine, JOIN.LEFT_OUTER)
    .group_by(PurchaseOrder.id, Supplier.name, Person.name)
)


@written
def _newest(states: list[str], limit: int) -> Select:
    orders = _ORDERS.where(PurchaseOrder.state == fn.ANY(states))
    return orders.order_by(PurchaseOrder.id.desc()).limit(limit)


@reading
def orders_page(states: Sequence[OrderState], limit: int = 100) -> list[OrderRow]:
    """Orders in some states, the newest first."""
    return each(_order, _newest([state.value for state in states], limit))


@reading
def load_order(order_id: int) -> OrderRow | None:
    return first(_order, _ORDERS.where(PurchaseOrder.id == order_id))


def lock_order(order_id: int) -> OrderRow | None:
    PurchaseOrder.select(PurchaseOrder.id).where(PurchaseOrder.id == order_id).for_update().execute()
    return load_order(order_id)


@reading
def asked_orders(before: datetime, after: datetime) -> list[int]:
    """Orders that were handed in before a moment, or after one that is not come yet, and whose answer is not
    known.
    """
    asked = PurchaseOrder.select(PurchaseOrder.id).where(
        PurchaseOrder.state == OrderState.ASKED.value,
        (PurchaseOrder.asked_at < before) | (PurchaseOrder.asked_at > after),
    )
    return column(asked.order_by(PurchaseOrder.id))


@reading
def draft_of(supplier_id: str) -> int | None:
    draft = PurchaseOrder.select(PurchaseOrder.id).where(
        PurchaseOrder.supplier == supplier_id, PurchaseOrder.state == OrderState.DRAFT.value
    )
    order_id: int | None = draft.scalar()
    return order_id


@reading
def load_lines(order_id: int) -> list[OrderLine]:
    lines = PurchaseLine.select(
        PurchaseLine.id,
        PurchaseLine.part.alias("part_id"),
        Part.barcode,
        Part.name.alias("part"),
        Part.bin,
        Part.printed_number,
        PurchaseLine.number,
        PurchaseLine.quantity,
        PurchaseLine.price_minor,
        PurchaseLine.for_jobs,
        PurchaseLine.expected_on,
        PurchaseLine.short,
        PurchaseLine.good,
        PurchaseLine.bad,
    ).join(Part)
    return each(OrderLine, lines.where(PurchaseLine.order == order_id).order_by(PurchaseLine.id))


@reading
def coming(part_id: int) -> list[tuple[date | None, int]]:
    """Pieces of a part that are to come, with the day they are expected on."""
    lines = PurchaseLine.select(PurchaseLine.expected_on, _TO_COME).join(PurchaseOrder)
    return rows(
        lines.where(PurchaseLine.part == part_id, PurchaseOrder.state.in_(ON_ORDER), _TO_COME > 0).order_by(
            PurchaseLine.id
        )
    )


@reading
def not_waited_for(part_ids: Sequence[int]) -> dict[int, list[date]]:
    """The days on which pieces of parts are expected that no job waits for: the first to come are theirs."""
    waiting = dict(rows(Part.select(Part.id, _WAITING).where(Part.id.in_(list(part_ids)))))
    return {part_id: days[waiting.get(part_id, 0) :] for part_id, days in coming_days(part_ids).items()}


def coming_days(part_ids: Sequence[int]) -> dict[int, list[date]]:
    """The days on which pieces of parts are expected, a day a piece, the first in front."""
    coming = (
        PurchaseLine.select(PurchaseLine.part, PurchaseLine.expected_on, _TO_COME)
        .join(PurchaseOrder)
        .where(
            PurchaseLine.part.in_(list(part_ids)),
            PurchaseOrder.state == OrderState.SENT.value,
            PurchaseLine.expected_on.is_null(False),
            _TO_COME > 0,
        )
        .order_by(PurchaseLine.expected_on, PurchaseLine.id)
    )
    by_part: dict[int, list[date]] = {}
    for part_id, expected_on, pieces in rows(coming):
        by_part.setdefault(part_id, []).extend([expected_on] * pieces)
    return by_part


def add_order(supplier_id: str, person_id: int, at: datetime) -> int:
    new = PurchaseOrder.insert(supplier=supplier_id, state="draft", answer=[], person=person_id, at=at)
    return int(new.execute())


def save_order(order_id: int, **changes: Any) -> None:
    PurchaseOrder.update(**changes, version=PurchaseOrder.version + 1).where(
        PurchaseOrder.id == order_id
    ).execute()


def add_line(order_id: int, **columns: Any) -> None:
    PurchaseLine.insert(order=order_id, **columns).execute()


def save_line(line_id: int, **changes: Any) -> None:
    PurchaseLine.update(**changes).where(PurchaseLine.id == line_id).execute()


def drop_line(line_id: int) -> None:
    PurchaseLine.delete().where(PurchaseLine.id == line_id).execute()


@reading
def load_answer(order_id: int) -> list[Mapping[str, Any]]:
    """What the supplier said to an order."""
    answer: list[Mapping[str, Any]] | None = (
        PurchaseOrder.select(PurchaseOrder.answer).where(PurchaseOrder.id == order_id).scalar()
    )
    return answer or []


# -- parcels ------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalRow:
    at: datetime
    who: str
    part: str
    outcome: Arrived
    quantity: int
    note: str


def _arrival(outcome: str, **columns: Any) -> ArrivalRow:
    return ArrivalRow(outcome=Arrived(outcome), **columns)


def add_arrival(
    line_id: int, outcome: Arrived, quantity: int, note: str, person_id: int, at: datetime
) -> None:
    PurchaseArrival.insert(
        line=line_id, outcome=outcome.value, quantity=quantity, note=note, person=person_id, at=at
    ).execute()


@reading
def arrivals_of(order_id: int) -> list[ArrivalRow]:
    arrivals = (
        PurchaseArrival.select(
            PurchaseArrival.at,
            Person.name.alias("who"),
            Part.name.alias("part"),
            PurchaseArrival.outcome,
            PurchaseArrival.quantity,
            PurchaseArrival.note,
        )
        .join(Person)
        .switch(PurchaseArrival)
        .join(PurchaseLine)
        .join(Part)
    )
    return each(_arrival, arrivals.where(PurchaseLine.order == order_id).order_by(PurchaseArrival.id))

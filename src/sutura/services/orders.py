"""Orders written, sent, and received in parts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from functools import partial

import structlog

from sutura.core.errors import Invalid, NotFound, StaleSave
from sutura.core.facts import fact
from sutura.core.job import JobRecord
from sutura.core.maths.money import amount_text
from sutura.core.people import Deed, demand
from sutura.core.shop import AHEAD
from sutura.core.stock import orders as rules
from sutura.core.stock.orders import Arrived, LineState, OrderState, ReturnState
from sutura.core.stock.reordering import read_pieces
from sutura.core.typed import Problems, read_text, read_whole
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away, LineAnswer, OrderText
from sutura.formats.orders import OrderedLine, order_pdf, write_order
from sutura.services.pieces import receive_pieces
from sutura.services.reordering import USUAL_DAYS, advise_all, buying_of, share_orders, today
from sutura.services.shop import shop
from sutura.store import audit as audit_store
from sutura.store import offers as offers_store
from sutura.store import orders as store
from sutura.store import returns as returns_store
from sutura.store import shop as shop_store
from sutura.store import stock as stock_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import DatabaseAway, writing

LOG = structlog.get_logger("sutura")
# nobody orders more of one part; the shop's, no source
MOST_PIECES = 1_000
MOST_NOTE = 200
# an order whose desk has not answered after this is asked about again; the shop's, no source
ASKED_FOR = timedelta(minutes=1)


@writing
def write_advised(supplier_id: str, by: Person, now: datetime) -> int:
    """Write what is advised of a supplier into its draft, a new one where there is none; its id."""
    demand(by, Deed.ORDER)
    if suppliers_store.load_supplier(supplier_id) is None:
        raise NotFound("supplier", supplier_id)
    suppliers_store.lock_supplier(supplier_id)
    order_id = store.draft_of(supplier_id)
    numbers = shop_store.load_keeping()
    shared = share_orders(advise_all(now, numbers), {}, numbers.day(now), numbers)
    lines = [line for one in shared.orders if one.supplier_id == supplier_id for line in one.lines]
    if order_id is None:
        if not lines:
            raise Invalid("order", supplier_id, fact("orders.nothing-to-order"))
        order_id = store.add_order(supplier_id, by.id, now)
    drafted = {line.part_id for line in store.load_lines(order_id)}
    for line in lines:
        if line.part.id not in drafted and line.offer and line.advice:
            pieces = buying_of(line.offer).at_least(line.order)
            _add_line(order_id, line.part.id, line.offer, pieces, line.advice.for_jobs)
    store.save_order(order_id, shipping_minor=suppliers_store.load_terms(supplier_id).shipping_minor)
    return order_id


def _add_line(order_id: int, part_id: int, offer: store.BestOffer, pieces: int, for_jobs: int) -> None:
    store.add_line(
        order_id,
        part=part_id,
        number=offer.number,
        quantity=pieces,
        price_minor=buying_of(offer).price_of(pieces),
        for_jobs=for_jobs,
    )


@writing
def add_to_order(barcode: str, pieces: str, by: Person, now: datetime) -> int:
    """Put a part into the draft of its cheapest supplier, by hand; the draft's id."""
    demand(by, Deed.ORDER)
    part = stock_store.load_part(barcode)
    offer = store.best_offers([part.id]).get(part.id)
    if offer is None:
        raise Invalid("pieces", pieces, fact("orders.nobody-offers-it"))
    problems = Problems("The order")
    number = (
        problems.read(
            "pieces", pieces, partial(read_pieces, most=MOST_PIECES, least=1, buying=buying_of(offer))
        )
        or 0
    )
    problems.refuse()
    suppliers_store.lock_supplier(offer.supplier_id)
    order_id = store.draft_of(offer.supplier_id) or store.add_order(offer.supplier_id, by.id, now)
    drafted = {line.part_id: line for line in store.load_lines(order_id)}
    if part.id in drafted:
        store.save_line(drafted[part.id].id, quantity=number, price_minor=buying_of(offer).price_of(number))
    else:
        _add_line(order_id, part.id, offer, number, 0)
    store.save_order(order_id, shipping_minor=suppliers_store.load_terms(offer.supplier_id).shipping_minor)
    return order_id


@writing
def order_chosen(job: JobRecord, by: Person, now: datetime) -> tuple[str, ...]:
    """Write what a job waits for into the next order of whoever sells it, as the Shelf advises it; nothing
    where it lies here, comes already, or stands there. The parts that were written.
    """
    waits = {
        offer.part_id
        for offer in offers_store.load_offers([job.chosen.offer_id or 0, *job.chosen.more_offers])
        if offer.free < 1
    }
    if not waits:
        return ()
    written = []
    for line in advise_all(now):
        if line.part.id not in waits or not (line.offer and line.advice and line.advice.order):
            continue
        supplier = line.offer.supplier_id
        suppliers_store.lock_supplier(supplier)
        order_id = store.draft_of(supplier) or store.add_order(supplier, by.id, now)
        drafted = {one.part_id: one for one in store.load_lines(order_id)}
        buying = buying_of(line.offer)
        pieces = buying.at_least(line.advice.order)
        there = drafted.get(line.part.id)
        if there is None:
            _add_line(order_id, line.part.id, line.offer, pieces, line.advice.for_jobs)
        elif there.quantity < pieces:
            store.save_line(there.id, quantity=pieces, price_minor=buying.price_of(pieces))
        else:
            continue
        store.save_order(order_id, shipping_minor=suppliers_store.load_terms(supplier).shipping_minor)
        written.append(line.part.name)
    return tuple(written)


def _lock(order_id: int, state: OrderState) -> store.OrderRow:
    order = store.lock_order(order_id)
    if order is None:
        raise NotFound("order", order_id)
    if order.state is not state:
        raise Invalid("order", order.number, fact("orders.it-is", state=order.state))
    return order


@writing
def change_order(order_id: int, pieces: Mapping[int, str], version: int, by: Person) -> None:
    """Change how many of each line of a draft are ordered; none takes the line out."""
    demand(by, Deed.ORDER)
    order = _lock(order_id, OrderState.DRAFT)
    lines = {line.id: line for line in store.load_lines(order_id)}
    if order.version != version:
        yours = {lines[line_id].part: text for line_id, text in pieces.items() if line_id in lines}
        theirs = {line.part: str(line.quantity) for line in lines.values()}
        raise StaleSave(fact("orders.the-order"), "", None, yours, theirs)
    problems = Problems("The order")
    offers = store.best_offers([line.part_id for line in lines.values()])
    read = {}
    for line_id, text in pieces.items():
        if line_id in lines:
            offer = _same_offer(offers, lines[line_id])
            reader = partial(read_pieces, most=MOST_PIECES, buying=buying_of(offer) if offer else None)
            read[line_id] = problems.read(f"pieces.{line_id}", text, reader)
    problems.refuse()
    for line_id, number in read.items():
        line = lines[line_id]
        if number == 0:
            store.drop_line(line_id)
        elif number is not None:
            offer = _same_offer(offers, line)
            price = buying_of(offer).price_of(number) if offer else line.price_minor
            store.save_line(line_id, quantity=number, price_minor=price)
    store.save_order(order_id)


def _same_offer(offers: Mapping[int, store.BestOffer], line: store.OrderLine) -> store.BestOffer | None:
    """The offer that a line was written from, where it is still the one that counts."""
    offer = offers.get(line.part_id)
    return offer if offer and offer.number == line.number else None


@writing
def discard_order(order_id: int, by: Person, now: datetime) -> None:
    """Throw a draft away: its parts are advised anew."""
    demand(by, Deed.ORDER)
    _lock(order_id, OrderState.DRAFT)
    store.save_order(order_id, state=OrderState.CANCELLED.value, closed_at=now)


def _ordered(lines: Sequence[store.OrderLine]) -> list[OrderedLine]:
    currency = shop().currency
    listed = store.best_offers([line.part_id for line in lines])
    return [
        OrderedLine(
            number=line.number,
            quantity=line.quantity,
            name=line.part,
            price=amount_text(line.price_minor, currency),
            listed_days=listed[line.part_id].lead_days if line.part_id in listed else USUAL_DAYS,
        )
        for line in lines
    ]


def order_text(order: store.OrderRow, lines: Sequence[store.OrderLine], form: str) -> str:
    """An order as its supplier takes it."""
    return write_order(form, order.number, shop().name, _ordered(lines))


def order_paper(order: store.OrderRow, lines: Sequence[store.OrderLine]) -> bytes:
    """An order on paper."""
    record = shop()
    total = f"{amount_text(order.total_minor, record.currency)} {record.currency}"
    return order_pdf(order.number, record.name, record.address, order.supplier, _ordered(lines), total)


def send_order(order_id: int, by: Person, now: datetime) -> None:
    """Hand an order to the supplier's desk, and keep what it answers of each line. What it will not send is
    short; the order is closed when nothing of it will come.

    That it is handed in is kept before the desk is asked, and nothing is locked meanwhile: whoever is cut
    off asks again, and the desk takes the same order once.
    """
    demand(by, Deed.ORDER)
    asked = _ask(order_id, by, now)
    try:
        answers = plugged().supplier_desk.submit(asked, today(now))
    except Away as away:
        _take_back(order_id)
        raise Invalid("order", asked.number, fact("orders.desk-is-away", supplier=asked.supplier)) from away
    _keep_answers(order_id, answers, by.id, now)


def hand_in_again(now: datetime) -> None:
    """Orders that were handed in and whose answer nobody kept are handed in again: the desk answers as it
    did. One that is away now is asked again later.
    """
    for order_id in store.asked_orders(now - ASKED_FOR, now + AHEAD):
        try:
            order = store.load_order(order_id)
            if order is None or order.asked_at is None:
                continue
            asked = _order_text(order, store.load_lines(order_id))
            answers = plugged().supplier_desk.submit(asked, today(order.asked_at))
            _keep_answers(order_id, answers, order.person_id, now)
        except Away:
            # asked again later; another supplier's desk may answer
            continue
        except DatabaseAway as away:
            LOG.warning("an order is not handed in again yet", order=order_id, why=str(away)[:200])
        except Exception:
            # one that cannot be handed in never stops the others
            LOG.exception("an order cannot be handed in again", order=order_id)


@writing
def _ask(order_id: int, by: Person, now: datetime) -> OrderText:
    """That an order is handed in, and what is handed in."""
    order = store.lock_order(order_id)
    if order is None or order.state is not OrderState.ASKED:
        order = _lock(order_id, OrderState.DRAFT)
    lines = store.load_lines(order_id)
    if not lines:
        raise Invalid("order", order.number, fact("orders.nothing-in-it"))
    terms = suppliers_store.load_terms(order.supplier_id)
    if order.total_minor < terms.least_order_minor:
        least = amount_text(terms.least_order_minor, shop().currency)
        raise Invalid(
            "order", amount_text(order.total_minor, shop().currency), fact("orders.at-least", least=least)
        )
    if order.state is OrderState.DRAFT:
        store.save_order(order_id, state=OrderState.ASKED.value, asked_at=now, person=by.id)
    return _order_text(order, lines)


def _order_text(order: store.OrderRow, lines: Sequence[store.OrderLine]) -> OrderText:
    takes = suppliers_store.load_terms(order.supplier_id).takes
    text = order_text(order, lines, takes)
    return OrderText(number=order.number, supplier=order.supplier, form=takes, text=text)


@writing
def _take_back(order_id: int) -> None:
    """A desk that was not reached took nothing: the order is a draft again, unless another one was begun."""
    order = store.lock_order(order_id)
    if order and order.state is OrderState.ASKED:
        suppliers_store.lock_supplier(order.supplier_id)
        if store.draft_of(order.supplier_id) is None:
            store.save_order(order_id, state=OrderState.DRAFT.value)


@writing
def _keep_answers(order_id: int, answers: Sequence[LineAnswer], person_id: int, now: datetime) -> None:
    """Keep what a desk answered, once: whoever comes second finds it kept."""
    order = store.lock_order(order_id)
    if order is None or order.state is not OrderState.ASKED:
        return
    terms = suppliers_store.load_terms(order.supplier_id)
    by_number = {answer.number: answer for answer in answers}
    kept, after = [], []
    store.save_order(
        order_id,
        state=OrderState.SENT.value,
        sent_at=order.asked_at,
        shipping_minor=terms.shipping_of(order.total_minor),
    )
    for line in store.load_lines(order_id):
        # what is not answered is as it was ordered, with no day
        answer = by_number.get(line.number)
        sends = line.quantity if answer is None else min(max(answer.pieces, 0), line.quantity)
        short = line.quantity - sends
        store.save_line(line.id, short=short, expected_on=answer.expected_on if answer else None)
        after.append(LineState(quantity=line.quantity, short=short))
        kept.append(
            {
                "number": line.number,
                "part": line.part,
                "ordered": line.quantity,
                "sends": sends,
                "says": answer.says if answer else "",
            }
        )
    store.save_order(order_id, answer=kept)
    if rules.is_done(after):
        store.save_order(order_id, state=OrderState.CLOSED.value, closed_at=now)
    told = {"order": order.number, "supplier": order.supplier_id, "pieces": order.pieces}
    audit_store.add_audit(person_id, now, "order sent", told)


@writing
def give_up_rest(order_id: int, by: Person, now: datetime) -> None:
    """What has not come of a sent order is not waited for any more: it is short, and the order closed."""
    demand(by, Deed.ORDER)
    _lock(order_id, OrderState.SENT)
    for line in store.load_lines(order_id):
        if line.state.to_come:
            store.save_line(line.id, short=line.short + line.state.to_come)
    store.save_order(order_id, state=OrderState.CLOSED.value, closed_at=now)


# -- parcels ------------------------------------------------------------------------------------------


@writing
def receive_parcel(order_id: int, found: Mapping[int, Mapping[str, str]], by: Person, now: datetime) -> int:
    """Take in a parcel: of each line how many are good, dead, wrong, damaged or more than ordered, with a
    word on what is not good. Good pieces go on the shelf at their price; the others are returns at once.
    Says how many pieces there were.
    """
    demand(by, Deed.RECEIVE)
    order = _lock(order_id, OrderState.SENT)
    lines = {line.id: line for line in store.load_lines(order_id)}
    problems = Problems("The parcel")
    read: dict[int, tuple[dict[Arrived, int], str]] = {}
    for line_id, line in lines.items():
        with problems.under(f"line.{line_id}"):
            read[line_id] = _read_found(line, found.get(line_id, {}))
    if not len(problems) and not any(numbers for numbers, _ in read.values()):
        problems.add("parcel", "", fact("orders.nothing-in-parcel"))
    problems.refuse()
    terms = suppliers_store.load_terms(order.supplier_id)
    send_by = rules.last_day(today(now), terms.return_days)
    states, arrived_pieces = [], 0
    # always in the same order, so that two parcels cannot each wait for the other's part
    for line in sorted(lines.values(), key=lambda one: one.part_id):
        numbers, note = read[line.id]
        after = rules.check_parcel(line.state, numbers)
        store.save_line(line.id, good=after.good, bad=after.bad)
        states.append(after)
        for arrived, number in numbers.items():
            arrived_pieces += number
            store.add_arrival(line.id, arrived, number, "" if arrived is Arrived.GOOD else note, by.id, now)
            if arrived is Arrived.GOOD:
                _to_shelf(line, number, order, send_by, by, now)
            else:
                _to_return(order, line, arrived, number, note, send_by, by, now)
        # good pieces are tried on the bench, and counted there
        bad = sum(number for arrived, number in numbers.items() if arrived in rules.OF_QUALITY)
        suppliers_store.count_bad(order.supplier_id, bad)
    store.save_order(order_id)
    if rules.is_done(states):
        store.save_order(order_id, state=OrderState.CLOSED.value, closed_at=now)
    return arrived_pieces


def _read_found(line: store.OrderLine, said: Mapping[str, str]) -> tuple[dict[Arrived, int], str]:
    problems = Problems("A line of the parcel")
    numbers = {}
    for arrived in Arrived:
        text = said.get(arrived.value, "")
        number = problems.read(arrived.value, text or "0", partial(read_whole, most=MOST_PIECES))
        if number:
            numbers[arrived] = number
    note = problems.read("note", said.get("note", ""), partial(read_text, most=MOST_NOTE)) or ""
    if not note and any(arrived is not Arrived.GOOD for arrived in numbers):
        problems.add("note", "", fact("orders.say-what-was-found"))
    try:
        rules.check_parcel(line.state, numbers)
    except Invalid as refused:
        problems.add("good", refused.refused, refused.accepts)
    problems.refuse()
    return numbers, note


def _to_shelf(
    line: store.OrderLine, number: int, order: store.OrderRow, send_by: date, by: Person, now: datetime
) -> None:
    stock_store.lock_level(line.part_id)
    receive_pieces(
        line.part_id,
        number,
        line.price_minor,
        order.number,
        by,
        now,
        supplier_id=order.supplier_id,
        line_id=line.id,
        return_by=send_by,
    )


def _to_return(
    order: store.OrderRow,
    line: store.OrderLine,
    arrived: Arrived,
    number: int,
    note: str,
    send_by: date,
    by: Person,
    now: datetime,
) -> None:
    # what was not ordered was not paid for
    owed = 0 if arrived is Arrived.EXTRA else number * line.price_minor
    returns_store.add_return(
        supplier=order.supplier_id,
        part=line.part_id,
        line=line.id,
        cause=rules.cause_of(arrived).value,
        quantity=number,
        owed_minor=owed,
        state=ReturnState.TO_SEND.value,
        send_by=send_by,
        note=note,
        person=by.id,
        at=now,
    )

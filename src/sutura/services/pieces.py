"""Single pieces of dear parts: received, looked at, moved, labelled, taken for a job, and lost."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from functools import partial

from sutura.core.errors import Invalid, NotFound, StaleSave
from sutura.core.facts import Say, fact
from sutura.core.people import Deed, demand
from sutura.core.stock import orders as orders_rules
from sutura.core.stock import pieces as rules
from sutura.core.stock.levels import MoveKind
from sutura.core.stock.orders import Arrived, ReturnState
from sutura.core.stock.pieces import Check, Film, Found, Judged, Seen
from sutura.core.typed import Problems, read_choice, read_text
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away, Printed, Stopped
from sutura.formats.labels import Label, label_svg, labels_pdf
from sutura.formats.photo import read_photo
from sutura.services.shop import speech
from sutura.store import job as job_store
from sutura.store import photos as photos_store
from sutura.store import pieces as store
from sutura.store import returns as returns_store
from sutura.store import shop as shop_store
from sutura.store import stock as stock_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import reading, writing

MOST_NOTE = 200
# photos of one piece; the shop's, no source
MOST_PHOTOS = 6
# what is done with a piece that was looked at: kept, sent back for a cause, or written off
KEEP, WRITE_OFF = "keep", "write_off"
SENT_BACK = (Arrived.DEAD, Arrived.WRONG, Arrived.DAMAGED)
DEEDS = (KEEP, *(arrived.value for arrived in SENT_BACK), WRITE_OFF)


@dataclass(frozen=True, slots=True, kw_only=True)
class PiecePage:
    """A piece with what is to be looked at, what happened to it, and how long it can still go back."""

    piece: store.PieceRow
    checks: tuple[Check, ...]
    history: list[store.PieceHappened]
    days_left: int | None
    urgent: bool
    today: date
    photos: list[photos_store.PhotoLine]


def _row(label: str) -> store.PieceRow:
    piece = store.load_piece(rules.read_label(label))
    if piece is None:
        raise NotFound("piece", label)
    return piece


def _locked(label: str, version: int) -> store.PieceRow:
    # its part before it, as everywhere: who takes a piece for a job holds the part
    stock_store.lock_level(_row(label).part_id)
    store.lock_piece(rules.read_label(label))
    piece = _row(label)
    if piece.version != version:
        raise StaleSave(fact("stock.the-piece"), "", None, {}, {})
    return piece


@reading
def piece_page(label: str, now: datetime) -> PiecePage:
    """A piece by its label."""
    piece, day = _row(label), shop_store.load_keeping().day(now)
    return PiecePage(
        piece=piece,
        checks=checks_of(piece.part_id),
        history=store.history_of(piece.id),
        days_left=rules.days_left(piece.rule, day) if piece.is_here else None,
        urgent=piece.is_here and rules.is_urgent(piece.rule, day),
        today=day,
        photos=photos_store.piece_photos(piece.id),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PiecesOfPart:
    """The pieces of a part, which of them can still go back and which are pressing, and who sells parts."""

    pieces: list[store.PieceRow]
    returnable: frozenset[int]
    urgent: frozenset[int]
    suppliers: list[tuple[str, str]]


@reading
def pieces_page(part_id: int, now: datetime) -> PiecesOfPart:
    """The pieces of a part; none of one that is not kept piece by piece."""
    found, day = store.pieces_of(part_id), shop_store.load_keeping().day(now)
    here = [piece for piece in found if piece.is_here]
    return PiecesOfPart(
        pieces=found,
        returnable=frozenset(piece.id for piece in here if rules.can_go_back(piece.rule, day)),
        urgent=frozenset(piece.id for piece in here if rules.is_urgent(piece.rule, day)),
        suppliers=suppliers_store.names(),
    )


def checks_of(part_id: int) -> tuple[Check, ...]:
    """What is looked at on a piece of a part."""
    kind, number, attributes, box = stock_store.described(part_id)
    return rules.what_to_look_at(kind, number, attributes, box)


# -- in and out ---------------------------------------------------------------------------------------


def receive_pieces(
    part_id: int,
    quantity: int,
    cost_minor: int | None,
    note: str,
    by: Person,
    now: datetime,
    *,
    supplier_id: str | None = None,
    line_id: int | None = None,
    lot: str = "",
    return_by: date | None = None,
) -> None:
    """Write received pieces into the ledger, of a locked part; of a dear one each piece is known from here on
    (rule stock.by-piece). Inside a deed.
    """
    if cost_minor is not None and cost_minor >= shop_store.load_keeping().pieces_from_minor:
        store.track(part_id)
    stock_store.adopt_part(part_id)
    move_id = stock_store.add_stock_move(
        part=part_id,
        quantity=quantity,
        kind=MoveKind.RECEIPT.value,
        job=None,
        unit_cost_minor=cost_minor,
        note=note.strip()[:MOST_NOTE],
        person=by.id,
        at=now,
        line=line_id,
    )
    kind = stock_store.described(part_id)[0]
    store.name_received(
        move_id, supplier=supplier_id, lot=lot, return_by=return_by, film=rules.film_of(kind).value
    )


def choose_piece(part_id: int, now: datetime) -> int | None:
    """The piece to take of a locked part that is kept piece by piece (rule stock.which-piece)."""
    chosen = rules.first_to_use(store.free_pieces(part_id), shop_store.load_keeping().day(now))
    return chosen.id if chosen else None


def pieces_to_miss(part_id: int, count: int, now: datetime) -> list[int]:
    """Which pieces of a locked part a count of too few misses (rule stock.missed); none of a part that is
    not kept piece by piece.
    """
    if not store.is_tracked(part_id):
        return []
    return rules.missed(store.free_pieces(part_id), count, shop_store.load_keeping().day(now))


# -- looking at one -----------------------------------------------------------------------------------


@writing
def look_at(
    label: str, typed: Mapping[str, str], version: int, by: Person, now: datetime, photo: bytes = b""
) -> None:
    """Keep what was seen of a piece, with a photo of it where there is one, and do what follows: it is kept
    as it was bought or as less, sent back to who sold it, or written off (rules stock.as-bought,
    stock.film).
    """
    demand(by, Deed.RECEIVE)
    piece = _locked(label, version)
    if not piece.is_here:
        raise Invalid("label", label, fact("stock.piece-is-not-here", state=piece.state))
    checks = checks_of(piece.part_id)
    problems = Problems("What was looked at")
    seen = {}
    for check in checks:
        # one word for the whole list
        said = typed.get("all") or typed.get(check.id, "")
        answer = problems.read(
            f"seen.{check.id}",
            said,
            lambda text: Seen(read_choice(text, tuple(Seen), fact("stock.right-wrong-or-not-looked"))),
        )
        seen[check.id] = answer or Seen.UNKNOWN
    verdict, deciding = rules.judge(checks, seen)
    deed = problems.read(
        "then",
        typed.get("then", KEEP),
        lambda text: read_choice(text, DEEDS, fact("stock.choose-what-follows")),
    )
    note = problems.read("note", typed.get("note", ""), partial(read_text, most=MOST_NOTE)) or ""
    grade = problems.read("grade", typed.get("grade", ""), partial(read_text, most=40)) or ""
    if verdict is Judged.NOT_AS_BOUGHT and not note:
        problems.add("note", "", fact("stock.say-what-is-wrong"))
    if deed == KEEP and verdict is Judged.NOT_AS_BOUGHT and not grade:
        problems.add("grade", "", fact("stock.say-what-it-is"))
    if deed != KEEP and verdict is not Judged.NOT_AS_BOUGHT:
        problems.add("then", str(deed), fact("stock.nothing-wrong-was-seen"))
    shown = problems.read("photo", "", lambda _: read_photo(photo)) if photo else None
    if shown and len(photos_store.piece_photos(piece.id)) >= MOST_PHOTOS:
        problems.add("photo", str(MOST_PHOTOS), fact("stock.no-more-photos"))
    day = shop_store.load_keeping().day(now)
    if deed != KEEP and piece.job:
        problems.add("then", str(deed), fact("stock.piece-is-held", job=piece.job))
    elif deed in {arrived.value for arrived in SENT_BACK} and not rules.can_go_back(piece.rule, day):
        problems.add("then", str(deed), fact("stock.cannot-go-back-any-more"))
    problems.refuse()
    told = {
        "seen": {name: answer.value for name, answer in seen.items()},
        "verdict": verdict.value,
        "open": [check.id for check in deciding],
        "then": deed,
        "grade": grade,
    }
    if shown:
        photos_store.add_piece_photo(piece.id, note[:120], shown, by.id, now)
    store.add_event(piece.id, "looked_at", note, told, by.id, now)
    if deed == KEEP:
        found = {Judged.AS_BOUGHT: Found.AS_BOUGHT, Judged.NOT_AS_BOUGHT: Found.LESS}
        keeps = found.get(verdict, Found.UNKNOWN)
        store.save_piece(piece.id, found=keeps.value, found_grade=grade if keeps is Found.LESS else "")
        return
    _take_out(piece, str(deed), note, by, now)


def _take_out(piece: store.PieceRow, deed: str, note: str, by: Person, now: datetime) -> None:
    """Out of the shelf for good, with the return that follows or the loss that the shop bears."""
    kind = MoveKind.WRITTEN_OFF if deed == WRITE_OFF else MoveKind.RETURNED
    stock_store.add_stock_move(
        part=piece.part_id,
        quantity=-1,
        kind=kind.value,
        job=None,
        unit_cost_minor=piece.cost_minor,
        note=note,
        person=by.id,
        at=now,
        piece_id=piece.id,
    )
    supplier_id, borne = piece.supplier_id, deed == WRITE_OFF
    if supplier_id is None:
        # nobody knows who sold it: there is nobody to send it to
        return
    cause = orders_rules.Cause.BROKEN if borne else orders_rules.cause_of(Arrived(deed))
    returns_store.add_return(
        supplier=supplier_id,
        part=piece.part_id,
        cause=cause.value,
        quantity=1,
        owed_minor=piece.cost_minor,
        state=(ReturnState.BORNE if borne else ReturnState.TO_SEND).value,
        send_by=None if borne else piece.return_by,
        note=note,
        person=by.id,
        at=now,
        closed_at=now if borne else None,
        piece_id=piece.id,
    )
    if not borne and Arrived(deed) in orders_rules.OF_QUALITY:
        suppliers_store.count_bad(supplier_id, 1)


@writing
def take_film_off(label: str, sure: bool, version: int, by: Person, now: datetime) -> None:
    """The film is off: from now on nobody takes the piece back (rule stock.film)."""
    demand(by, Deed.RESERVE)
    piece = _locked(label, version)
    rules.check_film_off(piece.rule, sure, shop_store.load_keeping().day(now))
    store.save_piece(piece.id, film=Film.OFF.value)
    store.add_event(piece.id, "film_off", "", {"job": piece.job}, by.id, now)


@writing
def move_piece(label: str, place: str, version: int, by: Person, now: datetime) -> None:
    """It lies in another place now."""
    demand(by, Deed.RESERVE)
    piece = _locked(label, version)
    problems = Problems("The place")
    where = problems.read("place", place, partial(read_text, most=40, least=1)) or ""
    if not piece.is_here:
        problems.add("place", place, fact("stock.piece-is-not-here", state=piece.state))
    problems.refuse()
    store.save_piece(piece.id, place=where)
    store.add_event(piece.id, "moved", "", {"from": piece.place, "to": where}, by.id, now)


@writing
def take_this_piece(code: str, label: str, by: Person, now: datetime) -> None:
    """Hold this very piece for a job instead of the one it holds of the same part."""
    demand(by, Deed.RESERVE)
    job = job_store.lock_job(code)
    problems = Problems("The piece")
    piece_id = problems.read("label", label, rules.read_label)
    problems.refuse()
    piece = _row(rules.label_of(piece_id or 0))
    held = {one.part_id: one for one in stock_store.held_of(job.id)}
    mine = held.get(piece.part_id)
    if mine is None:
        raise Invalid("label", label, fact("stock.piece-of-another-part", part=piece.part))
    if mine.piece_id == piece.id:
        return
    stock_store.lock_level(piece.part_id)
    if piece.id not in {free.id for free in store.free_pieces(piece.part_id)}:
        raise Invalid("label", label, fact("stock.piece-is-taken"))
    stock_store.save_reservation(mine.id, "released")
    stock_store.add_reservation(piece.part_id, job.id, by.id, now, piece.id)


# -- labels -------------------------------------------------------------------------------------------


def _label(piece: store.PieceRow) -> Label:
    says = speech().say
    lines = [f"{piece.barcode} · {piece.place}" if piece.place else piece.barcode]
    if piece.supplier:
        lines.append(piece.supplier)
    if piece.lot:
        lines.append(says(fact("stock.label-lot", lot=piece.lot)))
    if piece.return_by:
        lines.append(says(fact("stock.label-back-by", by=piece.return_by)))
    return Label(number=piece.label, title=piece.part, lines=tuple(lines))


@reading
def label_drawn(label: str) -> str:
    """A piece's label for a screen."""
    return label_svg(_label(_row(label)))


@reading
def labels_paper(labels: Sequence[str]) -> bytes:
    """The labels of pieces, a page each, for a printer."""
    return labels_pdf([_label(_row(label)) for label in labels])


def why_stopped(stopped: str) -> Say:
    """What a printer that prints no more wants; empty for what is no reason."""
    return fact(f"stock.printer-{stopped}") if stopped and stopped in set(Stopped) else ""


def print_labels(labels: Sequence[str], by: Person, now: datetime) -> Printed:
    """Print the labels of pieces on the label printer, and note which came out; how many, and why no more."""
    demand(by, Deed.RECEIVE)
    if not labels or len(labels) > store.MOST_SHOWN:
        raise Invalid("labels", len(labels), fact("stock.nothing-to-print"))
    found = _rows(labels)
    try:
        printed = plugged().label_printer.print_labels([labels_pdf([_label(piece)]) for piece in found])
    except Away as away:
        raise Invalid("labels", "", fact("stock.printer-is-away")) from away
    _labelled(found[: printed.count], by, now)
    return printed


@reading
def _rows(labels: Sequence[str]) -> list[store.PieceRow]:
    return [_row(label) for label in labels]


@writing
def _labelled(pieces: Sequence[store.PieceRow], by: Person, now: datetime) -> None:
    for piece in pieces:
        store.add_event(piece.id, "labelled", "", {}, by.id, now)

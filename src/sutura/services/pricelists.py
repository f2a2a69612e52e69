"""Price lists of suppliers: looked at, mapped, checked, read in the background, written again."""

from __future__ import annotations

import itertools
import re
import tempfile
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any, BinaryIO

from sutura.core.errors import Invalid, NotFound
from sutura.core.facts import Say, fact, to_json
from sutura.core.matching.listing import (
    COLUMNS,
    SAME_FOR_ALL,
    Column,
    Listing,
    RowReader,
    check_mapping,
    check_words,
    guess_mapping,
)
from sutura.core.matching.offers import Value
from sutura.core.maths.money import amount_text
from sutura.core.people import Deed, demand
from sutura.core.typed import refuse
from sutura.core.values import Person
from sutura.formats.pricelists import (
    MOST_ROWS,
    PIECE,
    PriceFile,
    is_slow,
    price_file,
    read_price_file,
    size_taken,
    text_of,
    write_price_file,
)
from sutura.services.shop import shop
from sutura.store import audit as audit_store
from sutura.store import pricelists as store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import reading, writing

# A list up to this long is checked at once, a longer one in the background. About a second's work here,
# measured.
AT_ONCE = 10_000
# Rows of one transaction: progress is seen often, and a stop in the middle costs little. The shop's, no
# source.
CHUNK = 1_000
# Bad rows kept with their reasons; more are counted.
MOST_BAD = 20_000
# a list is begun so often without getting further; then its file is what ends its reader
TRIES = 3
# words for kinds that are shown; more are in the list itself
MOST_WORDS = 60
SAMPLES = 200
# days to wait for a part whose supplier never said, when a list says nothing either; the shop's, no source
USUAL_DAYS = 7


@writing
def look_at_list(
    supplier_id: str, new_name: str, name: str, file: BinaryIO, by: Person, now: datetime
) -> int:
    """Keep a file as it comes and look at it: its columns are guessed, a short one is checked at once, a long
    one in the background. The list's number.
    """
    demand(by, Deed.SET_PRICE)
    size_taken(file)
    waits = is_slow(file)
    supplier = _supplier(supplier_id, new_name)
    list_id = store.add_list(supplier.id, name[:200] or "price list", by.id, now)
    if waits:
        store.save_pieces(list_id, iter(lambda: file.read(PIECE), b""))
        store.enqueue("look_at_list", list_id)
    else:
        _look(list_id, supplier, *text_of(file))
    return list_id


def _look(
    list_id: int, supplier: suppliers_store.SupplierRow, encoding: str, pieces: Iterable[bytes]
) -> None:
    """Keep a list as text; what its columns are is guessed, and it is checked where that is clear."""
    store.save_pieces(list_id, pieces)
    read = price_file(encoding, lambda: store.pieces_of(list_id))
    total = sum(1 for _ in itertools.islice(read.rows(), MOST_ROWS + 1))
    if total > MOST_ROWS:
        raise Invalid(
            "file",
            fact("pricelists.more-than-rows", most_rows=MOST_ROWS),
            fact("pricelists.split-most-rows-read-once", most_rows=MOST_ROWS),
        )
    if total == 0:
        raise Invalid("file", fact("pricelists.no-row"), fact("pricelists.choose-list-least-one-row-below"))
    mapping = guess_mapping(read.header, supplier.mapping)
    store.save_list(list_id, encoding=encoding, mapping=mapping, rows_total=total, state="new")
    if not check_mapping(mapping, read.header):
        _check(list_id, total)


def _supplier(supplier_id: str, new_name: str) -> suppliers_store.SupplierRow:
    if supplier_id and (known := suppliers_store.load_supplier(supplier_id)):
        return known
    name = new_name.strip()
    slug = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-")[:40]
    if not slug or len(name) > 120:
        raise Invalid("new_supplier", new_name, fact("pricelists.choose-supplier-write-name-new-one"))
    return suppliers_store.load_supplier(slug) or suppliers_store.add_supplier(slug, name)


@writing
def map_columns(list_id: int, mapping: Mapping[str, str], by: Person) -> None:
    """Say which column is what; kept for this supplier's next list, and the list is checked anew."""
    demand(by, Deed.SET_PRICE)
    price_list = _locked(list_id, "new", "checked", "failed")
    read = _file_of(price_list)
    chosen = {column.name: mapping[column.name] for column in COLUMNS if mapping.get(column.name, "").strip()}
    problems = check_mapping(chosen, read.header)
    refuse(problems, "The columns")
    store.save_list(list_id, mapping=chosen)
    suppliers_store.save_mapping(price_list.supplier_id, chosen)
    _check(list_id, price_list.rows_total)


@writing
def name_kinds(list_id: int, words: Mapping[str, str], by: Person) -> None:
    """Say which of our kinds, and of our grades, a supplier's words are; kept for its next list, and the list
    is checked anew (rule list.kind).
    """
    demand(by, Deed.SET_PRICE)
    price_list = _locked(list_id, "checked")
    chosen = check_words(words, store.known_kinds())
    if not chosen:
        raise Invalid("words", "", fact("pricelists.choose-one-kind"))
    supplier = suppliers_store.load_supplier(price_list.supplier_id)
    suppliers_store.save_words(
        price_list.supplier_id, {**(supplier.kind_words if supplier else {}), **chosen}
    )
    _check(list_id, price_list.rows_total)


def _check(list_id: int, total: int) -> None:
    store.save_list(list_id, state="checking", rows_done=0, counts={}, bad=[], words={}, tries=0, says="")
    if total <= AT_ONCE:
        check_list(list_id)
    else:
        store.enqueue("check_list", list_id)


@writing
def read_good_rows(list_id: int, by: Person, now: datetime) -> None:
    """Read the good rows of a checked list in the background, without the bad ones."""
    demand(by, Deed.SET_PRICE)
    price_list = _locked(list_id, "checked")
    if not price_list.counts.get("good"):
        raise Invalid("list", price_list.name, fact("pricelists.put-columns-right-first-no-row"))
    told = {"list": list_id, "supplier": price_list.supplier_id, "file": price_list.name}
    audit_store.add_audit(by.id, now, "price list read in", told)
    store.save_list(list_id, state="reading", rows_done=0, tries=0, says="")
    store.enqueue("read_list", list_id)


def _locked(list_id: int, *states: str) -> store.ListRow:
    price_list = store.lock_list(list_id)
    if price_list is None:
        raise NotFound("price list", list_id)
    if price_list.state not in states:
        raise Invalid("list", price_list.name, fact("pricelists.wait-already", state=price_list.state))
    return price_list


def _file_of(price_list: store.ListRow) -> PriceFile:
    """A list that is kept. What came before lists lay in pieces is kept as it came."""
    if price_list.encoding:
        return price_file(price_list.encoding, lambda: store.pieces_of(price_list.id))
    return read_price_file(b"".join(store.pieces_of(price_list.id)))


# -- in the background --------------------------------------------------------------------------------


def look_at_sent(list_id: int) -> None:
    """Look at a long list that was sent: what it is read as is kept in place of the file."""
    price_list = _begin(list_id, "sent")
    if price_list is None:
        return
    with tempfile.TemporaryFile() as file, tempfile.TemporaryFile() as text:
        file.writelines(store.pieces_of(list_id))
        encoding, pieces = text_of(file)
        # unpacking may take minutes: nothing is locked meanwhile
        text.writelines(pieces)
        text.seek(0)
        _look_once(price_list, encoding, iter(lambda: text.read(PIECE), b""))


@writing
def _look_once(price_list: store.ListRow, encoding: str, pieces: Iterable[bytes]) -> None:
    supplier = suppliers_store.load_supplier(price_list.supplier_id)
    if supplier and _save(price_list, tries=0):
        _look(price_list.id, supplier, encoding, pieces)


@dataclass
class _Tally:
    good: int = 0
    new: int = 0
    changed: int = 0
    same: int = 0
    bad: int = 0
    twice: int = 0

    def counts(self) -> dict[str, int]:
        return {
            "good": self.good,
            "new": self.new,
            "changed": self.changed,
            "same": self.same,
            "bad": self.bad,
            "twice": self.twice,
        }


def check_list(list_id: int) -> None:
    """Read every row without writing any: what would be new, changed or the same, and every bad row with its
    reasons.
    """
    price_list = _begin(list_id, "checking")
    if price_list is None:
        return
    tally = _Tally()
    kept: list[dict[str, Any]] = []
    known, words = set(store.known_kinds()), Counter[str]()
    for place, (good, bad, twice) in enumerate(_chunks(price_list), start=1):
        new, changed, same = store.compare_listed(price_list.supplier_id, good) if good else (0, 0, 0)
        tally.good, tally.new, tally.changed, tally.same = (
            tally.good + len(good),
            tally.new + new,
            tally.changed + changed,
            tally.same + same,
        )
        tally.bad += len(bad)
        tally.twice += twice
        words.update(listing.kind for listing in good if listing.kind not in known)
        words.update(word for row in bad if (word := row.pop("grade")))
        kept += bad[: MOST_BAD - len(kept)]
        if not _save(price_list, rows_done=min(place * CHUNK, price_list.rows_total)):
            return
    strange = dict(words.most_common(MOST_WORDS))
    checked = {"counts": tally.counts(), "bad": kept, "words": strange, "rows_done": price_list.rows_total}
    _save(price_list, state="checked", tries=0, **checked)


@writing
def _begin(list_id: int, state: str) -> store.ListRow | None:
    """Take a list up: from here on whoever had it before writes nothing more of it. None where there is
    nothing to do, or where it was begun as often as it may be without getting further: then it has failed,
    and says so.
    """
    found = store.lock_list(list_id)
    if found is None or found.state != state:
        return None
    if found.tries >= TRIES:
        store.save_list(list_id, state="failed", says=to_json(fact("pricelists.begun-in-vain", tries=TRIES)))
        return None
    store.save_list(list_id, turn=found.turn + 1, tries=found.tries + 1)
    return replace(found, turn=found.turn + 1)


@writing
def _save(price_list: store.ListRow, **changes: Any) -> bool:
    """Save how far a list is, unless somebody else has taken it up meanwhile: then False, and nothing is
    written.
    """
    now = store.lock_list(price_list.id)
    if now is None or now.turn != price_list.turn:
        return False
    store.save_list(price_list.id, **changes)
    return True


def read_list(list_id: int, now: Callable[[], datetime]) -> None:
    """Write the good rows, a chunk in each transaction together with how far it is; a start in the middle
    goes on there.
    """
    price_list = _begin(list_id, "reading")
    if price_list is None:
        return
    for place, (good, _, _) in enumerate(_chunks(price_list), start=1):
        done = min(place * CHUNK, price_list.rows_total)
        if done > price_list.rows_done and not _write(price_list, good, done, now()):
            return
    _finish(price_list, now())


@writing
def _write(price_list: store.ListRow, good: Sequence[Listing], done: int, at: datetime) -> bool:
    # it got further: what ends its reader next is another thing
    if not _save(price_list, rows_done=done, tries=0):
        return False
    if good:
        audit_store.stamp_person(price_list.person_id)
        store.save_listed(price_list.supplier_id, good, at, USUAL_DAYS)
    return True


@writing
def _finish(price_list: store.ListRow, at: datetime) -> None:
    if _save(price_list, state="read", finished_at=at):
        store.drop_file(price_list.id)


@writing
def fail(list_id: int, why: Say) -> None:
    """A list whose reading broke off for good says so, and why; what was read stays read. One that could not
    even be looked at is of no further use.
    """
    found = store.lock_list(list_id)
    if found and found.state == "sent":
        store.drop_file(list_id)
    store.save_list(list_id, state="failed", says=to_json(why[:300] if isinstance(why, str) else why))


def _chunks(price_list: store.ListRow) -> Iterator[tuple[list[Listing], list[dict[str, Any]], int]]:
    """The rows in chunks: those that can be read, the bad ones with line and reasons, and how many say once
    more what a line before said: a row that is doubled is judged once. A number that stands twice with
    something else beside it is bad the second time.
    """
    read = _file_of(price_list)
    reader = reader_of(read, price_list.mapping, price_list.supplier_id)
    # of each number its line, and what that line said
    seen: dict[str, tuple[int, int]] = {}
    rows = iter(read.rows())
    while chunk := list(itertools.islice(rows, CHUNK)):
        good, bad, twice = [], [], 0
        for line, row in chunk:
            listing, problems = reader.read(row)
            said = hash(tuple(row))
            if listing and seen.get(listing.number, (0, None))[1] == said:
                twice += 1
                continue
            if listing and listing.number in seen:
                problems = [
                    Invalid(
                        "number",
                        listing.number,
                        fact("pricelists.keep-once-stands-line-already", seen=seen[listing.number][0]),
                    )
                ]
                listing = None
            if listing:
                seen[listing.number] = (line, said)
                good.append(listing)
            else:
                bad.append(
                    {
                        "line": line,
                        "row": [cell[:80] for cell in row[:12]],
                        "why": [to_json(problem.said) for problem in problems],
                        "grade": reader.unknown_grade(row),
                    }
                )
        yield good, bad, twice


def reader_of(read: PriceFile, mapping: Mapping[str, str], supplier_id: str) -> RowReader:
    samples = [row for _, row in itertools.islice(read.rows(), SAMPLES)]
    supplier = suppliers_store.load_supplier(supplier_id)
    words = supplier.kind_words if supplier else {}
    return RowReader.of(mapping, read.header, samples, shop().currency, words)


# -- shown --------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class ListPage:
    """A list with its columns as mapped, its first rows as they are and as they are read."""

    found: store.ListRow
    columns: tuple[Column, ...]
    header: tuple[str, ...]
    encoding: str
    delimiter: str
    decimal: str
    first: list[tuple[list[str], Listing | None, list[Invalid]]]
    kinds: list[str]


@reading
def progress(list_id: int, by: Person) -> tuple[str, int, int, int]:
    """How far a list is: its state, rows done, rows in all, and how often its reading was begun."""
    demand(by, Deed.SET_PRICE)
    state = store.load_progress(list_id)
    if state is None:
        raise NotFound("price list", list_id)
    return state


@reading
def list_page(list_id: int, by: Person) -> ListPage:
    demand(by, Deed.SET_PRICE)
    price_list = store.load_list(list_id)
    if price_list is None:
        raise NotFound("price list", list_id)
    if price_list.state == "sent" or not store.load_piece(list_id, 0):
        return ListPage(
            found=price_list,
            columns=COLUMNS,
            header=(),
            encoding="",
            delimiter="",
            decimal="",
            first=[],
            kinds=[],
        )
    read = _file_of(price_list)
    reader = reader_of(read, price_list.mapping, price_list.supplier_id)
    first = [(row, *reader.read(row)) for _, row in itertools.islice(read.rows(), 5)]
    return ListPage(
        found=price_list,
        columns=COLUMNS,
        header=read.header,
        encoding=read.encoding,
        delimiter={"\t": "tab"}.get(read.delimiter, read.delimiter),
        decimal=reader.decimal,
        first=first,
        kinds=store.known_kinds(),
    )


@reading
def write_list(supplier_id: str, by: Person) -> Iterator[str]:
    """A supplier's offers as a price list, with the headings of its last list, or ours; reading it again
    changes nothing.
    """
    demand(by, Deed.SEE_COST)
    supplier = suppliers_store.load_supplier(supplier_id)
    if supplier is None:
        raise NotFound("supplier", supplier_id)
    headings = {column.name: supplier.mapping.get(column.name, "") for column in COLUMNS}
    titles = {
        c.name: c.title
        if not headings[c.name] or headings[c.name].startswith(SAME_FOR_ALL)
        else headings[c.name]
        for c in COLUMNS
    }
    currency = shop().currency
    offers = (_cells(offer, currency) for offer in store.each_offer(supplier_id))
    return write_price_file(list(titles.values()), offers)


def _cells(offer: Mapping[str, Any], currency: str) -> list[str]:
    plain = {
        "price": amount_text(offer["price_minor"], currency),
        "box": " | ".join(offer["box"]),
        "price_breaks": " | ".join(
            f"{pieces}: {amount_text(minor, currency)}" for pieces, minor in offer["price_breaks"]
        ),
    }
    return [
        plain.get(
            column.name,
            _text(offer["attributes"].get(column.name) if column.attribute else offer.get(column.name)),
        )
        for column in COLUMNS
    ]


def _text(value: Value | None) -> str:
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)

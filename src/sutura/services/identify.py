"""What a scan or a typed number stands for: a job, a part, a device that was here before, or a model.

The catalogue's numbers are kept in this process, and read again when its revision says that something changed
(docs/decisions/0007-numbers-in-the-process.md).
"""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact, sentences
from sutura.core.identify import numbers as numbers_rules
from sutura.core.identify.numbers import (
    Candidate,
    Collision,
    Identification,
    KnownModel,
    Numbered,
    NumberIndex,
    index_numbers,
    look_up,
    tell,
)
from sutura.core.identify.reading import Verdict, plain
from sutura.core.identify.scan import LabelPattern, PanelLabel, Scan, Scanned, read_label, read_scan
from sutura.core.people import Deed, may
from sutura.core.values import Person
from sutura.services import catalogue, customers
from sutura.store import catalogue as store
from sutura.store import identify as named_store
from sutura.store import job as job_store
from sutura.store import packs as packs_store
from sutura.store import stock as stock_store
from sutura.store.database import reading

# Longer than any label or GS1-128 code (48 characters); more is a paste by mistake.
MOST_TYPED = 120


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """One thing that was found: what it is, what to say of it, and where it is."""

    what: str
    says: Say
    address: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What was understood, in words. `address` is where to go when there is only one place to go."""

    says: Say
    address: str = ""
    links: tuple[Link, ...] = ()
    notes: tuple[Say, ...] = ()
    identification: Identification | None = None
    # the serial number that was read, to go with the device when it is taken in
    serial: str = ""


# -- the numbers, kept in the process -------------------------------------------------------


@dataclass(slots=True, kw_only=True)
class _Kept:
    revision: str
    index: NumberIndex
    numbers: list[Numbered]
    collisions: list[Collision] | None = None


_LOCK = threading.Lock()
_KEPT: list[_Kept] = []


def _kept() -> _Kept:
    """The catalogue's numbers as they are now; built again only when the catalogue's revision has changed."""
    revision = store.revision()
    for kept in _KEPT:
        if kept.revision == revision:
            return kept
    with _LOCK:
        for kept in _KEPT:
            if kept.revision == revision:
                return kept
        numbers, names, tacs = store.numbers()
        fresh = _Kept(revision=revision, index=index_numbers(numbers, names, tacs), numbers=numbers)
        _KEPT[:] = [fresh]
        return fresh


@reading
def warm_up() -> int:
    """Build the index before the first person types; how many numbers there are."""
    return len(_kept().numbers)


@reading
def collisions() -> list[Collision]:
    """Every pair of numbers in the catalogue that can be mixed up."""
    kept = _kept()
    if kept.collisions is None:
        kept.collisions = numbers_rules.collisions(kept.numbers)
    return kept.collisions


@reading
def identify(text: str) -> Identification:
    """What a number as read stands for; several candidates come with what tells them apart."""
    identification = look_up(text[:MOST_TYPED], _kept().index)
    if identification.verdict is not Verdict.AMBIGUOUS:
        return identification
    return tell(
        identification, catalogue.models([candidate.model.id for candidate in identification.candidates])
    )


# -- the scan field -------------------------------------------------------------------------


# what is found by its name or number: how its kind is said, its address, and who may open it
_KINDS: Mapping[str, tuple[str, str, Deed | None]] = {
    "supplier": ("Supplier", "/suppliers/{id}", Deed.ORDER),
    "part": ("Part", "/shelf/{id}", None),
    "model": ("Model", "/catalogue/{id}", None),
    "order": ("Order", "/orders/{id}", Deed.RECEIVE),
    "paper": ("Invoice", "/papers/{id}", None),
    "job": ("Job", "/jobs/{id}", None),
}


@reading
def find(text: str, by: Person | None = None) -> Found:
    """Where a scan or a typed line leads: to everything that has this name or number, with its kind; what is
    wrong with it is said, and never guessed around (rule identify.scan). Only what `by` may open.
    """
    found = _scanned(text[:MOST_TYPED])
    sure = found.identification and found.identification.verdict is Verdict.SURE
    if found.address or sure or len(text.strip()) < 3:
        return found
    links = [*found.links]
    for link in _named(text[:MOST_TYPED], by):
        if link.address not in {one.address for one in links}:
            links.append(link)
    if len(links) == len(found.links):
        return found
    candidates = found.identification.candidates if found.identification else ()
    if len(links) == 1 and not candidates and not found.notes:
        return replace(found, says=links[0].says, address=links[0].address, links=())
    says = found.says if candidates or found.links else fact("identify.so-many-are-called", count=len(links))
    return replace(found, says=says, links=tuple(links))


def _named(text: str, by: Person | None) -> list[Link]:
    """Everything that is called by a text or has it as its number, with its kind."""
    links = []
    for one in named_store.find_named(text):
        kind, address, needs = _KINDS[one.kind]
        if needs is None or by is None or may(by, needs):
            links.append(Link(what=kind, says=one.name, address=address.format(id=one.id)))
    people = _customers(text) if by is None or may(by, Deed.TAKE_IN) else None
    if people and people.address:
        return [*links, Link(what="Customer", says=people.says, address=people.address)]
    return [*links, *(people.links if people else ())]


def _scanned(text: str) -> Found:
    """What a text is by its form alone."""
    try:
        scan = read_scan(text)
    except Invalid as wrong:
        return Found(says=wrong.said)
    if scan.kind is Scanned.JOB and not _reads_otherwise(text, scan.value):
        return Found(says=fact("identify.job", scan=scan.value), address=f"/jobs/{scan.value}")
    if scan.kind is Scanned.PART:
        return Found(says=fact("identify.part", scan=scan.value), address=f"/shelf/{scan.value}")
    if scan.kind is Scanned.PIECE:
        return Found(says=fact("identify.piece", scan=scan.value), address=f"/pieces/{scan.value}")
    if scan.kind is Scanned.ARTICLE:
        return _article(scan)
    jobs = job_store.find_jobs_by_serial(scan.value)
    if len(jobs) == 1:
        return Found(says=fact("identify.serial-number-job", jobs=jobs[0]), address=f"/jobs/{jobs[0]}")
    if jobs:
        says = fact("identify.device-serial-number-was-here-times", scan=scan.value, count=len(jobs))
        links = tuple(Link(what="Job", says=code, address=f"/jobs/{code}") for code in jobs)
        return Found(says=says, links=links, notes=scan.notes)
    return _imei(scan) if scan.kind is Scanned.IMEI else _number(scan)


def _reads_otherwise(text: str, code: str) -> bool:
    """Whether a text is a job's code only with letters read as digits, and no job has it: O-00022 is an
    order, though its letters could be those of a job.
    """
    return text.strip().upper() != code and not job_store.is_there(code)


def _customers(text: str) -> Found | None:
    """Customers by name, phone or email; nobody is None."""
    people = customers.find_customers(text) if len(text.strip()) > 2 else []
    if len(people) == 1:
        says = fact("identify.customer", name=people[0].name)
        return Found(says=says, address=f"/customers/{people[0].id}")
    links = tuple(
        Link(
            what="Customer",
            says=f"{person.name}, {person.phone or person.email}",
            address=f"/customers/{person.id}",
        )
        for person in people
    )
    return Found(says=fact("identify.customers", count=len(people)), links=links) if people else None


def _article(scan: Scan) -> Found:
    """An article number under bars: the part that carries it. EAN and UPC are the same number."""
    part = stock_store.find_by_gtin(scan.value)
    if part:
        says = fact("identify.article-number", scan=scan.value, part=part[1])
        link = Link(what="Part", says=part[1], address=f"/shelf/{part[0]}")
        return Found(says=says, address="" if scan.notes else link.address, links=(link,), notes=scan.notes)
    jobs = job_store.find_jobs_by_serial(scan.value)
    links = tuple(Link(what="Job", says=code, address=f"/jobs/{code}") for code in jobs)
    says = (
        fact("identify.serial-number-device-was-here", scan=scan.value)
        if jobs
        else fact("identify.valid-article-number-no-part-shelf", scan=scan.value)
    )
    return Found(says=says, links=links, notes=scan.notes)


def _imei(scan: Scan) -> Found:
    """An IMEI of a device that was not here yet: its first eight digits may say which model it is."""
    models = _kept().index.tacs.get(scan.value[:8], ())
    says = fact("identify.valid-imei-device-has-not-been", scan=scan.value)
    if not models:
        return Found(says=fact("identify.catalogue-does-not-know-first-eight", says=says), serial=scan.value)
    why = fact("identify.imei-begins-read-number-from-label", scan=scan.value[:8])
    verdict = Verdict.LIKELY if len(models) == 1 else Verdict.AMBIGUOUS
    names = " or ".join(model.full_name for model in models)
    identification = Identification(
        verdict=verdict,
        says=fact("identify.said", names=names, why=why),
        candidates=tuple(Candidate(model=model, characters=(), why=why) for model in models),
    )
    told = tell(identification, catalogue.models([model.id for model in models]))
    return Found(says=says, identification=told, serial=scan.value)


@reading
def imei_doubt(serial: str, model: KnownModel) -> Say:
    """What is odd when an IMEI begins like another model's: a swapped board, or the wrong model. Empty when
    nothing is.
    """
    digits = serial.replace(" ", "").replace("-", "")
    others = _kept().index.tacs.get(digits[:8], ()) if len(digits) == 15 else ()
    if not others or model.id in {other.id for other in others}:
        return ""
    names = " or ".join(other.full_name for other in others)
    return fact("identify.imei-begins-so-belongs-look-again", names=names)


def _number(scan: Scan) -> Found:
    """A printed part number, a panel label, or a model number; what fits best first, and all of it is
    said.
    """
    identification = identify(scan.value)
    links = _parts_printed(scan.value)
    if links and identification.verdict is Verdict.UNKNOWN:
        return Found(says=fact("identify.printed-part", scan=scan.value), links=links, notes=scan.notes)
    patterns = _label_patterns()
    label = read_label(scan.value, patterns)
    if label and not links and identification.verdict in (Verdict.UNKNOWN, Verdict.LIKELY):
        return _panel_label(label, patterns, scan)
    return Found(says=identification.says, identification=identification, links=links, notes=scan.notes)


def _parts_printed(text: str) -> tuple[Link, ...]:
    """Parts whose printed number is exactly this one."""
    return tuple(
        Link(what="Part", says=name, address=f"/shelf/{barcode}")
        for barcode, name, _ in stock_store.find_by_printed(plain(text))
    )


def _label_patterns() -> list[LabelPattern]:
    return [LabelPattern(**label) for head in packs_store.heads("parts") for label in head.get("labels", ())]


def _panel_label(label: PanelLabel, patterns: Sequence[LabelPattern], scan: Scan) -> Found:
    """A label of a known maker whose exact number no part has: other revisions of the same base are named,
    not promised.
    """
    others = [
        (barcode, name, printed)
        for barcode, name, printed in stock_store.find_by_printed(label.base, begins=True)
        if (read := read_label(printed, patterns)) and read.base == label.base
    ]
    revision = (
        fact("identify.revision", revision=label.revision)
        if label.revision
        else fact("identify.no-revision-printed")
    )
    says: Say = fact(
        "identify.panel-label-base-number",
        maker=label.maker,
        base=label.base,
        revision=revision,
        label=label.says,
    )
    if others:
        says = sentences([says, fact("identify.same-base-another-revision-shelf-compare")])
    links = tuple(
        Link(
            what="Part",
            says=fact("identify.printed", name=name, printed=printed),
            address=f"/shelf/{barcode}",
        )
        for barcode, name, printed in others
    )
    return Found(says=says, links=links, notes=scan.notes)

"""The job: its code, its stages, the one state machine with its guards, and its seam.

No move skips a guard: `check_move` is the only door, and the database holds the same pairs of stages in a
trigger (migrations/0001).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from enum import StrEnum
from functools import lru_cache
from typing import Any

from sutura.core.errors import Invalid, MoveRefused
from sutura.core.facts import Say, fact
from sutura.core.values import COMMON, Rule

# Crockford base 32: no I, L, O, U. Check character: modulo 37 with five extra signs (from memory of the
# published description). A prime modulus catches every single wrong character and every swap of neighbours.
ALPHABET = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
_CHECKS = ALPHABET + "*~$=U"
_SPOKEN = str.maketrans({"O": "0", "I": "1", "L": "1"})
# Numbers whose check sign is not speakable are skipped when codes are given out. When the bodies of four are
# used up, those of five follow: 907,000 jobs, then 29 million more.
BODY_LENGTHS = (4, 5)
# neighbours in number lie far apart in code, so that two tickets of a day are not mixed up; prime to 32
_STRIDE = 48_271


class Stage(StrEnum):
    IDENTIFIED = "identified"
    QUOTED = "quoted"
    PART_IN_HAND = "part_in_hand"
    OPENED = "opened"
    PROVED = "proved"
    CLOSED = "closed"
    HANDED_BACK = "handed_back"
    DECLINED = "declined"
    RETURNED = "returned"


OPEN_STAGES = frozenset(Stage) - {Stage.HANDED_BACK, Stage.RETURNED}
# ways that need no part, by what stands as their kind of part
RESEAT, SERIAL = "reseat", "serial"
NO_PART = frozenset({RESEAT, SERIAL})
# while the bench works on it
WORKED_ON = frozenset({Stage.OPENED, Stage.PROVED})
BEFORE_OPENING = frozenset({Stage.IDENTIFIED, Stage.QUOTED, Stage.PART_IN_HAND})
# what is tested is tested: nothing more is asked of the device
AFTER_TEST = frozenset(Stage) - BEFORE_OPENING - {Stage.OPENED}


class Move(StrEnum):
    """What can be done to a job."""

    QUOTE = "quote"
    TAKE_PART = "take_part"
    GIVE_BACK_PART = "give_back_part"
    REQUOTE = "requote"
    OPEN = "open"
    PASS_PROOF = "pass_proof"
    FAIL_PROOF = "fail_proof"
    CHANGE_PART = "change_part"
    REOPEN = "reopen"
    GIVE_UP = "give_up"
    CLOSE_UNREPAIRED = "close_unrepaired"
    CLOSE = "close"
    HAND_BACK = "hand_back"
    DECLINE = "decline"
    RETURN = "return"


@dataclass(frozen=True, slots=True, kw_only=True)
class JobFacts:
    """Everything the guards look at, loaded under the job's lock."""

    code: str
    stage: Stage
    baseline_complete: bool = False
    consents_complete: bool = False
    price_agreed: bool = False
    part_chosen: bool = False
    part_held: bool = False
    technician: bool = False
    steps_before_proof_done: bool = False
    counts_agree: bool = False
    proof_complete: bool = False
    proof_passed: bool = False
    all_steps_done: bool = False
    # the bench has begun and not yet ended: something is out, unplugged or cut open
    device_open: bool = False
    given_up: bool = False
    accessories_returned: bool = False
    paid: bool = False
    reason_given: bool = False
    # a plate, gun or pad that was switched on for it is not off yet
    heat_on: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Guard:
    id: str
    missing: str
    holds: Callable[[JobFacts], bool]


def _guard(name: str, missing: str, holds: Callable[[JobFacts], bool]) -> Guard:
    return Guard(id=f"job.{name}", missing=missing, holds=holds)


BASELINE = _guard("baseline", "the function list on arrival is not complete", lambda f: f.baseline_complete)
CONSENTS = _guard(
    "consents", "the customer has not agreed to everything needed", lambda f: f.consents_complete
)
CHOSEN = _guard("part-chosen", "no part is chosen in Match", lambda f: f.part_chosen)
PRICE = _guard("price", "no price is agreed", lambda f: f.price_agreed)
HELD = _guard("part-held", "no part is held for this job", lambda f: f.part_held)
TECHNICIAN = _guard("technician", "no technician is assigned", lambda f: f.technician)
STEPS = _guard("steps", "bench steps before the test are still open", lambda f: f.steps_before_proof_done)
TESTED = _guard("tested", "not every function has been tested again", lambda f: f.proof_complete)
PASSED = _guard("passed", "a function failed its test", lambda f: f.proof_passed)
FAILED = _guard("failed", "no function failed its test", lambda f: not f.proof_passed)
ALL_STEPS = _guard("all-steps", "bench steps are still open", lambda f: f.all_steps_done)
COUNTS = _guard("counts", "screws out and in do not agree and no reason is given", lambda f: f.counts_agree)
SHUT = _guard("shut", "the device is still open: close it up first", lambda f: not f.device_open)
OPENED_UP = _guard("opened-up", "the device is not open", lambda f: f.device_open)
GIVEN_UP = _guard("given-up", "nobody gave the repair up", lambda f: f.given_up)
RETURNED = _guard("accessories", "accessories are not handed back", lambda f: f.accessories_returned)
PAID = _guard("paid", "the price is not paid", lambda f: f.paid)
COLD = _guard("cold", "something hot is still switched on for it", lambda f: not f.heat_on)
REASON = _guard("reason", "no reason is written", lambda f: f.reason_given)


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """One allowed move: from a stage to a stage, through these guards."""

    move: Move
    start: Stage
    end: Stage
    guards: tuple[Guard, ...] = ()


WAYS: tuple[Way, ...] = (
    Way(
        move=Move.QUOTE, start=Stage.IDENTIFIED, end=Stage.QUOTED, guards=(BASELINE, CONSENTS, CHOSEN, PRICE)
    ),
    Way(move=Move.REQUOTE, start=Stage.QUOTED, end=Stage.QUOTED, guards=(CHOSEN, PRICE)),
    Way(move=Move.TAKE_PART, start=Stage.QUOTED, end=Stage.PART_IN_HAND, guards=(CHOSEN, PRICE, HELD)),
    Way(move=Move.GIVE_BACK_PART, start=Stage.PART_IN_HAND, end=Stage.QUOTED),
    Way(move=Move.OPEN, start=Stage.PART_IN_HAND, end=Stage.OPENED, guards=(HELD, TECHNICIAN)),
    Way(move=Move.PASS_PROOF, start=Stage.OPENED, end=Stage.PROVED, guards=(STEPS, TESTED, PASSED)),
    Way(move=Move.FAIL_PROOF, start=Stage.OPENED, end=Stage.OPENED, guards=(STEPS, TESTED, FAILED)),
    Way(move=Move.CHANGE_PART, start=Stage.OPENED, end=Stage.QUOTED, guards=(HELD, REASON)),
    Way(move=Move.REOPEN, start=Stage.PROVED, end=Stage.OPENED, guards=(REASON,)),
    Way(move=Move.REOPEN, start=Stage.CLOSED, end=Stage.OPENED, guards=(REASON,)),
    Way(move=Move.GIVE_UP, start=Stage.OPENED, end=Stage.OPENED, guards=(REASON,)),
    Way(move=Move.GIVE_UP, start=Stage.QUOTED, end=Stage.OPENED, guards=(REASON, OPENED_UP)),
    Way(move=Move.GIVE_UP, start=Stage.PART_IN_HAND, end=Stage.OPENED, guards=(REASON, OPENED_UP)),
    Way(
        move=Move.CLOSE_UNREPAIRED,
        start=Stage.OPENED,
        end=Stage.DECLINED,
        guards=(GIVEN_UP, ALL_STEPS, COUNTS, COLD),
    ),
    Way(move=Move.CLOSE, start=Stage.PROVED, end=Stage.CLOSED, guards=(ALL_STEPS, COUNTS, COLD)),
    Way(move=Move.HAND_BACK, start=Stage.CLOSED, end=Stage.HANDED_BACK, guards=(RETURNED, PAID, COLD)),
    Way(move=Move.DECLINE, start=Stage.IDENTIFIED, end=Stage.DECLINED, guards=(REASON,)),
    Way(move=Move.DECLINE, start=Stage.QUOTED, end=Stage.DECLINED, guards=(REASON, SHUT)),
    Way(move=Move.DECLINE, start=Stage.PART_IN_HAND, end=Stage.DECLINED, guards=(REASON, SHUT)),
    Way(move=Move.RETURN, start=Stage.DECLINED, end=Stage.RETURNED, guards=(RETURNED, COLD)),
)


def _moves_behind(guard: Guard) -> str:
    return ", ".join(sorted({way.move.value.replace("_", " ") for way in WAYS if guard in way.guards}))


RULES = tuple(
    Rule(
        id=guard.id,
        capability="job",
        says=f"While {guard.missing}, this is refused: {_moves_behind(guard)}.",
        source=COMMON,
    )
    for guard in dict.fromkeys(guard for way in WAYS for guard in way.guards)
)


def check_move(facts: JobFacts, move: Move) -> Stage:
    """The stage this move leads to; refuses with everything that is missing."""
    check_start(facts.code, facts.stage, move)
    way = next(way for way in WAYS if way.move is move and way.start is facts.stage)
    missing = [guard.missing for guard in way.guards if not guard.holds(facts)]
    if missing:
        raise MoveRefused(facts.code, move, missing)
    return way.end


def check_start(code: str, stage: Stage, move: Move) -> None:
    """Refuse a move from a stage from which there is none."""
    starts = [way.start for way in WAYS if way.move is move]
    if stage not in starts:
        wanted = fact("job.it-is-and-must-be", stage=stage, wanted=tuple(starts))
        raise MoveRefused(code, move, [wanted])


def starts_of(*moves: Move) -> frozenset[Stage]:
    """The stages from which any of these moves can be tried at all."""
    return frozenset(way.start for way in WAYS if way.move in moves)


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrival:
    """How the device came in: what was read, drawn, seen and said. It does not change after the intake, but
    for what is looked at again before it is opened, and for functions that are tested later.
    """

    read_number: str
    identified: str
    serial: str
    channel: str
    complaint: str
    opened_before: bool
    marks: Sequence[Mapping[str, object]]
    look: Mapping[str, str]
    how: Mapping[str, object]
    # what the model said of its functions on that day, and of those that it gained before the test
    functions: Sequence[Mapping[str, Any]]
    received_at: datetime
    received_by: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Original:
    """What was measured on the original, and the items of the old screen that are broken."""

    measured: Mapping[str, str | int | float]
    destroyed: Sequence[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Chosen:
    """The chosen way to repair it: its route, the offer and the other parts of a kit or bridge, and the
    price.

    `route` is the kind of part it needs, empty before one is chosen; `route_minutes` the work by that route
    when everything is in the box, `extra_minutes` what this part adds. Money in minor units of the job's
    currency.
    """

    route: str
    route_minutes: int
    offer_id: int | None
    more_offers: Sequence[int]
    fit: str
    price_minor: int | None
    tax_bps: int | None
    extra_minutes: int
    # which rates of tax the price bears, empty = the one; and the warranty told with it, None = the model's
    taxes: Mapping[str, Any] = field(default_factory=dict)
    warranty_days: int | None = None
    # done before others, at the shop's addition
    rush: bool = False
    # what of the price is for the parts, as it was shown; None = of a shop before 0.16
    part_minor: int | None = None


class Round(StrEnum):
    """What a round of bench work is for; the first is the whole sheet."""

    WHOLE = "whole"
    REWORK = "rework"
    REOPENED = "reopened"
    NEW_PART = "new_part"
    CLOSING_UP = "closing_up"
    FOR_THE_NIGHT = "for_the_night"
    # reseating did not help: nothing is done to it until another part, or its end, is decided
    SUSPECTED = "suspected"


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchWork:
    """Whose work it is, how long it is expected to take, which round of it this is, and how far it is.

    `schools` are the ways chosen for it, and `cure_minutes` the cure where its seal is not the model's own;
    `habits` are its technician's.
    """

    technician_id: int | None
    technician: str
    expected_minutes: int
    attempt: int
    round: Round
    steps_done: int
    steps_total: int
    schools: Mapping[str, str] = field(default_factory=dict)
    cure_minutes: int | None = None
    habits: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Closing:
    """What closing and handing back fixed; `cost_minor` is for those who may see it."""

    cost_minor: int | None
    bench_minutes: int
    finished_at: datetime | None
    warranty_end: date | None
    returned_note: str


# what is saved of a job, part by part
JobPart = Arrival | Original | Chosen | BenchWork | Closing


@dataclass(frozen=True, slots=True, kw_only=True)
class JobRecord:
    """A job as it is kept, in its parts."""

    id: int
    code: str
    stage: Stage
    version: int
    currency: str
    customer_id: int
    customer_name: str
    customer_phone: str
    model_id: str
    # the model's version of now, and that of the sheet it was opened by: None before
    model_version: int
    sheet_version: int | None
    model_name: str
    promise_at: datetime
    promise_reason: str
    arrival: Arrival
    original: Original
    chosen: Chosen
    bench: BenchWork
    closing: Closing


class EventKind(StrEnum):
    """What can happen to a job."""

    RECEIVED = "received"
    LOOKED_AGAIN = "looked_again"
    CUSTOMER_MERGED = "customer_merged"
    PANEL_READ = "panel_read"
    ORIGINAL_MEASURED = "original_measured"
    PART_REPORTED = "part_reported"
    QUOTED = "quoted"
    PRICE = "price"
    PART_HELD = "part_held"
    PART_GIVEN_BACK = "part_given_back"
    ASSIGNED = "assigned"
    OPENED = "opened"
    STEP = "step"
    SEEN = "seen"
    NEW_SHEET = "new_sheet"
    PUT_ON = "put_on"
    SERIAL = "serial"
    NO_PART_NEEDED = "no_part_needed"
    OFFERED = "offered"
    WEIGHED = "weighed"
    ANSWERED = "answered"
    # of shops before 0.12: a quote is told like everything else now
    SENT = "sent"
    DEPOSIT = "deposit"
    MONEY = "money"
    PAPER = "paper"
    CAUSE = "cause"
    TOLD = "told"
    WAY = "way"
    FOR_THE_NIGHT = "for_the_night"
    NIGHT_OVER = "night_over"
    NOTED = "noted"
    PROVED = "proved"
    PROOF_FAILED = "proof_failed"
    TESTED_UNREPAIRED = "tested_unrepaired"
    PART_CHANGED = "part_changed"
    REOPENED = "reopened"
    GIVEN_UP = "given_up"
    CLOSED_UNREPAIRED = "closed_unrepaired"
    PROMISED = "promised"
    CLOSED = "closed"
    DUST = "dust"
    SEALED_LOOK = "sealed_look"
    HANDED_BACK = "handed_back"
    DECLINED = "declined"
    RETURNED = "returned"


@dataclass(frozen=True, slots=True, kw_only=True)
class JobEvent:
    """One thing that happened to a job: who did what when, with its facts. `said` is the sentence that older
    versions kept instead of facts; empty for what happened since.
    """

    at: datetime
    who: str
    kind: EventKind
    facts: Mapping[str, Any]
    said: str = ""


# -- seam -----------------------------------------------------------------------------------

SEAM = ("received", "identified", "quoted", "part in hand", "opened", "proved", "closed", "handed back")
_STITCHED = {
    Stage.IDENTIFIED: 2,
    Stage.QUOTED: 3,
    Stage.PART_IN_HAND: 4,
    Stage.OPENED: 5,
    Stage.PROVED: 6,
    Stage.CLOSED: 7,
    Stage.HANDED_BACK: 8,
    Stage.DECLINED: 2,
    Stage.RETURNED: 2,
}


class Stitch(StrEnum):
    DONE = "done"
    LOOSE = "loose"
    CROSSED = "crossed"
    AHEAD = "ahead"


@dataclass(frozen=True, slots=True, kw_only=True)
class SeamStitch:
    name: str
    state: Stitch
    reason: Say = ""


def check_worked_on(job: JobRecord) -> None:
    """Refuse work at the bench before a device is opened and after it is closed."""
    if job.stage not in WORKED_ON:
        raise MoveRefused(job.code, fact("job.be-worked-on"), [fact("job.it-is", stage=job.stage)])


@lru_cache(maxsize=512)
def seam(stage: Stage, blocked: Say = "") -> tuple[SeamStitch, ...]:
    """The job's progress: done stitches, one loose (open) or crossed (blocked, with its reason), the rest
    ahead.
    """
    done = _STITCHED[stage]
    if stage in (Stage.DECLINED, Stage.RETURNED):
        blocked = fact("job.not-repaired")
    stitches = []
    for index, name in enumerate(SEAM):
        state = Stitch.DONE if index < done else Stitch.AHEAD
        reason: Say = ""
        if index == done:
            state, reason = (Stitch.CROSSED, blocked) if blocked else (Stitch.LOOSE, "")
        stitches.append(SeamStitch(name=name, state=state, reason=reason))
    return tuple(stitches)


# -- code -----------------------------------------------------------------------------------


def check_character(body: str) -> str:
    value = 0
    for character in body:
        value = value * 32 + ALPHABET.index(character)
    return _CHECKS[value % 37]


def code_for(number: int, length: int = BODY_LENGTHS[0]) -> str | None:
    """The job code whose body of some length says a number, such as `K7-4QX`; None for a number whose check
    sign cannot be spoken.

    >>> code_for(635), code_for(36), code_for(635, 5)
    ('00-KV6', None, '00-0KV6')
    """
    body = ""
    for _ in range(length):
        number, digit = divmod(number, 32)
        body = ALPHABET[digit] + body
    if number:
        raise RuntimeError(f"a body of {length} says no such number")
    check = check_character(body)
    return f"{body[:2]}-{body[2:]}{check}" if check in ALPHABET else None


def code_of_job(number: int) -> str | None:
    """The code of the job with a running number; None for one that gets none, so that the next is taken. A
    longer body never begins with a zero: without it the code would be that of another job.

    >>> code_of_job(1), code_of_job(32**4 + 1)
    ('1F-4FQ', '11-F4FK')
    """
    for length in BODY_LENGTHS:
        first = 0 if length == BODY_LENGTHS[0] else 32 ** (length - 1)
        bodies = 32**length - first
        if number < bodies:
            return code_for(first + number * _STRIDE % bodies, length)
        number -= bodies
    raise RuntimeError("job codes are used up: add a length")


def read_code(text: str) -> str:
    """A typed or scanned job code in its one spelling; refuses a wrong check character.

    Small letters, a missing hyphen and O/I/L for 0/1/1 are understood.
    """
    plain = text.strip().upper().replace("-", "").replace(" ", "").translate(_SPOKEN)
    if len(plain) - 1 not in BODY_LENGTHS or any(c not in ALPHABET for c in plain):
        raise Invalid("code", text, fact("job.job-code-has-five-letters-digits"))
    if check_character(plain[:-1]) != plain[-1]:
        raise Invalid("code", text, fact("job.one-character-job-code-wrong-read"))
    return f"{plain[:2]}-{plain[2:]}"

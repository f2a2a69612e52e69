"""Small builders: a plain value or job with only what a test cares about changed."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from hypothesis import settings

from sutura.config import CATALOGUE, SCHEMAS
from sutura.core.bench.heat import AT_THE_CELL
from sutura.core.bench.serials import needs_programmer
from sutura.core.catalogue.model import Model, Phase, Step
from sutura.core.intake.arrival import CONSENTS
from sutura.core.intake.marks import Mark, MarkKind
from sutura.core.job import JobEvent, JobFacts, JobRecord, Round, Stage
from sutura.core.matching.judging import Wanted, may_choose
from sutura.core.matching.numbers import Numbers
from sutura.core.matching.offers import Offer
from sutura.core.matching.wanted import wanted_of
from sutura.core.maths.geometry import Point
from sutura.core.proof.dust import BARE_ROUTES
from sutura.core.proof.sealing import PLACES, Look
from sutura.core.shop import OpenHours
from sutura.core.values import Person, Role
from sutura.formats.pack import read_models
from sutura.services import (
    bench,
    catalogue,
    drafts,
    handover,
    heat,
    intake,
    looks,
    matching,
    orders,
    people,
    planning,
    proof,
    serials,
    stock,
    waits,
)
from sutura.services import shop as shop_service
from sutura.store import handover as handover_store
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.words import history, speech

# fewer random cases where somebody waits for the answer
FEWER = 8 if os.environ.get("SUTURA_FEWER_EXAMPLES") else 1
NOW = datetime(2031, 3, 3, 9, 0, tzinfo=UTC)
PASSWORD = "a long enough one"
# a shop that set no hours
ALWAYS_OPEN = OpenHours(ZoneInfo("Etc/UTC"))
HERON, PLAIN, SLATE = "fennick-heron", "ardale-plain-15", "tarnbeck-slate-11"
READ = {HERON: "FH-2107", PLAIN: "QD4417-B2", SLATE: "TS11-W", "quillon-ember": "QE-08"}


def examples(count: int) -> settings:
    """So many random cases of a law at most; half of them in a run of all tests, a sixteenth in the fast part
    run by itself.
    """
    return settings(max_examples=max(count // (2 * FEWER), 10))


@cache
def models() -> dict[str, Model]:
    """The shipped models, read from their packs."""
    return {model.id: model for model, _ in catalogue.read_packs(CATALOGUE)[0] if model.numbers}


@cache
def written() -> dict[str, Model]:
    """Models whose sheets are written step by step, as packs of format 2 have them."""
    file = Path(__file__).parent / "formats" / "written_sheets.json"
    return {model.id: model for model, _ in read_models(file.read_text("utf-8"), SCHEMAS, file.name)}


@cache
def templates() -> dict[str, Model]:
    """What an unlisted device of each class starts from."""
    return {model.id: model for model, _ in catalogue.read_packs(CATALOGUE)[0] if not model.numbers}


@cache
def offers() -> dict[str, Offer]:
    """The shipped parts as offers, by barcode, one free piece each."""
    found = {}
    for pack in catalogue.read_packs(CATALOGUE)[1]:
        for number, (part, _) in enumerate(pack.parts, start=1):
            first = part.offers[0]
            found[part.barcode] = Offer(
                id=number,
                part_id=number,
                part=part.name,
                printed_number=part.printed_number,
                supplier=pack.suppliers[first.supplier]["name"],
                grade=part.grade,
                guarantee_days=first.guarantee_days,
                returns=first.returns,
                attributes=part.attributes,
                box=part.box,
                price_minor=first.price_minor,
                lead_days=first.lead_days,
                free=1,
            )
    return found


@cache
def numbers() -> Numbers:
    """The shipped printed numbers and how makers print them."""
    packs = catalogue.read_packs(CATALOGUE)[1]
    return Numbers.of(
        [interchange for pack in packs for interchange in pack.interchange],
        [label for pack in packs for label in pack.labels],
    )


def wanted(model_id: str, kind: str = "") -> Wanted:
    return wanted_of(models()[model_id], kind)


def offer(barcode: str, **changes: Any) -> Offer:
    return replace(offers()[barcode], **changes)


def person(role: Role, number: int = 1) -> Person:
    return Person(id=number, name=role.value.title(), role=role)


def facts(stage: Stage, **changes: Any) -> JobFacts:
    return JobFacts(code="00-KV6", stage=stage, **changes)


def impact(x: float = 20, y: float = 30, reach: float = 8) -> Mark:
    return Mark(kind=MarkKind.IMPACT, points=(Point(x=x, y=y),), reach_mm=reach)


def crack(*points: tuple[float, float]) -> Mark:
    return Mark(kind=MarkKind.CRACK, points=tuple(Point(x=x, y=y) for x, y in points))


def all_work(model: Model) -> dict[str, tuple[str, str]]:
    return {function.id: ("works", "") for function in model.functions}


PEOPLE: tuple[tuple[str, str, str, dict[str, Any]], ...] = (
    ("ines", "Ines", "manager", {}),
    ("pell", "Pell", "counter", {}),
    (
        "bram",
        "Bram",
        "technician",
        {"book-opening phones": "0.8", "snap-bezel laptops": "1.0", "four-edge glued tablets": "1.0"},
    ),
    ("lio", "Lio", "technician", {"book-opening phones": "2.0"}),
)


def set_up(now: datetime) -> None:
    """The shop, its people with one password, and the packs."""
    shop_service.set_up_shop("Test Screens", "1 Yard", "Etc/GMT-1", "TAL")
    catalogue.load_packs(CATALOGUE)
    for login, name, role, factors in PEOPLE:
        number = people.create_person(name=name, login=login, role=role, password=PASSWORD, now=now)
        people.save_person(
            number,
            name=name,
            role=role,
            active=True,
            password="",
            factors=factors,
            version=1,
            by=Person(id=number, name=name, role=Role.MANAGER),
            now=now,
        )


@dataclass
class Shop:
    """Drives the services as the shop's people would; the clock moves a minute with each deed."""

    now: datetime = NOW
    people: dict[str, Person] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for found in people_store.people_page():
            self.people[found.login] = Person(id=found.id, name=found.name, role=Role(found.role))

    @property
    def manager(self) -> Person:
        return self.people["ines"]

    @property
    def counter(self) -> Person:
        return self.people["pell"]

    @property
    def bram(self) -> Person:
        return self.people["bram"]

    def tick(self, minutes: float = 1) -> datetime:
        self.now += timedelta(minutes=minutes)
        return self.now

    def receive(self, barcode: str, pieces: int = 1, cost: str = "60.00") -> None:
        stock.receive(barcode, str(pieces), cost, "", self.manager, self.tick())

    def ordered(self, barcode: str, pieces: int) -> int:
        """An order that was sent; its id."""
        order = orders.add_to_order(barcode, str(pieces), self.manager, self.tick())
        orders.send_order(order, self.manager, self.tick())
        return order

    def arrival(self, model_id: str = HERON, **changes: Any) -> intake.Arrival:
        plain = intake.Arrival(
            customer_id=None,
            name="Orla Venn",
            phone="555 0101",
            email="",
            model_id=model_id,
            read_number=READ.get(model_id) or models()[model_id].numbers[0].text,
            serial="",
            channel="drop_off",
            complaint="dropped",
            opened_before=False,
            marks=[impact()],
            functions=all_work(models()[model_id]),
            accessories=[],
            consents=[consent.id for consent in CONSENTS],
            promise_at=None,
            promise_reason="we call when it is ready",
            soonest=True,
            how={"data": "backed_up"},
        )
        return replace(plain, **changes)

    def take_in(self, model_id: str = HERON, **changes: Any) -> str:
        draft = drafts.open_draft(self.counter, self.tick())
        return intake.take_in(draft, self.arrival(model_id, **changes), self.counter, self.tick())

    def choose(self, code: str) -> None:
        best = next(one for one in matching.match_page(code).offers if may_choose(one.judged.fit))
        matching.choose_offer(code, best.judged.offer.id, self.counter, self.tick())

    def quoted(self, model_id: str = HERON, **changes: Any) -> str:
        code = self.take_in(model_id, **changes)
        self.choose(code)
        return code

    def held(self, model_id: str = HERON, **changes: Any) -> str:
        code = self.quoted(model_id, **changes)
        stock.take_part(code, self.counter, self.tick())
        return code

    def opened(self, model_id: str = HERON, **changes: Any) -> str:
        code = self.held(model_id, **changes)
        self.open(code)
        return code

    def open(self, code: str) -> None:
        planning.assign(code, self.bram.id, self.manager, self.tick())
        bench.open_job(code, self.bram, self.tick())

    def step(self, code: str, counted: str | None = None, reason: str = "") -> None:
        page = bench.bench_page(code)
        progress = page.progress
        assert progress.step
        if progress.at_proof and self.job(code).bench.round is Round.CLOSING_UP:
            self.test(code)
            return
        expected = "" if progress.expected is None else str(progress.expected)
        self.hold(code, progress.step)
        bench.do_step(
            code, progress.step.id, expected if counted is None else counted, reason, self.bram, self.tick()
        )

    def hold(self, code: str, step: Step) -> None:
        """What a step asks for besides being done: its timer run, its place warm for its time, its serial."""
        if step.wait_minutes:
            waits.start_timer(code, step.id, self.bram, self.tick())
        if step.heat:
            self.read_heat(code, step)
        self.now += timedelta(minutes=max(step.wait_minutes, step.heat.minutes if step.heat else 0))
        if step.heat:
            self.read_heat(code, step)
        if needs_programmer(step):
            (serials.read_old if step.phase is Phase.PREPARE else serials.write_new)(
                code, self.bram, self.now
            )

    def held_by_now(self, code: str) -> None:
        """What the step to do now asks for, done by this very minute: for pages whose clock is the
        server's.
        """
        step = bench.bench_page(code).progress.step
        if step is None or not (step.heat or step.wait_minutes or needs_programmer(step)):
            return
        needed = max(step.wait_minutes, step.heat.minutes if step.heat else 0)
        self.now = datetime.now(UTC) - timedelta(minutes=needed + 2)
        self.hold(code, step)
        self.now = datetime.now(UTC)

    def read_heat(self, code: str, step: Step, below_c: float = 4) -> None:
        """A reading on black tape, so far below the target."""
        assert step.heat
        edge = AT_THE_CELL if step.heat.where == AT_THE_CELL else ""
        typed = {"temperature": f"{step.heat.target_c - below_c:g}", "surface": "tape", "edge": edge}
        heat.keep_heat(code, step.id, typed, self.bram, self.now)

    def steps_until_proof(self, code: str) -> None:
        while not bench.bench_page(code).progress.at_proof:
            self.step(code)

    def at_proof(self, model_id: str = HERON, **changes: Any) -> str:
        code = self.opened(model_id, **changes)
        self.steps_until_proof(code)
        return code

    def test(self, code: str, wrong: Mapping[str, tuple[str, str]] | None = None) -> Any:
        model = models()[self.job(code).model_id]
        if self.job(code).chosen.route in BARE_ROUTES:
            looks.look_for_dust(code, "", self.bram, self.tick())
        return proof.record_proof(code, {**all_work(model), **(wrong or {})}, self.bram, self.tick())

    def closed(self, model_id: str = HERON, **changes: Any) -> str:
        code = self.at_proof(model_id, **changes)
        self.close(code)
        return code

    def close(self, code: str) -> None:
        """Prove a job whose steps are done, and close it."""
        self.test(code)
        while self.job(code).stage is Stage.PROVED:
            self.step(code)

    def finish(self, code: str) -> None:
        """Everything between the part in hand and handing back."""
        self.open(code)
        self.steps_until_proof(code)
        self.close(code)
        self.look_at_sealed(code)

    def look_at_sealed(self, code: str) -> None:
        """After sealing, and after the cure where there is one: everything works and lies flush."""
        while True:
            job = self.job(code)
            page = looks.look_page(job, models()[job.model_id], self.now)
            if page.due:
                answers = {one.id: ("works", "") for one in page.functions}
                flush = {f"flush.{place}": "yes" for place in PLACES} | {"clamp": "yes"}
                looks.look_at_sealed(code, answers, flush, self.bram, self.tick())
            elif page.sealed_until and page.sealed_until > self.now and Look.AFTER_CURE in page.looks:
                self.now = page.sealed_until
            else:
                return

    def return_unrepaired(self, code: str, refund: str) -> None:
        """Give a declined device back with a part of its deposit; the rest is kept."""
        handover.return_unrepaired(
            code,
            returned=[],
            explanation="nothing came with it",
            refund=refund,
            method="cash",
            kept_because="the part was ordered",
            by=self.counter,
            now=self.tick(),
        )

    def hand_back(self, code: str, **changes: Any) -> None:
        if self.job(code).stage is Stage.CLOSED:
            self.look_at_sealed(code)
        price = self.job(code).chosen.price_minor or 0
        given: dict[str, Any] = {
            "returned": [accessory.id for accessory in handover_store.load_accessories(self.job(code).id)],
            "explanation": "",
            "amount": f"{price // 100}.{price % 100:02d}",
            "method": "card",
            "cards": True,
        }
        now = self.tick()
        handover.hand_back(code, **{**given, **changes}, today=now.date(), by=self.counter, now=now)

    def job(self, code: str) -> JobRecord:
        return job_store.load_job(code)


def said(thing: object) -> str:
    """What core returned, in English."""
    return speech.PLAIN.say(thing)


def told(event: JobEvent) -> str:
    """What happened to a job, in English."""
    return history.tell(event, speech.PLAIN)

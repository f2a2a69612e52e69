"""Fills an empty database with the demo shop, by the services a person would use."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from sutura.core.bench.progress import Progress
from sutura.core.catalogue.model import Model
from sutura.core.catalogue.unlisted import Measured, read_measured
from sutura.core.intake.customers import plain_phone
from sutura.core.intake.marks import Mark, MarkKind
from sutura.core.job import Stage
from sutura.core.matching.judging import may_choose
from sutura.core.maths.geometry import Point
from sutura.core.maths.money import amount_text
from sutura.core.proof.dust import BARE_ROUTES
from sutura.core.proof.sealing import PLACES, Look
from sutura.core.stock.orders import OrderState
from sutura.core.values import Person, Role
from sutura.demo import befalling, hours
from sutura.demo.comebacks import SOUND, come_back
from sutura.demo.holding import do_step
from sutura.demo.money import count_till, set_up
from sutura.demo.shop import (
    ADDRESS,
    CONSUMABLES,
    CURRENCY,
    CUSTOMERS,
    JOBS,
    NAME,
    ORDERS,
    PASSWORD,
    PEOPLE,
    READ,
    RECEIPTS,
    TIMEZONE,
    DemoJob,
)
from sutura.services import (
    bench,
    catalogue,
    consents,
    consumables,
    drafts,
    handover,
    intake,
    looks,
    matching,
    orders,
    people,
    planning,
    promises,
    proof,
    stock,
)
from sutura.services import shop as shop_service
from sutura.store import consumables as consumables_store
from sutura.store import customers as customers_store
from sutura.store import drafts as drafts_store
from sutura.store import handover as handover_store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import orders as orders_store
from sutura.store import people as people_store
from sutura.store import stock as stock_store
from sutura.store.database import connection, rehearsal, writing
from sutura.store.shop import load_shop

SEED = 4_417
FLUSH = {f"flush.{place}": "yes" for place in PLACES} | {"clamp": "yes"}
DAY = 24 * 60
_ORDER = (
    Stage.IDENTIFIED,
    Stage.QUOTED,
    Stage.PART_IN_HAND,
    Stage.OPENED,
    Stage.PROVED,
    Stage.CLOSED,
    Stage.HANDED_BACK,
)


def is_empty() -> bool:
    """True until the demo shop is there; a start that was cut off half-way is finished by the next."""
    return load_shop() is None or job_store.count_jobs() < len(JOBS)


def age_days(now: datetime) -> int:
    """Whole days since the newest demo job came in."""
    return job_store.days_since_newest(now)


def fill(packs: Path, now: datetime, progress: Callable[[int, int], None] = lambda _done, _of: None) -> int:
    """Make the shop; the number of jobs. A half-made one is continued where it stopped.

    Everything lies within opening hours: outside them the shop stands as it was left at its last closing.
    """
    zone = ZoneInfo(TIMEZONE)
    now = hours.before(now.replace(second=0, microsecond=0), zone)
    with connection():
        shop_service.set_up_shop(NAME, ADDRESS, TIMEZONE, CURRENCY)
        catalogue.load_packs(packs)
        staff = _people(now)
        manager = staff["ines"]
        hours.keep_weeks(staff, manager, now)
        set_up(manager, now)
        if not any(part.on_hand or part.held for part in stock_store.shelf_page()):
            _receive(manager, now)
        if not consumables_store.ids():
            _keep_consumables(manager, now)
        customers = _customers(manager, now)
        made = job_store.count_jobs()
        for index, job in enumerate(JOBS[made:], start=made):
            _Story(
                job=job,
                now=now,
                staff=staff,
                customer=customers[job.customer],
                chance=random.Random(SEED + index),
            ).run()
            progress(index + 1, len(JOBS))
        if not orders_store.orders_page(tuple(OrderState), limit=1):
            _orders(manager, now)
        come_back(staff, now)
        if not drafts_store.drafts_page():
            drafts.open_draft(
                staff["pell"],
                now - timedelta(minutes=4),
                {"read_number": ["FH21"], "name": ["Wim Aldous"], "phone": ["555 0140"]},
            )
    return len(JOBS)


def _people(now: datetime) -> dict[str, Person]:
    staff = {}
    for person in PEOPLE:
        known = people_store.load_person_by_login(person.login)
        number = (
            known.id
            if known
            else people.create_person(
                name=person.name,
                login=person.login,
                role=person.role,
                password=PASSWORD,
                now=now - timedelta(days=300),
            )
        )
        staff[person.login] = Person(id=number, name=person.name, role=Role(person.role))
        if known is None and person.factors:
            people.save_person(
                number,
                name=person.name,
                role=person.role,
                active=True,
                password="",
                factors=dict(person.factors),
                version=1,
                by=Person(id=number, name=person.name, role=Role.MANAGER),
                now=now - timedelta(days=299),
            )
    return staff


@writing
def _receive(manager: Person, now: datetime) -> None:
    for barcode, count, cost, days in RECEIPTS:
        _deliver(barcode, count, cost, manager, now - timedelta(days=days))


def _keep_consumables(manager: Person, now: datetime) -> None:
    named = ("name", "used_for", "place", "received", "holds", "price", "lead_days", "supplier")
    for row in CONSUMABLES:
        typed = dict(zip(named, row, strict=True))
        received = typed.pop("received")
        number = consumables.add_consumable(typed, manager)
        consumables.receive(number, received, "first delivery", manager, now - timedelta(days=60))


def _deliver(barcode: str, count: int, cost_minor: int, manager: Person, at: datetime) -> None:
    """A delivery of who sells the part the cheapest."""
    part = stock_store.load_part(barcode)
    offer = orders_store.best_offers([part.id]).get(part.id)
    stock.receive(
        barcode,
        str(count),
        amount_text(cost_minor, CURRENCY),
        "delivery",
        manager,
        at,
        supplier_id=offer.supplier_id if offer else "",
    )


def _orders(manager: Person, now: datetime) -> None:
    """Orders of the last days: one that came with a dead piece, one that is late, one on its way."""
    with rehearsal():
        _ordered(manager, now)


@writing
def _ordered(manager: Person, now: datetime) -> None:
    for made in ORDERS:
        sent = now - timedelta(days=made.sent)
        numbers = {
            orders.add_to_order(barcode, str(pieces), manager, sent) for barcode, pieces in made.lines.items()
        }
        for number in sorted(numbers):
            orders.send_order(number, manager, sent)
            if made.came is None:
                continue
            found = {line.id: made.found[line.barcode] for line in orders_store.load_lines(number)}
            orders.receive_parcel(number, found, manager, now - timedelta(days=made.came))


def _customers(by: Person, now: datetime) -> list[int]:
    numbers = []
    for name, phone, email in CUSTOMERS:
        known = [customer.id for customer in customers_store.find_customers(name) if customer.name == name]
        numbers.append(
            known[0]
            if known
            else customers_store.add_customer(
                name=name,
                phone=phone,
                email=email,
                note="",
                phone_plain=plain_phone(phone),
                saved_by=by.id,
                saved_at=now - timedelta(days=60),
            )
        )
    return numbers


@dataclass
class _Story:
    """One job lived through: a clock of its own that starts at intake and moves with every deed."""

    job: DemoJob
    now: datetime
    staff: Mapping[str, Person]
    customer: int
    chance: random.Random
    code: str = ""
    at: datetime = field(init=False)
    model: Model = field(init=False)
    measured: Measured | None = field(init=False, default=None)
    zone: ZoneInfo = field(init=False)
    # one of the finished ones, rather than of today's
    past: bool = field(init=False)

    def __post_init__(self) -> None:
        self.zone = ZoneInfo(TIMEZONE)
        self.past = self.job.ago > 2 * DAY and self.job.stage in (Stage.HANDED_BACK, Stage.RETURNED)
        if self.past:
            # some hour of that day, early enough to be finished on it
            day = (self.now - timedelta(minutes=self.job.ago)).astimezone(self.zone)
            opening = day.replace(hour=hours.OPENS, minute=0) + timedelta(
                minutes=self.chance.randrange(10, 200)
            )
            self.at = hours.before(opening, self.zone)
        elif self.job.opening:
            self.at = hours.later(self.now, -self.job.ago, self.zone)
        else:
            self.at = hours.before(self.now - timedelta(minutes=self.job.ago), self.zone)
        if self.job.measured:
            self.measured = read_measured(dict(self.job.measured))
            self.model = catalogue.unlisted(self.measured, self.job.read)
        else:
            self.model = catalogue.find_model(self.job.model)

    def run(self) -> None:
        """All of one job in one transaction, so that a cut-off start leaves no half-made job."""
        with rehearsal():
            writing(self._live)()

    def _live(self) -> None:
        self._take_in()
        if self.job.stage in (Stage.DECLINED, Stage.RETURNED) and self.job.befell != "given_up":
            self.pass_time(3)
            handover.decline(self.code, "too dear for its age", self.staff["pell"], self.at)
            if self.job.stage is Stage.RETURNED:
                self.pass_time(20)
                self._return()
            return
        if self.job.befell in ("given_up", "other_part"):
            for prepare in (self._quote, self._take_part, self._open):
                prepare()
            befalling.on_the_bench(self)
            if self.job.befell == "given_up":
                self._go_home_unrepaired()
                return
            if self.job.stage is Stage.QUOTED:
                return
            self._prove()
            self._close()
            self._hand_back()
            return
        deeds: tuple[tuple[Stage, Callable[[], None]], ...] = (
            (Stage.QUOTED, self._quote),
            (Stage.PART_IN_HAND, self._take_part),
            (Stage.OPENED, self._open),
            (Stage.PROVED, self._prove),
            (Stage.CLOSED, self._close),
            (Stage.HANDED_BACK, self._hand_back),
        )
        for stage, deed in deeds:
            if _ORDER.index(stage) <= _ORDER.index(self.job.stage):
                deed()
        if self.job.stage in (Stage.OPENED, Stage.PROVED):
            self._some_steps()
        if after := befalling.AFTER.get(self.job.befell):
            after(self)

    def _return(self) -> None:
        handover.return_unrepaired(
            self.code,
            returned=self._all_accessories(),
            explanation="",
            by=self.staff["pell"],
            now=self.at,
            way_back=self._way_back(),
        )

    def _go_home_unrepaired(self) -> None:
        """An open one stays in the middle of closing up."""
        if self.job.stage is not Stage.RETURNED:
            return
        while job_store.load_job(self.code).stage is Stage.OPENED:
            if bench.bench_page(self.code).progress.at_proof:
                # what still works, before it is closed up
                self._test({})
            else:
                self.step()
        self.pass_time(30)
        self._return()

    def _way_back(self) -> str:
        return f"PB {self.chance.randrange(10**8, 10**9)}" if self.job.channel == "mail" else ""

    def pass_time(self, minutes: float) -> None:
        """Let time pass while the shop is open, never beyond now."""
        self.at = min(hours.later(self.at, minutes, self.zone), self.now)

    def _take_in(self) -> None:
        by = self.staff["pell"]
        draft = drafts.open_draft(by, self.at)
        if self.past:
            promise_at = hours.later(self.at, 9 * 60, self.zone)
        else:
            promise_at = hours.later(self.now, self.job.promise, self.zone)
        soonest = promises.promise(self.model, self.at)
        overnight = self.job.channel == "waiting" and promise_at.date() > self.at.date()
        reason = "the supplier said so on the phone"
        if promise_at < soonest.at:
            reason = "the bench is free right now"
        elif overnight:
            reason = "back here when we open"
        plain = soonest.sure and promise_at >= soonest.at and not overnight
        self.code = intake.take_in(
            draft,
            intake.Arrival(
                customer_id=self.customer,
                name="",
                phone="",
                email="",
                model_id=intake.UNLISTED if self.measured else self.model.id,
                measured=self.measured,
                read_number=self.job.read or READ.get(self.model.id) or self.model.numbers[0].text,
                serial=f"{self.model.id[:2].upper()}{self.chance.randrange(10**7, 10**8)}",
                channel=self.job.channel,
                complaint=self.job.says,
                opened_before=self.job.opened_before,
                marks=self._marks(),
                functions=self._baseline(),
                accessories=self.job.came,
                consents=[consent.id for consent in consents.consents(self.model)],
                promise_at=promise_at,
                promise_reason="" if plain else reason,
                how=self._how(),
                look=self._look(),
            ),
            by,
            self.at,
        )

    def _how(self) -> dict[str, str]:
        """What is said of the data, what is wanted, and of a parcel its number, its condition and the way
        back.
        """
        said = {"data": "backed_up", "upgrade": self.job.wants}
        if self.job.channel != "mail":
            return said
        return {
            **said,
            "parcel_number": f"PA {self.chance.randrange(10**8, 10**9)}",
            "parcel_state": "whole",
            "return_address": "the sender's address on the parcel card, Port Averil",
        }

    def _look(self) -> dict[str, str]:
        if self.job.wants:
            return dict(SOUND)
        return (
            {"battery": "ok", "frame": "straight"} if self.job.sound else {"battery": "flat", "image": "none"}
        )

    def _marks(self) -> list[Mark]:
        if self.job.wants:
            return []
        face = self.model.face
        where = Point(
            x=round(self.chance.uniform(0.15, 0.85) * face.width_mm, 1),
            y=round(self.chance.uniform(0.1, 0.9) * face.height_mm, 1),
        )
        marks = [Mark(kind=MarkKind.IMPACT, points=(where,), reach_mm=round(self.chance.uniform(4, 10), 1))]
        for _ in range(self.chance.randrange(1, 4)):
            to = Point(
                x=self.chance.choice([0.0, face.width_mm]),
                y=round(self.chance.uniform(0.1, 0.9) * face.height_mm, 1),
            )
            middle = Point(
                x=round((where.x + to.x) / 2 + self.chance.uniform(-4, 4), 1),
                y=round((where.y + to.y) / 2 + self.chance.uniform(-4, 4), 1),
            )
            held = Point(x=min(max(middle.x, 0), face.width_mm), y=min(max(middle.y, 0), face.height_mm))
            marks.append(Mark(kind=MarkKind.CRACK, points=(where, held, to)))
        return marks

    def _baseline(self) -> dict[str, tuple[str, str]]:
        if not self.job.sound:
            return {function.id: ("not_testable", "battery flat") for function in self.model.functions}
        answers = {function.id: ("works", "") for function in self.model.functions}
        if "stylus" in answers and not self.job.came:
            answers["stylus"] = ("not_testable", "no stylus with it")
        return answers

    def _quote(self) -> None:
        self.pass_time(6)
        offers = [one for one in matching.match_page(self.code).offers if may_choose(one.judged.fit)]
        # what is to wait for its part waits for one that is not here
        waits = self.job.stage is Stage.QUOTED and self.job.befell == "promised_anew"
        best = next((one for one in offers if (one.ranked.wait_days > 0) is waits), offers[0])
        members = [member.id for member in best.judged.members]
        matching.choose_offer(
            self.code,
            0 if members else best.judged.offer.id,
            self.staff["pell"],
            self.at,
            members=members,
            agreed=True,
            rush=self.job.befell == "rush",
        )
        if waits:
            self.pass_time(30)
            late = hours.later(self.now, 3 * 9 * 60, self.zone)
            typed = f"{late.astimezone(self.zone):%Y-%m-%dT%H:%M}"
            planning.change_promise(
                self.code, typed, "the supplier is late", self.zone, self.staff["pell"], self.at
            )

    def _take_part(self) -> None:
        self.pass_time(2)
        self.receive_what_is_missing()
        stock.take_part(self.code, self.staff["pell"], self.at)
        if self.job.technician or self.past or self.job.befell:
            planning.assign(self.code, self.technician.id, self.staff["ines"], self.at)

    def receive_what_is_missing(self) -> None:
        """What a finished job was repaired with was delivered in time."""
        chosen = job_store.load_job(self.code).chosen
        for offer in offers_store.load_offers([chosen.offer_id or 0, *chosen.more_offers]):
            if offer.free < 1:
                barcode = stock_store.barcodes([offer.part_id])[offer.part_id]
                _deliver(barcode, 1, offer.price_minor, self.staff["ines"], self.at)

    def _open(self) -> None:
        self.pass_time(5)
        bench.open_job(self.code, self.technician, self.at)
        for _ in range(self.job.fails):
            self.steps_until_proof()
            self._test({"touch": ("faulty", "dead strip along the right edge")})

    @property
    def technician(self) -> Person:
        """Whose job it is: as told, or the first who is trained for it."""
        if self.job.technician:
            return self.staff[self.job.technician]
        family = self.model.procedure_family
        return next(
            self.staff[one.login]
            for one in PEOPLE
            if family in dict(one.factors) and one.role == "technician"
        )

    def step(self) -> Progress:
        """The step after the last; where the bench is then."""
        page = bench.bench_page(self.code)
        step = page.progress.step
        if step is None:
            raise RuntimeError(f"{self.code}: no step left")
        self.pass_time(
            max(
                1.0,
                page.job.bench.expected_minutes / len(page.progress.steps) * self.chance.uniform(0.6, 1.3),
            )
        )
        counted = "" if page.progress.expected is None else str(page.progress.expected)
        return do_step(self, step, counted)

    def steps_until_proof(self) -> None:
        at_proof = bench.bench_page(self.code).progress.at_proof
        while not at_proof:
            at_proof = self.step().at_proof

    def _some_steps(self) -> None:
        """Leave an open job in the middle of its sheet; −1 leaves it before its test."""
        if self.job.steps < 0:
            self.steps_until_proof()
        for _ in range(max(self.job.steps, 0)):
            self.step()

    def _test(self, wrong: Mapping[str, tuple[str, str]]) -> None:
        answers = self._baseline()
        if not self.job.sound:
            answers = {function.id: ("works", "") for function in self.model.functions}
        self.pass_time(4)
        if job_store.load_job(self.code).chosen.route in BARE_ROUTES:
            looks.look_for_dust(self.code, "", self.technician, self.at)
        proof.record_proof(self.code, {**answers, **wrong}, self.technician, self.at)

    def _prove(self) -> None:
        self.steps_until_proof()
        self._test({})

    def _close(self) -> None:
        if self.job.befell == "reopened":
            bench.reopen(self.code, "the earpiece crackles", self.technician, self.at)
            self._prove()
        left = bench.bench_page(self.code).progress.step
        while left is not None:
            left = self.step().step

    def _all_accessories(self) -> list[int]:
        return [
            accessory.id for accessory in handover_store.load_accessories(job_store.load_job(self.code).id)
        ]

    def _look_at_sealed(self) -> None:
        """After sealing, and after the cure where there is one."""
        while True:
            job = job_store.load_job(self.code)
            page = looks.look_page(job, self.model, self.at)
            if page.due is None:
                if not page.sealed_until or page.sealed_until <= self.at or Look.AFTER_CURE not in page.looks:
                    return
                before = self.at
                self.pass_time(60)
                if self.at > before:
                    continue
                return
            answers = {one.id: ("works", "") for one in page.functions}
            looks.look_at_sealed(self.code, answers, FLUSH, self.technician, self.at)

    def _hand_back(self) -> None:
        self._look_at_sealed()
        self.pass_time(90)
        count_till(self.staff["pell"], self.at)
        price = job_store.load_job(self.code).chosen.price_minor or 0
        handover.hand_back(
            self.code,
            returned=self._all_accessories(),
            explanation="",
            cards=True,
            amount=amount_text(price, CURRENCY),
            method=self.chance.choice(["card", "cash"]),
            today=self.at.date(),
            by=self.staff["pell"],
            now=self.at,
            old_screen=self.chance.choice(["", "handed_back"]),
            way_back=self._way_back(),
        )

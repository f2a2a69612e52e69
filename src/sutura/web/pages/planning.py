"""Next, Plan and giving a job to a technician."""

from __future__ import annotations

from datetime import datetime, timedelta

from fastapi import Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup

from sutura.core.errors import NotAllowed, NotFound, Refusal
from sutura.core.facts import Fact
from sutura.core.people import Deed
from sutura.core.planning.shifts import SHIFT_FIELDS, typed_of
from sutura.formats.calendars import MOST_BYTES
from sutura.services import calendars, covering, loads, planning, plans, rails, staffing, trials
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.day import Stitches, Thread, draw_day
from sutura.web.drawings.rail import RailStop, draw_rail
from sutura.web.errors import status_of
from sutura.web.limits import guessing
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown, settings_of

addresses = Addresses()


@addresses.get("/", may=Anyone.SIGNED_IN)
def next_page(ask: Ask, mine: str = "", page: int = 1) -> Response:
    now = ask.now.astimezone(ask.zone)
    begins = now.replace(hour=0, minute=0, second=0, microsecond=0)
    coming = planning.next_page(
        ask.now,
        today=(begins, begins + timedelta(days=1)),
        only_for=ask.person.id if mine else None,
        page=page,
    )
    stops = [
        RailStop(code=promise.code, at=promise.at.astimezone(ask.zone), late=promise.late)
        for promise in coming.promises
    ]
    return render(
        ask,
        "planning/next.html",
        room="Next",
        mine=bool(mine),
        coming=coming,
        rail=draw_rail(now, stops),
        seen=plans.seen_word(),
    )


@addresses.get("/plan", may=Anyone.SIGNED_IN)
def plan_page(ask: Ask, day: int = 0) -> Response:
    """The plan of the next days on rails and in words."""
    return _plan(ask, day=day)


@addresses.get("/plan/mine", may=Anyone.SIGNED_IN)
def own_day(ask: Ask) -> Response:
    """One's own list, to print."""
    return _own(ask)


def _own(ask: Asking, token: str = "") -> Response:
    address = f"{str(ask.request.base_url).rstrip('/')}/calendar/{token}" if token else ""
    return render(
        ask,
        "planning/mine.html",
        room="Plan",
        own=calendars.own_day(ask.person.id, ask.person.name, ask.now),
        address=address,
    )


@addresses.post("/plan/mine/link", may=Anyone.SIGNED_IN)
def make_link(ask: Ask, form: Form) -> Response:  # noqa: ARG001 # sent with its key
    """A link to one's own calendar. No deed whose answer is kept: the secret would be kept with it."""
    token = calendars.make_link(ask.person, ask.now)
    return RedirectResponse(f"/plan/mine/link/{token}", status_code=303)


@addresses.get("/plan/mine/link/{token}", may=Anyone.SIGNED_IN)
def link_made(ask: Ask, token: str) -> Response:
    """The link, to be put into a calendar: it is seen only where it was made."""
    return _own(ask, token)


@addresses.get("/calendar/{token}", may=Anyone.PUBLIC)
def calendar(request: Request, token: str) -> Response:
    """Somebody's calendar by its link alone."""
    now = settings_of(request).clock()
    with guessing(request):
        said = calendars.calendar_of(token, now)
    return Response(
        said,
        media_type="text/calendar; charset=utf-8",
        headers={"cache-control": "no-store", "referrer-policy": "no-referrer"},
    )


@addresses.post("/plan/absences", may=Deed.ASSIGN)
def take_absences(ask: Ask, form: Form) -> Response:
    """When somebody is away, from a calendar of theirs; what could not be read is said."""
    try:
        written, wrong = calendars.take_absences(
            form.number("person"), form.file("file", MOST_BYTES + 1), ask.zone, ask.person, ask.now
        )
    except (NotAllowed, NotFound):
        raise
    except Refusal as refusal:
        return _plan(ask, Shown(refusal=refusal, status=status_of(refusal), sent=form))
    return _plan(ask, taken=(written, wrong))


@addresses.get("/plan/what-if", may=Deed.ASSIGN)
def what_if(ask: Ask, tried: str = "") -> Response:
    """Beside today's plan the one of what is tried; nothing is kept."""
    kind, _, what = tried.partition(":")
    try:
        compared = trials.what_if(kind, what, ask.now)
    except (NotAllowed, NotFound):
        raise
    except Refusal as refusal:
        return _plan(ask, Shown(refusal=refusal, status=status_of(refusal)))
    return _plan(ask, compared=compared, tried=tried)


@addresses.get("/plan/try", may=Deed.ASSIGN)
def try_pin(ask: Ask, code: str = "", person: str = "", start: str = "", day: int = 0) -> Response:
    """What would become of the plan if a job were held fast; nothing is kept of it."""
    pin = {"code": code, "person": person, "start": start}
    try:
        compared = trials.if_pinned(code, person, start, ask.zone, ask.now)
    except (NotAllowed, NotFound):
        raise
    except Refusal as refusal:
        return _plan(ask, Shown(refusal=refusal, status=status_of(refusal)), day=day, pin=pin)
    return _plan(ask, compared=compared, pin=pin, day=day)


@addresses.get("/plan/seen", may=Anyone.SIGNED_IN)
def seen(ask: Ask) -> Response:  # noqa: ARG001 # whoever is signed in
    """A word that changes with the plan and with what happens to jobs: a page asks whether it is still
    true.
    """
    return Response(plans.seen_word(), media_type="text/plain", headers={"cache-control": "no-store"})


@addresses.get("/plan/week", may=Anyone.SIGNED_IN)
def week_page(ask: Ask) -> Response:
    """Work against hours, and where training or one more place would pay."""
    return render(ask, "planning/week.html", room="Plan", week=loads.week_page(ask.now))


def _plan(
    ask: Asking,
    shown: Shown = ANEW,
    day: int = 0,
    compared: trials.Compared | None = None,
    pin: dict[str, str] | None = None,
    tried: str = "",
    taken: tuple[int, list[Fact]] | None = None,
) -> Response:
    page = rails.plan_page(ask.now)
    time = page.time
    days = time.days if time else ()
    day = min(max(day, 0), max(len(days) - 1, 0))
    return render(
        ask,
        "planning/plan.html",
        room="Plan",
        shown=shown,
        plan=planning.plan_page(ask.now),
        time=time,
        late=sum(job.late for job in time.jobs) if time else 0,
        unassigned=sum(not job.assigned and bool(job.person) for job in time.jobs) if time else 0,
        dates=[opens.astimezone(ask.zone).date() for opens, _ in days],
        day=day,
        drawn=_drawn(ask, time, *days[day]) if time and days else "",
        away=page.away,
        hands=page.hands,
        ids={one.name: one.person_id for one in page.hands},
        places=page.places,
        version=page.version,
        compared=compared,
        kept_from=(ask.now, ask.now + timedelta(days=trials.LOOK_DAYS)),
        pin=pin,
        weights=page.weights,
        weekdays=ask.speech.weekdays,
        weeks={one.person_id: typed_of(page.weeks.get(one.person_id, ())) for one in page.hands},
        tried=tried,
        taken=taken,
    )


def _again(ask: Asking, shown: Shown = ANEW) -> Response:
    """The plan with what was refused beside it."""
    return _plan(ask, shown)


def _drawn(ask: Asking, time: rails.TimePlan, opens: datetime, closes: datetime) -> Markup:
    """The rails of a day: those of people, then those of stations that hold something."""
    jobs = {job.code: job for job in time.jobs}
    threads = [
        Thread(
            name=rail.name,
            person=rail.person_id,
            stitches=tuple(
                Stitches(
                    code=block.code,
                    start=block.start,
                    end=block.end,
                    hands=block.hands,
                    late=block.code in jobs and jobs[block.code].late,
                    says=_block_says(ask, jobs.get(block.code), block),
                )
                for block in rail.blocks
            ),
            away=rail.away,
            off=rail.off,
            promises=tuple((job.promise, job.code, job.late) for job in time.jobs if job.person == rail.name),
        )
        for rail in (*time.rails, *time.stations)
    ]
    return draw_day(threads, opens, closes, ask.now, ask.zone, "Who does what, hour by hour")


def _block_says(ask: Asking, job: rails.PlannedJob | None, block: rails.Block) -> str:
    """What a block on a rail says: when, and how it stands to its promise."""
    span = f"{block.code}, {ask.speech.moment(block.start)} to {ask.speech.moment(block.end)}"
    if job is None:
        return span
    promised = f"promised {ask.speech.moment(job.promise)}, kept in {job.kept} of 100"
    return f"{span}, {job.model}, {promised}{', late' if job.late else ''}"


@addresses.post("/plan/away", may=Deed.ASSIGN)
@deed(then="/plan#away", again=_again)
def write_absence(ask: Ask, form: Form) -> None:
    typed = {name: form.text(name) for name in ("person", "from_at", "until_at", "why")}
    staffing.write_absence(typed, ask.zone, ask.person, ask.now)


@addresses.post("/plan/back", may=Deed.ASSIGN)
@deed(then="/plan#away", again=_again)
def end_absence(ask: Ask, form: Form) -> None:
    staffing.end_absence(form.number("absence"), ask.person, ask.now)


@addresses.post("/plan/ill/{person_id}", may=Deed.ASSIGN)
@deed(then="/plan/away/{person_id}", again=_again)
def write_ill(ask: Ask, person_id: int, form: Form) -> None:  # noqa: ARG001 # a deed is sent with its key
    covering.write_ill(person_id, ask.person, ask.now)


@addresses.get("/plan/away/{person_id}", may=Deed.ASSIGN)
def away_page(ask: Ask, person_id: int) -> Response:
    """Who takes the jobs of somebody who is away, and what becomes late by it."""
    return _away(ask, person_id)


def _away(ask: Asking, person_id: int, shown: Shown = ANEW) -> Response:
    page = covering.away_page(person_id, ask.now)
    return render(ask, "planning/away.html", room="Plan", shown=shown, away=page)


@addresses.post("/plan/away/{person_id}/give", may=Deed.ASSIGN)
@deed(then="/plan/away/{person_id}", again=_away)
def give_as_proposed(ask: Ask, person_id: int, form: Form) -> None:  # noqa: ARG001 # as above
    covering.give_as_proposed(person_id, ask.person, ask.now)


@addresses.post("/plan/pin", may=Deed.ASSIGN)
@deed(then="/plan#listed", again=_again)
def pin_job(ask: Ask, form: Form) -> None:
    """What the plan says of a job is held fast, or let go."""
    staffing.pin_job(
        form.text("code"), form.text("person"), form.text("start"), ask.zone, ask.person, ask.now
    )


@addresses.post("/plan/assign", may=Deed.ASSIGN)
@deed(then="/plan", again=_again)
def assign_as_planned(ask: Ask, form: Form) -> None:  # noqa: ARG001 # a deed is sent with its key
    """Every job that nobody has goes to whom the plan says."""
    staffing.assign_as_planned(ask.person, ask.now)


@addresses.post("/plan/stations", may=Deed.SET_UP_COUNTER)
@deed(then="/plan#places", again=_again)
def change_stations(ask: Ask, form: Form) -> None:
    typed = {name: form.text(name) for name in plans.places_of({})}
    staffing.change_stations(typed, form.number("version"), ask.person, ask.now)


@addresses.post("/plan/weights", may=Deed.SET_UP_COUNTER)
@deed(then="/plan#weighed", again=_again)
def change_weights(ask: Ask, form: Form) -> None:
    typed = {name: form.text(name) for name in ("waiting", "rush", "move_minutes")}
    staffing.change_weights(typed, form.number("version"), ask.person, ask.now)


@addresses.post("/plan/shifts", may=Deed.ASSIGN)
@deed(then="/plan#weeks", again=_again)
def change_shifts(ask: Ask, form: Form) -> None:
    typed = {name: form.text(name) for name in SHIFT_FIELDS}
    staffing.change_shifts(form.text("person"), typed, ask.person, ask.now)


@addresses.get("/jobs/{code}/assign", may=Deed.ASSIGN)
def assign_page(ask: Ask, code: str) -> Response:
    return _assign(ask, code)


def _assign(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    page = covering.assign_page(code, ask.now)
    return render(ask, "planning/assign.html", room="Plan", shown=shown, page=page, job=page.job)


@addresses.post("/jobs/{code}/assign", may=Deed.ASSIGN)
@deed(then="/jobs/{code}", again=_assign)
def assign(ask: Ask, code: str, form: Form) -> None:
    seen = form.number("seen") if form.text("seen") else None
    planning.assign(code, form.number("technician"), ask.person, ask.now, seen=seen)

"""The Bench: what is open, one job's sheet step by step."""

from __future__ import annotations

from typing import Any

from fastapi.responses import Response
from markupsafe import Markup

from sutura.core.bench.chart import Paper, letters
from sutura.core.bench.heat import EMISSIVITY, Surface, heated_step, not_held
from sutura.core.bench.progress import is_on_the_way_in
from sutura.core.bench.waits import may_let_pass
from sutura.core.facts import Minutes, fact
from sutura.core.intake.opening import opening_plan
from sutura.core.job import WORKED_ON, Stage
from sutura.core.people import Deed, may
from sutura.core.planning.expected import share_left
from sutura.core.stock.consumables import UNIT_OF
from sutura.core.stock.levels import PartFate
from sutura.core.typed import read_id
from sutura.formats.photo import MOST_BYTES
from sutura.services import answers, bench, consents, hands, heat, looks, planning, serials, waits
from sutura.services.marks import marks_of
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.face import draw_face
from sutura.web.drawings.heat import draw_heat
from sutura.web.drawings.plan import draw_plan
from sutura.web.drawings.tray import draw_length, draw_tray
from sutura.web.drawings.where import draw_where
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Sent, Shown

addresses = Addresses()
_ROOM = (Stage.PART_IN_HAND, Stage.OPENED, Stage.PROVED)


@addresses.get("/bench", may=Anyone.SIGNED_IN)
def bench_list(ask: Ask) -> Response:
    return _list(ask)


def _list(ask: Asking, shown: Shown = ANEW) -> Response:
    found = planning.open_lines(ask.now, _ROOM)
    mine = [line for line in found.lines if line.job.technician_id == ask.person.id]
    return render(
        ask,
        "bench/list.html",
        room="Bench",
        shown=shown,
        mine=mine,
        others=[line for line in found.lines if line not in mine],
        unshown=found.unshown,
        timers=found.timers,
        habits=hands.habits_of(ask.person),
    )


@addresses.get("/jobs/{code}/bench", may=Anyone.SIGNED_IN)
def bench_page(ask: Ask, code: str, step: str = "") -> Response:
    return _page(ask, code, chosen=step)


def _page(ask: Asking, code: str, shown: Shown = ANEW, chosen: str = "") -> Response:
    # what was refused stays in view: the step it was sent for
    sent = shown.entered.text("step").split()
    page = bench.bench_page(code, ask.person, chosen or (sent[0] if len(sent) == 1 else ""), ask.now)
    marks = marks_of(page.job)
    on_the_way_in = is_on_the_way_in(page.job.stage, page.progress)
    plan = opening_plan(page.model, marks, consents.cups_mm()) if on_the_way_in else None
    heated, work = _heat(ask, page), page.job.bench
    return render(
        ask,
        "bench/bench.html",
        room="Bench",
        shown=shown,
        page=page,
        job=page.job,
        waits=looks.not_ready(page.job, page.model, ask.now),
        working=page.job.stage in WORKED_ON,
        asked=answers.asked_about(page.job.id, ask.now),
        done_ids={entry.step: entry for entry in page.done if entry.attempt == page.job.bench.attempt},
        face=draw_face(
            page.model.face,
            marks,
            "Marks and depth limits",
            draw_plan(plan, page.model.face, ask.speech) if plan else Markup(""),
            speech=ask.speech,
        ),
        plan=plan,
        fates=list(PartFate),
        **heated,
        serial=page.serial,
        tray=draw_tray(page.model, page.tray, ask.speech),
        now_field=next((field for field in page.tray if field.expected), None),
        where=draw_where(page.model, page.where, ask.speech) if page.where else Markup(""),
        letters=letters(page.model.screws),
        draw_length=draw_length,
        use_unit=UNIT_OF,
        minutes_left=share_left(work.expected_minutes, work.steps_done, work.steps_total),
        # what a step asks for besides being done, and may be let pass with a reason
        asks_why=may_let_pass(page.progress.step, trained=page.alone, manages=may(ask.person, Deed.LET_PASS)),
        over_now=page.wait is not None and page.wait.is_over(ask.now),
        left=page.wait.left(ask.now) if page.wait else 0,
        chosen_other=bool(page.progress.possible and page.progress.step is not page.progress.possible[0]),
    )


def _heat(ask: Asking, page: bench.BenchPage) -> dict[str, Any]:
    """What the heat panel shows; nothing where no heat counts."""
    working = page.job.stage in WORKED_ON
    done = [(entry.step, entry.at) for entry in page.done if entry.attempt == page.job.bench.attempt]
    step = heated_step(page.progress.step, page.progress.steps, done, ask.now) if working else None
    if step is None:
        return {"heat": None, "heat_missing": ""}
    found = heat.heat_page(page.job, page.model, step, ask.now)
    kept = [line for edge in found.edges for line in edge.lines]
    last = max(kept, key=lambda line: line.at, default=None)
    return {
        "heat": found,
        "heat_time": Minutes(round(step.heat.minutes))
        if step.heat and step.heat.minutes >= 1
        else fact("bench.seconds", count=round(60 * step.heat.minutes) if step.heat else 0),
        # what is missing before the step is done; nothing where it only stays warm for the next one
        "heat_missing": not_held(step, {edge.edge: edge.judged for edge in found.edges})
        if step is page.progress.step
        else "",
        "heat_drawn": {edge.edge: draw_heat(edge.readings, edge.judged, ask.speech) for edge in found.edges},
        "surfaces": list(Surface),
        "emits": [(surface, round(100 * share)) for surface, share in EMISSIVITY.items()],
        "last_surface": last.surface if last else Surface.GLASS.value,
        "last_edge": last.edge if last else "",
    }


@addresses.post("/jobs/{code}/bench/way", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench#ways", again=_page)
def choose_way(ask: Ask, code: str, form: Form) -> None:
    """Another of the ways that the model allows, for this job or as a habit."""
    always = form.text("always") != ""
    hands.choose_way(code, form.text("question"), form.text("value"), ask.person, ask.now, always=always)


@addresses.post("/bench/habits", may=Deed.WORK_BENCH)
@deed(then="/bench", again=_list)
def forget_habit(ask: Ask, form: Form) -> None:
    hands.forget_habit(form.text("question"), ask.person)


@addresses.post("/jobs/{code}/bench/note", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench#notes", again=_page)
def keep_note(ask: Ask, code: str, form: Form) -> None:
    """A note or a photo of the step shown."""
    photo = form.file("photo", MOST_BYTES + 1)
    hands.keep_note(code, form.text("step"), form.text("note"), photo, ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/screw", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench?step={done}", again=_page)
def touch_screw(ask: Ask, code: str, form: Form) -> str:
    """One screw, by its place or from a field of the tray."""
    step = form.text("step")
    if form.text("from_field"):
        hands.put_in_from(code, step, form.text("from_field"), ask.person, ask.now)
    else:
        hands.touch_screw(code, step, form.number("screw"), ask.person, ask.now)
    return step


@addresses.post("/jobs/{code}/bench/night", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page)
def close_for_the_night(ask: Ask, code: str) -> None:
    hands.close_for_the_night(code, ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/go-on", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page)
def go_on(ask: Ask, code: str) -> None:
    hands.go_on(code, ask.person, ask.now)


@addresses.get("/jobs/{code}/chart.pdf", may=Anyone.SIGNED_IN)
def screw_chart(ask: Ask, code: str, paper: str = Paper.A4) -> Response:  # noqa: ARG001 - as asked there
    """The screws of a job's device at 1:1, on paper."""
    return Response(bench.screw_chart(code, paper), media_type="application/pdf")


@addresses.post("/jobs/{code}/bench/open", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page)
def open_job(ask: Ask, code: str) -> None:
    bench.open_job(code, ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/other-part", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/match", again=_page)
def change_part(ask: Ask, code: str, form: Form) -> None:
    bench.change_part(code, _fates(form), form.text("why"), ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/reopen", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page)
def reopen(ask: Ask, code: str, form: Form) -> None:
    bench.reopen(code, form.text("why"), ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/give-up", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page)
def give_up(ask: Ask, code: str, form: Form) -> None:
    bench.give_up(code, _fates(form), form.text("why"), ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/new-sheet", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page)
def take_new_sheet(ask: Ask, code: str) -> None:
    bench.take_new_sheet(code, ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/seen", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page)
def acknowledge(ask: Ask, code: str) -> None:
    """Somebody sees to a device whose time is over."""
    waits.acknowledge(code, ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/heat", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench#heat", again=_page, outside=True)
def keep_heat(ask: Ask, code: str, form: Form) -> None:
    typed = {name: form.text(name) for name in ("temperature", "surface", "edge", "from")}
    heat.keep_heat(code, form.text("step"), typed, ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/serial", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench#serial", again=_page, outside=True)
def move_serial(ask: Ask, code: str, form: Form) -> None:
    if form.text("do") == "write":
        serials.write_new(code, ask.person, ask.now)
    else:
        serials.read_old(code, ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/timer", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page)
def start_timer(ask: Ask, code: str, form: Form) -> None:
    """The device is put where it waits."""
    waits.start_timer(code, form.text("step"), ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/heat-on", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench#heat", again=_page, outside=True)
def switch_on(ask: Ask, code: str, form: Form) -> None:
    """What warms a step, for this job."""
    heat.switch_on(code, form.text("step"), ask.person, ask.now)


@addresses.post("/jobs/{code}/bench/heat-off", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/bench", again=_page, outside=True)
def switch_off(ask: Ask, code: str, form: Form) -> None:
    """Everything hot that is on for this job."""
    heat.switch_off(code, ask.person, ask.now, by_hand=form.text("by_hand") != "")


def _fates(form: Sent) -> dict[int, str]:
    """What became of each held part, by its number."""
    return {read_id(part): fate for part, fate in form.entered.group("fate").items()}


@addresses.post("/jobs/{code}/bench/step", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/{done}", again=_page)
def do_step(ask: Ask, code: str, form: Form) -> str:
    """Record the steps shown, or only the first of them; the test comes up by itself when it is time."""
    after = bench.do_steps(
        code,
        form.text("only").split() or form.text("step").split(),
        form.text("as_expected") or form.text("counted"),
        form.text("reason"),
        ask.person,
        ask.now,
        supervisor=form.number("supervisor"),
    )
    return "proof" if after.at_proof else "bench"

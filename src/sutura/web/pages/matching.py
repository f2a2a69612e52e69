"""Match: ranked offers for a job with every attribute's outcome; choosing one, holding the part."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core.errors import Refusal
from sutura.core.job import Move, Stage, starts_of
from sutura.core.matching import may_choose
from sutura.services import matching, planning, stock
from sutura.web.errors import deed
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Entered, Form, Sent

router = APIRouter()
_ROOM = (Stage.IDENTIFIED, Stage.QUOTED)


@router.get("/match")
def match_list(ask: Ask) -> Response:
    lines = planning.open_lines(ask.now, _ROOM)
    return render(ask, "matching/list.html", room="Match", lines=lines)


@router.get("/jobs/{code}/match")
def match_page(ask: Ask, code: str) -> Response:
    return _page(ask, code)


def _page(
    ask: Asking, code: str, refusal: Refusal | None = None, status: int = 200, sent: Sent | None = None
) -> Response:
    page = matching.match_page(code)
    return render(
        ask, "matching/match.html", room="Match", status=status, refusal=refusal, page=page, job=page.job,
        choosable=page.job.stage in starts_of(Move.QUOTE, Move.REQUOTE), may_choose=may_choose, entered=sent.entered() if sent else Entered(),
    )  # fmt: skip


@router.post("/jobs/{code}/match/choose")
def choose(ask: Ask, code: str, form: Form) -> Response:
    return deed(
        ask, form, lambda: matching.choose_offer(code, form.number("offer"), ask.person, ask.now),
        then=f"/jobs/{code}/match", again=lambda refusal, status: _page(ask, code, refusal, status),
    )  # fmt: skip


@router.post("/jobs/{code}/match/take")
def take(ask: Ask, code: str, form: Form) -> Response:
    return deed(
        ask, form, lambda: stock.take_part(code, ask.person, ask.now), then=f"/jobs/{code}",
        again=lambda refusal, status: _page(ask, code, refusal, status),
    )  # fmt: skip


@router.post("/jobs/{code}/match/panel")
def read_panel(ask: Ask, code: str, form: Form) -> Response:
    return deed(
        ask, form,
        lambda: matching.read_panel(code, form.text("edid"), form.file("edid_file"), ask.person, ask.now),
        then=f"/jobs/{code}/match#panel",
        again=lambda refusal, status: _page(ask, code, refusal, status, sent=form),
    )  # fmt: skip

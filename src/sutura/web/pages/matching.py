"""Match: ranked offers for a job or a model with every attribute's outcome, side by side and laid over the
need; choosing, measuring, holding.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fastapi.responses import Response
from markupsafe import Markup

from sutura.core.catalogue.model import Model
from sutura.core.errors import OutOfStock
from sutura.core.facts import Say
from sutura.core.intake.observations import QUESTIONS
from sutura.core.intake.upgrades import upgrade_of
from sutura.core.job import Move, Stage, starts_of
from sutura.core.matching.attributes import MEASURABLE, need_lines
from sutura.core.matching.comparing import Agreement
from sutura.core.matching.judging import Finding, may_choose
from sutura.core.matching.layout import Layout, drawn_findings, layout_of_need, layout_of_offer
from sutura.core.matching.offers import Value
from sutura.core.matching.ranking import WEIGHT_WORDS, weights_kept
from sutura.core.matching.resolution import density_of
from sutura.core.matching.wanted import breakable
from sutura.core.people import Deed, may
from sutura.core.typed import read_id
from sutura.services import identify as identify_service
from sutura.services import known, matching, pieces, planning, quoting, routes, stock
from sutura.services.matching import Matched, Matching, to_agree
from sutura.store import job as job_store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.overlay import draw_overlay, overlay_view
from sutura.web.pages.quoting import ways_shown
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()
# what is asked on the phone, with the answers of the intake's own questions
ASKED_ON = {
    question.id: dict(question.answers) for question in QUESTIONS if question.id in ("glass", "image")
}
_ROOM = (Stage.IDENTIFIED, Stage.QUOTED)
# more than three columns cannot be compared at a glance
MOST_SIDE_BY_SIDE = 3


@addresses.get("/match", may=Anyone.SIGNED_IN)
def match_list(ask: Ask, q: str = "") -> Response:
    waiting = planning.open_lines(ask.now, _ROOM)
    identification = identify_service.identify(q) if q.strip() else None
    return render(
        ask,
        "matching/list.html",
        room="Match",
        lines=waiting.lines,
        unshown=waiting.unshown,
        asked=q.strip(),
        found=identification,
    )


@addresses.get("/match/find", may=Anyone.SIGNED_IN)
def find_model(ask: Ask, q: str = "") -> Response:
    """What a number on the phone may be, while it is typed."""
    identification = identify_service.identify(q) if q.strip() else None
    return render(ask, "matching/found.html", found=identification)


@addresses.get("/match/model/{model_id}", may=Anyone.SIGNED_IN)
def match_model(
    ask: Ask, model_id: str, kind: str = "", over: str = "", glass: str = "", image: str = ""
) -> Response:
    """The answer on the phone: the ways to repair a model by two questions, and every part for it."""
    model, matching_here = matching.match_model(model_id, ask.now, kind)
    said = {name: answer for name, answer in (("glass", glass), ("image", image)) if answer in ASKED_ON[name]}
    ways = routes.routes_of_model(model, ask.now, said)
    return render(
        ask,
        "matching/model.html",
        room="Match",
        model=model,
        job=None,
        here=f"/match/model/{model.id}",
        page=ways,
        asked=ASKED_ON,
        said=said,
        **ways_shown(ways),
        **_shown(ask, model, matching_here, kind, over),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Overlay:
    """One offer laid over the need: the drawing from both sides, and the same as text."""

    of: Matched
    view: str
    front: Markup
    back: Markup
    findings: list[Finding]
    assumed: tuple[Say, ...]
    need_ppi: float | None
    offer_ppi: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One attribute over several offers."""

    title: Say
    needed: Say
    findings: tuple[Finding | None, ...]


def _key(matched: Matched) -> str:
    """What names an offer or a kit on the page, such as `12` or `12+15`."""
    members = matched.judged.members
    return "+".join(str(member.id) for member in members) if members else str(matched.judged.offer.id)


def _shown(ask: Asking, model: Model, matching_here: Matching, kind: str, over: str) -> dict[str, Any]:
    """What both pages of Match show: the offers, one of them laid over the need, some side by side."""
    named = {_key(offer): offer for offer in matching_here.offers}
    compare = ask.request.query_params.getlist("compare")[:MOST_SIDE_BY_SIDE]
    ask_all = ask.request.query_params.get("all") == "yes"
    chosen = named.get(over) or next(iter(matching_here.offers), None)
    listed = matching_here.shown(every=ask_all)
    return {
        "matching": matching_here,
        "listed": listed,
        "hidden": len(matching_here.offers) - len(listed) - len(matching_here.folded),
        "overlay_first": over in named,
        "kind": kind,
        "kinds_to_show": [model.need["kind"], *(route.need["kind"] for route in model.routes)],
        "routes": {route.need["kind"]: route.name for route in model.routes},
        "overlay": _overlay(model, matching_here, chosen) if chosen else None,
        "key_of": _key,
        "side_by_side": _side_by_side([named[key] for key in compare if key in named]),
        "compared": compare,
        "may_choose": may_choose,
        "to_agree_of": to_agree,
        "weights": weights_kept(matching_here.weights),
        "weight_words": WEIGHT_WORDS,
        "measurable": {rule.name: rule for rule in MEASURABLE},
        "need_lines": need_lines(matching_here.wanted.need),
        "unknown_word": Agreement.UNKNOWN,
        "shop_currency": matching_here.currency,
    }


def _overlay(model: Model, matching_here: Matching, matched: Matched) -> Overlay:
    need = layout_of_need(matching_here.wanted.need, model.face)
    offer = layout_of_offer(matched.judged.offer, need)
    differ = {
        finding.attribute: finding.agreement is Agreement.DIFFERS
        for finding in matched.judged.findings
        if finding.agreement in (Agreement.DIFFERS, Agreement.BRIDGED, Agreement.CONSENT)
    }
    return Overlay(
        of=matched,
        view=overlay_view(need, offer),
        front=draw_overlay(need, offer, differ, back=False),
        back=draw_overlay(need, offer, differ, back=True),
        findings=drawn_findings(matched.judged.findings),
        assumed=offer.assumed,
        need_ppi=_density(matching_here.wanted.need.get("resolution"), need),
        offer_ppi=_density(matched.judged.offer.known("resolution"), offer),
    )


def _density(resolution: Value | None, layout: Layout) -> float | None:
    active = (layout.active.width, layout.active.height) if layout.active else None
    return density_of(str(resolution or ""), active)


def _side_by_side(offers: list[Matched]) -> tuple[list[Matched], list[Row]] | None:
    """Two or three offers, attribute by attribute; nothing for fewer."""
    if len(offers) < 2:
        return None
    by_offer = [{finding.attribute: finding for finding in offer.judged.findings} for offer in offers]
    names = list(dict.fromkeys(name for findings in by_offer for name in findings))
    rows = []
    for name in names:
        findings = tuple(of_attribute.get(name) for of_attribute in by_offer)
        first = next(finding for finding in findings if finding)
        rows.append(Row(title=first.title, needed=first.needed, findings=findings))
    return offers, rows


@addresses.get("/jobs/{code}/match", may=Anyone.SIGNED_IN)
def match_page(ask: Ask, code: str, kind: str = "", over: str = "") -> Response:
    return _page(ask, code, kind=kind, over=over)


def _page(ask: Asking, code: str, shown: Shown = ANEW, kind: str = "", over: str = "") -> Response:
    page = matching.match_page(code, ask.now, kind or shown.entered.text("kind"))
    kept = {f"measured.{name}": str(value) for name, value in page.job.original.measured.items()}
    return render(
        ask,
        "matching/match.html",
        room="Match",
        shown=shown,
        page=page,
        job=page.job,
        model=page.model,
        upgrade=upgrade_of(page.model, page.job.arrival.how),
        here=f"/jobs/{code}/match",
        choosable=page.job.stage in starts_of(Move.QUOTE, Move.REQUOTE),
        entered=shown.over(kept),
        items=breakable(page.matching.wanted),
        partless=quoting.partless_for(page.job, page.model, page.matching.rates),
        promised=_promised(code, shown),
        **_shown(ask, page.model, page.matching, kind, over),
    )


def _promised(code: str, shown: Shown) -> list[tuple[str, str]]:
    """The jobs that have what was not to be had, to take it over from."""
    if not (isinstance(shown.refusal, OutOfStock) or shown.entered.text("other")):
        return []
    return [(holding.code, holding.code) for holding in stock.promised_elsewhere(code)]


@addresses.post("/jobs/{code}/match/choose", may=Deed.QUOTE)
@deed(then="/jobs/{code}{done}", again=_page)
def choose(ask: Ask, code: str, form: Form) -> str:
    """Choose an offer, and hold it in the same press where it lies on the shelf."""
    members = [read_id(piece) for piece in form.text("members").split("+") if piece.strip()]
    matching.choose_offer(
        code,
        0 if members else form.number("offer"),
        ask.person,
        ask.now,
        members=members,
        agreed=form.text("agreed") == "yes",
        seen=form.number("seen") if form.text("seen") else None,
    )
    if form.text("hold") != "yes":
        return "/match"
    stock.take_part(code, ask.person, ask.now)
    return _after_holding(ask, code)


def _after_holding(ask: Asking, code: str) -> str:
    """The part lies ready: who does it is next, for those who may say so."""
    nobody = not job_store.load_job(code).bench.technician
    return "/assign" if nobody and may(ask.person, Deed.ASSIGN) else ""


@addresses.post("/jobs/{code}/match/no-part", may=Deed.QUOTE)
@deed(then="/jobs/{code}{done}", again=_page)
def choose_without_part(ask: Ask, code: str, form: Form) -> str:
    """A way that needs no part."""
    quoting.choose_without_part(code, form.text("way"), ask.person, ask.now)
    return _after_holding(ask, code)


@addresses.post("/jobs/{code}/match/take", may=Deed.RESERVE)
@deed(then="/jobs/{code}{done}", again=_page)
def take(ask: Ask, code: str) -> str:
    stock.take_part(code, ask.person, ask.now)
    return _after_holding(ask, code)


@addresses.post("/jobs/{code}/match/take-over", may=Deed.ASSIGN)
@deed(then="/jobs/{code}{done}", again=_page)
def take_over(ask: Ask, code: str, form: Form) -> str:
    stock.take_over(code, form.text("other"), form.text("reason"), ask.person, ask.now)
    return _after_holding(ask, code)


@addresses.post("/jobs/{code}/match/piece", may=Deed.RESERVE)
@deed(then="/jobs/{code}/match", again=_page)
def take_this_piece(ask: Ask, code: str, form: Form) -> None:
    pieces.take_this_piece(code, form.text("label"), ask.person, ask.now)


@addresses.post("/jobs/{code}/match/panel", may=Deed.RESERVE)
@deed(then="/jobs/{code}/match#panel", again=_page)
def read_panel(ask: Ask, code: str, form: Form) -> None:
    matching.read_panel(code, form.text("edid"), form.file("edid_file"), ask.person, ask.now)


@addresses.post("/jobs/{code}/match/original", may=Deed.RESERVE)
@deed(then="/jobs/{code}/match#original", again=_page)
def compare_original(ask: Ask, code: str, form: Form) -> None:
    matching.compare_original(
        code, form.entered.group("measured"), form.texts("destroyed"), ask.person, ask.now
    )


@addresses.post("/jobs/{code}/match/measure", may=Deed.RESERVE)
@deed(then="/jobs/{code}/match", again=_page)
def measure_part(ask: Ask, form: Form) -> None:
    matching.measure_part(form.number("offer"), form.entered.group("part"), ask.person, ask.now)


@addresses.post("/jobs/{code}/match/report", may=Deed.RESERVE)
@deed(then="/jobs/{code}/match", again=_page)
def report_part(ask: Ask, code: str, form: Form) -> None:
    known.report_part(code, form.text("outcome"), form.text("part_says"), ask.person, ask.now)

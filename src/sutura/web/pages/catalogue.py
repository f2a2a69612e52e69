"""The Catalogue: models found, looked at and edited; packs read and written; the list of every rule."""

from __future__ import annotations

from urllib.parse import urlencode

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from sutura.config import SCHEMAS
from sutura.core import rules
from sutura.core.catalogue.cautions import CAUTIONS, CAUTIONS_SOURCE
from sutura.core.errors import ManyInvalid, Refusal
from sutura.core.identify.reading import plain
from sutura.core.matching.attributes import need_lines
from sutura.formats.pack import schema
from sutura.services import catalogue, known
from sutura.services import identify as identify_service
from sutura.services.once import once
from sutura.store import catalogue as store
from sutura.store import packs as packs_store
from sutura.web import schema_form
from sutura.web.drawings.face import draw_face
from sutura.web.errors import deed, status_of
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Form

router = APIRouter()
_MODEL_RULE = schema(SCHEMAS / "models.schema.json")["properties"]["models"]["items"]


@router.get("/catalogue")
def catalogue_list(
    ask: Ask,
    q: str = "",
    maker: str = "",
    device_class: str = "",
    construction: str = "",
    family: str = "",
    state: str = "",
    page: int = 1,
) -> Response:
    wanted = store.ModelSearch(
        text=q[:80],
        maker=maker,
        device_class=device_class,
        construction=construction,
        family=family,
        state=state,
    )
    page = min(max(page, 1), 10_000)
    models, count, choices = catalogue.browse(wanted, plain(q[:80]), page)
    asked = {
        "q": q,
        "maker": maker,
        "device_class": device_class,
        "construction": construction,
        "family": family,
        "state": state,
    }
    asked = {name: value for name, value in asked.items() if value}
    return render(
        ask,
        "catalogue/list.html",
        room="Catalogue",
        models=models,
        count=count,
        wanted=wanted,
        page=page,
        pages=-(-count // store.PAGE),
        choices=choices,
        link=lambda number: "/catalogue?" + urlencode({**asked, "page": number}),
    )


@router.get("/catalogue/mixed")
def mixed_page(ask: Ask) -> Response:
    interchanges, wrong = known.interchanges()
    return render(
        ask,
        "catalogue/mixed.html",
        room="Catalogue",
        collisions=identify_service.collisions(),
        interchanges=interchanges,
        tangles=wrong,
    )


@router.get("/catalogue/rules")
def rules_page(ask: Ask) -> Response:
    by_capability: dict[str, list[object]] = {}
    for rule in rules.ALL:
        by_capability.setdefault(rule.capability, []).append(rule)
    return render(ask, "catalogue/rules.html", room="Catalogue", rules=by_capability)


# -- packs ----------------------------------------------------------------------------------


@router.get("/catalogue/packs")
def packs_page(ask: Ask) -> Response:
    return _packs(ask)


def _packs(ask: Asking, refusal: Refusal | None = None, status: int = 200) -> Response:
    return render(
        ask,
        "catalogue/packs.html",
        room="Catalogue",
        packs=packs_store.packs_page(),
        refusal=refusal,
        status=status,
    )


@router.get("/catalogue/packs/{pack_id}.json")
def export(ask: Ask, pack_id: str) -> Response:  # noqa: ARG001 - only someone signed in may read it
    text = catalogue.export_pack(pack_id)
    return Response(
        text,
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{pack_id}.json"'},
    )


@router.get("/catalogue/schema/{name}.schema.json")
def published_schema(ask: Ask, name: str) -> Response:  # noqa: ARG001 - only someone signed in may read it
    known = {file.name.removesuffix(".schema.json"): file for file in SCHEMAS.glob("*.schema.json")}
    if name not in known:
        return RedirectResponse("/catalogue/packs", status_code=303)
    return Response(known[name].read_bytes(), media_type="application/schema+json")


@router.post("/catalogue/packs/look")
def look_at_pack(ask: Ask, form: Form) -> Response:
    def keep() -> str:
        file = form.file("file", catalogue.MOST_CHARACTERS + 1)
        preview = catalogue.look_at_pack(form.file_name("file"), file, ask.person, ask.now)
        return f"/catalogue/packs/look/{preview}"

    try:
        address = once(form.text("form_key"), ask.person, ask.now, keep)
    except Refusal as refusal:
        return _packs(ask, refusal, status_of(refusal))
    return RedirectResponse(address, status_code=303)


@router.get("/catalogue/packs/look/{look_id}")
def look_page(ask: Ask, look_id: str) -> Response:
    return _look(ask, look_id)


def _look(ask: Asking, look_id: str, refusal: Refusal | None = None, status: int = 200) -> Response:
    look = catalogue.look(look_id, ask.person)
    return render(ask, "catalogue/look.html", room="Catalogue", look=look, refusal=refusal, status=status)


@router.post("/catalogue/packs/look/{look_id}")
def read_pack(ask: Ask, look_id: str, form: Form) -> Response:
    if form.text("act") == "forget":
        catalogue.forget_look(look_id, ask.person)
        return RedirectResponse("/catalogue/packs", status_code=303)
    return deed(
        ask,
        form,
        lambda: catalogue.read_look(look_id, form.text("mark"), ask.person, ask.now),
        then="/catalogue/packs",
        again=lambda refusal, status: _look(ask, look_id, refusal, status),
    )


# -- one model ------------------------------------------------------------------------------


@router.get("/catalogue/{model_id}")
def model_page(ask: Ask, model_id: str) -> Response:
    page = catalogue.model_page(model_id)
    title = f"Face of the {page.model.full_name}, to scale"
    return render(
        ask,
        "catalogue/model.html",
        room="Catalogue",
        need_lines=need_lines(page.model.need),
        page=page,
        model=page.model,
        cautions=CAUTIONS,
        source=CAUTIONS_SOURCE,
        face=draw_face(page.model.face, (), title),
    )


@router.post("/catalogue/{model_id}/state")
def change_state(ask: Ask, model_id: str, form: Form) -> Response:
    change = catalogue.bring_back if form.text("act") == "bring-back" else catalogue.retire
    return deed(
        ask,
        form,
        lambda: change(model_id, ask.person, ask.now),
        then=f"/catalogue/{model_id}",
        again=lambda _refusal, _status: model_page(ask, model_id),
    )


@router.get("/catalogue/{model_id}/edit")
def edit_page(ask: Ask, model_id: str) -> Response:
    row = catalogue.row(model_id)
    return _edit(ask, model_id, dict(row.data), row.version)


def _edit(
    ask: Asking,
    model_id: str,
    raw: dict[str, object],
    version: int,
    refusal: Refusal | None = None,
    status: int = 200,
    look_at: str = "",
) -> Response:
    form = schema_form.draw(raw, _MODEL_RULE)
    return render(
        ask,
        "catalogue/edit.html",
        room="Catalogue",
        status=status,
        refusal=_at_fields(refusal),
        model_id=model_id,
        form=form,
        version=version,
        look_at=look_at,
        open_jobs=store.jobs_of_model(model_id)[1],
        face=_preview(raw),
    )


def _at_fields(refusal: Refusal | None) -> Refusal | None:
    """A problem in one line of a field of lines stands at the field."""
    if not isinstance(refusal, ManyInvalid):
        return refusal
    return catalogue.at_fields(refusal)


def _preview(raw: dict[str, object]) -> object:
    """The face as it is drawn from what is entered, nothing when it cannot be."""
    face = catalogue.face_of(raw)
    return draw_face(face, (), "The face as entered, to scale") if face else ""


@router.post("/catalogue/{model_id}/edit")
def edit(ask: Ask, model_id: str, form: Form) -> Response:
    raw: dict[str, object] = schema_form.read(form.entered(), _MODEL_RULE)
    act, version = form.text("act"), form.number("version")
    if act != "save":
        look_at = schema_form.change_rows(raw, act)
        return _edit(ask, model_id, raw, version, look_at=look_at)

    def again(refusal: Refusal, status: int) -> Response:
        newest = catalogue.row(model_id).version if status == 409 else version
        return _edit(ask, model_id, raw, newest, refusal, status)

    return deed(
        ask,
        form,
        lambda: catalogue.save_model(model_id, raw, version, ask.person, ask.now),
        then=f"/catalogue/{model_id}",
        again=again,
    )

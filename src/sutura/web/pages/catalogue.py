"""The Catalogue: models found, looked at and edited; packs read and written; the list of every rule."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated
from urllib.parse import urlencode

from fastapi import Query
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel

from sutura.config import SCHEMAS
from sutura.core import rules
from sutura.core.catalogue.cautions import CAUTIONS, CAUTIONS_SOURCE
from sutura.core.catalogue.model import Model
from sutura.core.catalogue.unlisted import DEVICE_CLASSES
from sutura.core.errors import ManyInvalid, Refusal, StaleSave
from sutura.core.identify.reading import plain
from sutura.core.matching.attributes import need_lines
from sutura.core.people import Deed, may
from sutura.formats.pack import schema
from sutura.services import catalogue, kin, known
from sutura.services import identify as identify_service
from sutura.store import catalogue as store
from sutura.store import packs as packs_store
from sutura.web import schema_form
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.face import draw_face
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()
_MODEL_RULE = schema(SCHEMAS / "models.schema.json")["properties"]["models"]["items"]
_NEED_RULE = _MODEL_RULE["properties"]["need"]
_NEED_TITLES = {name: rule.get("title", name) for name, rule in _NEED_RULE["properties"].items()}


class Asked(BaseModel):
    """What is asked of the list of models, as it stands in its address."""

    q: str = ""
    maker: str = ""
    device_class: str = ""
    construction: str = ""
    family: str = ""
    state: str = ""
    page: int = 1

    @property
    def search(self) -> store.ModelSearch:
        chosen = self.model_dump(exclude={"q", "page"})
        return store.ModelSearch(text=self.q[:80], **chosen)

    def link(self, page: int) -> str:
        """The address of another page of the same list."""
        return "/catalogue?" + urlencode({**self.model_dump(exclude_defaults=True), "page": page})


@addresses.get("/catalogue", may=Anyone.SIGNED_IN)
def catalogue_list(ask: Ask, asked: Annotated[Asked, Query()]) -> Response:
    page = min(max(asked.page, 1), 10_000)
    models, count, choices = catalogue.browse(asked.search, plain(asked.q[:80]), page)
    return render(
        ask,
        "catalogue/list.html",
        room="Catalogue",
        models=models,
        count=count,
        wanted=asked.search,
        page=page,
        pages=-(-count // store.PAGE),
        choices=choices,
        link=asked.link,
    )


@addresses.get("/catalogue/mixed", may=Anyone.SIGNED_IN)
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


@addresses.get("/catalogue/rules", may=Anyone.SIGNED_IN)
def rules_page(ask: Ask) -> Response:
    by_capability: dict[str, list[object]] = {}
    for rule in rules.ALL:
        by_capability.setdefault(rule.capability, []).append(rule)
    return render(ask, "catalogue/rules.html", room="Catalogue", rules=by_capability)


# -- packs ----------------------------------------------------------------------------------


@addresses.get("/catalogue/packs", may=Anyone.SIGNED_IN)
def packs_page(ask: Ask) -> Response:
    return _packs(ask)


def _packs(ask: Asking, shown: Shown = ANEW) -> Response:
    return render(ask, "catalogue/packs.html", room="Catalogue", packs=packs_store.packs_page(), shown=shown)


@addresses.get("/catalogue/packs/{pack_id}.json", may=Anyone.SIGNED_IN)
def export(ask: Ask, pack_id: str) -> Response:
    text = catalogue.export_pack(pack_id, prices=may(ask.person, Deed.SEE_COST))
    return Response(
        text,
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{pack_id}.json"'},
    )


@addresses.get("/catalogue/schema/{name}.schema.json", may=Anyone.SIGNED_IN)
def published_schema(ask: Ask, name: str) -> Response:  # noqa: ARG001 - only someone signed in may read it
    known = {file.name.removesuffix(".schema.json"): file for file in SCHEMAS.glob("*.schema.json")}
    if name not in known:
        return RedirectResponse("/catalogue/packs", status_code=303)
    return Response(known[name].read_bytes(), media_type="application/schema+json")


@addresses.post("/catalogue/packs/look", may=Deed.READ_PACK)
@deed(then="/catalogue/packs/look/{done}", again=_packs)
def look_at_pack(ask: Ask, form: Form) -> str:
    file = form.file("file", catalogue.MOST_CHARACTERS + 1)
    return catalogue.look_at_pack(form.file_name("file"), file, ask.person, ask.now)


@addresses.get("/catalogue/packs/look/{look_id}", may=Deed.READ_PACK)
def look_page(ask: Ask, look_id: str) -> Response:
    return _look(ask, look_id)


def _look(ask: Asking, look_id: str, shown: Shown = ANEW) -> Response:
    look = catalogue.look(look_id, ask.person)
    return render(ask, "catalogue/look.html", room="Catalogue", look=look, shown=shown)


@addresses.post("/catalogue/packs/look/{look_id}", may=Deed.READ_PACK)
@deed(then="/catalogue/packs", again=_look)
def read_pack(ask: Ask, look_id: str, form: Form) -> None:
    if form.text("act") == "forget":
        catalogue.forget_look(look_id, ask.person)
    else:
        catalogue.read_look(look_id, form.text("mark"), ask.person, ask.now)


# -- one model ------------------------------------------------------------------------------


class Near(BaseModel):
    """What is known of a model that is to be made, as it stands in its address."""

    device_class: str = "phone"
    maker: str = ""
    width_mm: str = ""
    height_mm: str = ""


@addresses.get("/catalogue/new", may=Deed.CHANGE_CATALOGUE)
def new_page(ask: Ask, near: Annotated[Near, Query()]) -> Response:
    """The siblings that a new model may be like, the nearest first."""
    found: tuple[Model, ...] = ()
    refusal = None
    if near.width_mm or near.height_mm:
        try:
            found = kin.near(near.device_class, near.maker[:80], near.width_mm[:20], near.height_mm[:20])
        except ManyInvalid as wrong:
            refusal = wrong
    return render(
        ask,
        "catalogue/new.html",
        room="Catalogue",
        shown=replace(ANEW, refusal=refusal),
        near=near,
        found=found,
        classes=DEVICE_CLASSES,
    )


@addresses.get("/catalogue/{model_id}/like", may=Deed.CHANGE_CATALOGUE)
def like_page(ask: Ask, model_id: str) -> Response:
    return _like(ask, model_id)


def _like(ask: Asking, model_id: str, shown: Shown = ANEW) -> Response:
    page = kin.like_page(model_id)
    title = f"Face of the {page.model.full_name}, to scale"
    # a size that was typed to find the sibling
    told = {
        name: text[:20] for name in ("width_mm", "height_mm") if (text := ask.request.query_params.get(name))
    }
    return render(
        ask,
        "catalogue/like.html",
        told={**page.asked, **told},
        room="Catalogue",
        shown=shown,
        page=page,
        titles=_NEED_TITLES,
        face=draw_face(page.model.face, (), title),
    )


@addresses.post("/catalogue/{model_id}/like", may=Deed.CHANGE_CATALOGUE)
@deed(then="/catalogue/{done}", again=_like)
def make_like(ask: Ask, model_id: str, form: Form) -> str:
    typed = {name: form.text(name) for name in form.entered.fields}
    need = schema_form.read(form.entered, _NEED_RULE, "need")
    return kin.make_like(model_id, typed, need, ask.person, ask.now)


@addresses.get("/catalogue/{model_id}", may=Anyone.SIGNED_IN)
def model_page(ask: Ask, model_id: str) -> Response:
    return _model(ask, model_id)


def _model(ask: Asking, model_id: str, shown: Shown = ANEW) -> Response:
    page = catalogue.model_page(model_id)
    title = f"Face of the {page.model.full_name}, to scale"
    return render(
        ask,
        "catalogue/model.html",
        room="Catalogue",
        shown=shown,
        need_lines=need_lines(page.model.need),
        page=page,
        model=page.model,
        cautions=CAUTIONS,
        source=CAUTIONS_SOURCE,
        face=draw_face(page.model.face, (), title),
    )


@addresses.post("/catalogue/{model_id}/state", may=Deed.CHANGE_CATALOGUE)
@deed(then="/catalogue/{model_id}", again=_model)
def change_state(ask: Ask, model_id: str, form: Form) -> None:
    change = catalogue.bring_back if form.text("act") == "bring-back" else catalogue.retire
    change(model_id, ask.person, ask.now)


@addresses.get("/catalogue/{model_id}/edit", may=Deed.CHANGE_CATALOGUE)
def edit_page(ask: Ask, model_id: str) -> Response:
    return _edit(ask, model_id)


def _edit(ask: Asking, model_id: str, shown: Shown = ANEW) -> Response:
    """The editor with the model as it is kept, or with what was entered and a row more or less."""
    row = catalogue.row(model_id)
    raw, version, look_at = dict(row.data), row.version, ""
    if shown.sent:
        raw = schema_form.read(shown.entered, _MODEL_RULE)
        look_at = schema_form.change_rows(raw, shown.sent.text("act"))
        # who was told that another saved first, saves over the newest
        version = version if isinstance(shown.refusal, StaleSave) else shown.sent.number("version")
    return render(
        ask,
        "catalogue/edit.html",
        room="Catalogue",
        shown=replace(shown, refusal=_at_fields(shown.refusal)),
        model_id=model_id,
        form=schema_form.draw(raw, _MODEL_RULE),
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


@deed(then="/catalogue/{model_id}", again=_edit)
def _save_model(ask: Ask, model_id: str, form: Form) -> None:
    raw = schema_form.read(form.entered, _MODEL_RULE)
    catalogue.save_model(model_id, raw, form.number("version"), ask.person, ask.now)


@addresses.post("/catalogue/{model_id}/edit", may=Deed.CHANGE_CATALOGUE)
def edit(ask: Ask, model_id: str, form: Form) -> Response:
    if form.text("act") == "save":
        return _save_model(ask=ask, model_id=model_id, form=form)
    return _edit(ask, model_id, Shown(sent=form))

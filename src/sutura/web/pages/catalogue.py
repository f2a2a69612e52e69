"""The Catalogue: models with their faces, and the list of every rule."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core import rules
from sutura.core.catalogue import CAUTIONS, CAUTIONS_SOURCE, siblings_of
from sutura.core.identify import collisions
from sutura.services import catalogue
from sutura.web.drawings.face import draw_face
from sutura.web.present import render
from sutura.web.session import Ask

router = APIRouter()


@router.get("/catalogue")
def catalogue_list(ask: Ask) -> Response:
    models = catalogue.all_models()
    return render(ask, "catalogue/list.html", room="Catalogue", models=models, collisions=collisions(models))


@router.get("/catalogue/rules")
def rules_page(ask: Ask) -> Response:
    by_capability: dict[str, list[object]] = {}
    for rule in rules.ALL:
        by_capability.setdefault(rule.capability, []).append(rule)
    return render(ask, "catalogue/rules.html", room="Catalogue", rules=by_capability)


@router.get("/catalogue/{model_id}")
def model_page(ask: Ask, model_id: str) -> Response:
    model = catalogue.find_model(model_id)
    return render(
        ask, "catalogue/model.html", room="Catalogue", siblings=siblings_of(model, catalogue.all_models()), model=model, cautions=CAUTIONS, source=CAUTIONS_SOURCE,
        face=draw_face(model.face, (), f"Face of the {model.full_name}, to scale"),
    )  # fmt: skip

"""New models from their nearest siblings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.config import SCHEMAS
from sutura.core.catalogue import like as rules
from sutura.core.catalogue.model import Model, State
from sutura.core.errors import Invalid, NotFound
from sutura.core.facts import Fact, fact
from sutura.core.people import Deed, demand
from sutura.core.typed import Problems, read_measure
from sutura.core.values import Person
from sutura.formats import pack
from sutura.store import audit as audit_store
from sutura.store import catalogue as store
from sutura.store import packs as packs_store
from sutura.store.database import reading, writing

# models that were made here stand in a pack of their own, so that no file of somebody else's takes them away
OWN_PACK = "own-models"


@dataclass(frozen=True, slots=True, kw_only=True)
class LikePage:
    """A model to make another one like: what is asked, as it likely is, and what goes over unseen."""

    model: Model
    asked: Mapping[str, str]
    taken_over: tuple[Fact, ...]


@reading
def near(device_class: str, maker: str, width: str, height: str) -> tuple[Model, ...]:
    """The models that a new one may be like, the nearest first; its size as typed, in mm."""
    problems = Problems(fact("catalogue.like-form"))
    sizes = {"width_mm": width, "height_mm": height}
    told = {
        name: problems.read(name, text, lambda text: read_measure(text, "mm", 1_000))
        for name, text in sizes.items()
    }
    problems.refuse()
    rows = store.load_class(device_class)
    models = (pack.model_from_json(row.data) for row in rows)
    return rules.nearest(models, device_class, maker, told["width_mm"] or 0, told["height_mm"] or 0)


@reading
def like_page(model_id: str) -> LikePage:
    raw = _raw(store.load_model(model_id), model_id)
    return LikePage(
        model=pack.model_from_json(raw), asked=rules.asked_of(raw), taken_over=rules.taken_over(raw)
    )


def _raw(row: store.ModelRow | None, model_id: str) -> Mapping[str, Any]:
    if row is None or row.state not in (State.LISTED, State.RETIRED):
        raise NotFound("model", model_id)
    return row.data


@writing
def make_like(
    model_id: str, typed: Mapping[str, str], need: Mapping[str, Any], by: Person, now: datetime
) -> str:
    """Keep a new model that is like another, but as it is said (rule catalogue.like); its id. `need` is what
    its screen must be, as a pack has it.
    """
    demand(by, Deed.CHANGE_CATALOGUE)
    store.lock_catalogue()
    raw = _raw(store.load_model(model_id), model_id)
    but = rules.read_but(typed, need)
    if not but.id or store.load_model(but.id):
        raise Invalid("name", but.name, fact("catalogue.like-name-taken"))
    made = rules.like(raw, but)
    model = pack.check_model(made, SCHEMAS, OWN_PACK)
    store.save_model(made, pack=OWN_PACK, state=State.LISTED, steps=len(model.steps), edited_by=by.id, at=now)
    if not packs_store.pack_kind(OWN_PACK):
        packs_store.save_pack(OWN_PACK, "models", {}, now)
    audit_store.add_audit(by.id, now, "model made", {"model": but.id, "like": model_id})
    return but.id

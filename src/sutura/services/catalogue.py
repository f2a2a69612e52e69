"""The catalogue: packs in, models out. A parsed model is kept by its version, so most pages read none."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from sutura.core.catalogue import Model
from sutura.core.errors import Invalid, ManyInvalid, NotFound
from sutura.formats import pack
from sutura.store import catalogue as store
from sutura.store.database import reading, writing


def read_packs(folder: Path) -> tuple[list[tuple[Model, dict[str, object]]], list[pack.PartsPack]]:
    """All packs under a folder, checked; refuses with every error of every file."""
    problems: list[Invalid] = []
    models: list[tuple[Model, dict[str, object]]] = []
    parts: list[pack.PartsPack] = []
    for file in sorted([*folder.glob("models/*.json"), *folder.glob("parts/*.json")]):
        text = file.read_text("utf-8")
        try:
            if file.parent.name == "models":
                models += pack.read_models(text, folder / "schema", file.name)
            else:
                parts.append(pack.read_parts(text, folder / "schema", file.name))
        except ManyInvalid as wrong:
            problems += [Invalid(f"{file.name}: {p.field}", p.refused, p.accepts) for p in wrong.problems]
    ids = [model.id for model, _ in models]
    problems += [
        Invalid("id", i, "give each model an id of its own")
        for i in sorted({i for i in ids if ids.count(i) > 1})
    ]
    if problems:
        raise ManyInvalid(problems, "The catalogue")
    return models, parts


@writing
def load_packs(folder: Path) -> dict[str, int]:
    """Load all packs into the database, or nothing when one is wrong; counts of added, changed and same."""
    models, parts = read_packs(folder)
    counts = {"added": 0, "changed": 0, "same": 0}
    for _, raw in models:
        counts[store.save_model(raw)] += 1
    for one in parts:
        for supplier_id, name in one.suppliers.items():
            store.save_supplier(supplier_id, name)
        for part in one.parts:
            store.save_part(
                {"barcode": part.barcode, "name": part.name, "bin": part.bin, "printed_number": part.printed_number,
                 "grade": part.grade, "attributes": dict(part.attributes), "box": list(part.box)},
                [{"supplier": o.supplier, "number": o.number, "price_minor": o.price_minor, "lead_days": o.lead_days}
                 for o in part.offers],
            )  # fmt: skip
    return counts


@lru_cache(maxsize=512)
def _model(model_id: str, version: int) -> Model:  # noqa: ARG001 - the version is part of the cache key
    found = store.load_model(model_id)
    if found is None:
        raise NotFound("model", model_id)
    return pack.model_from_json(found.data)


def model(model_id: str, version: int) -> Model:
    """A model at a known version, as joined to a job."""
    return _model(model_id, version)


@reading
def find_model(model_id: str) -> Model:
    found = store.load_model(model_id)
    if found is None:
        raise NotFound("model", model_id)
    return _model(found.id, found.version)


@reading
def all_models() -> list[Model]:
    return [_model(model_id, version) for model_id, version in store.model_versions()]

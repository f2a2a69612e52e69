"""Models and their numbers as the database keeps them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import JOIN, SQL, Case, Value, fn

from sutura.core.catalogue.model import NumberKind, NumberPattern, State
from sutura.core.identify.numbers import KnownModel, Numbered
from sutura.core.job import Stage
from sutura.store.database import connected, each, first, reading, row, rows
from sutura.store.expressions import IS_OPEN, like, or_empty
from sutura.store.stock_tables import StockMove
from sutura.store.tables import CatalogueModel as Model
from sutura.store.tables import CatalogueState, Job, ModelNumber, ModelVersion, Person

PAGE = 60
# the kind of a number that is no model number: how an IMEI begins
TAC = "tac"


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelRow:
    """A model's JSON as the database keeps it, with the version that changes when it does."""

    id: str
    version: int
    state: str
    pack: str
    data: Mapping[str, Any]
    edited_by: str
    edited_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelLine:
    """One line of the browse list."""

    id: str
    maker: str
    name: str
    device_class: str
    construction: str
    procedure_family: str
    part_family: str
    state: str
    minutes: int
    numbers: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelSearch:
    """What the browse list is narrowed to; empty = anything."""

    text: str = ""
    maker: str = ""
    device_class: str = ""
    construction: str = ""
    family: str = ""
    state: str = ""


_MODEL = Model.select(
    Model.id,
    Model.version,
    Model.state,
    Model.pack,
    Model.data,
    or_empty(Person.name).alias("edited_by"),
    Model.edited_at,
).join(Person, JOIN.LEFT_OUTER, on=Model.edited_by == Person.id)
# a catalogue of one class; the shop's limit, no source
MOST_OF_A_CLASS = 1_000
_BY_NAME = (Model.maker, Model.name)


@reading
def load_model(model_id: str) -> ModelRow | None:
    return first(ModelRow, _MODEL.where(Model.id == model_id))


def load_version(model_id: str, version: int) -> Mapping[str, Any] | None:
    """What a model said at an earlier version, where a job was opened by it."""
    one = (ModelVersion.model == model_id) & (ModelVersion.version == version)
    found = ModelVersion.select(ModelVersion.data).where(one).tuples().first()
    return found[0] if found else None


def keep_version(model_id: str, version: int) -> None:
    """Keep what a model says at its version of now, if it is still that."""
    still = (Model.id == model_id) & (Model.version == version)
    said = Model.select(Model.id, Model.version, Model.data).where(still)
    into = [ModelVersion.model, ModelVersion.version, ModelVersion.data]
    ModelVersion.insert_from(said, into).on_conflict_ignore().execute()


def lock_model(model_id: str) -> ModelRow | None:
    """A model, locked until the transaction ends."""
    return first(ModelRow, _MODEL.where(Model.id == model_id).for_update(of=Model))


@reading
def load_models(model_ids: Sequence[str]) -> list[ModelRow]:
    return each(ModelRow, _MODEL.where(Model.id.in_(list(model_ids))).order_by(*_BY_NAME))


@reading
def load_class(device_class: str) -> list[ModelRow]:
    """The listed models of a class."""
    listed = (Model.device_class == device_class, Model.state == State.LISTED.value)
    return each(ModelRow, _MODEL.where(*listed).order_by(*_BY_NAME).limit(MOST_OF_A_CLASS))


@reading
def relatives(procedure_family: str, part_family: str, but: str) -> list[ModelRow]:
    """Models that share the steps or the parts, at most a page of them."""
    shares = (Model.procedure_family == procedure_family) | (Model.part_family == part_family)
    shown = Model.state.in_([State.LISTED.value, State.RETIRED.value])
    return each(ModelRow, _MODEL.where(shares, Model.id != but, shown).order_by(*_BY_NAME).limit(12))


_REVISION = CatalogueState.select(CatalogueState.revision).where(CatalogueState.id == 1)


@reading
def revision() -> str:
    """Changes whenever a model does; part of the key of whatever of the catalogue is kept in the process."""
    return f"{'-'.join(map(str, connected()))}-{_REVISION.scalar()}"


def lock_catalogue() -> None:
    """Only one person changes the catalogue at a time."""
    _REVISION.for_update().execute()


# -- what identification needs --------------------------------------------------------------


@reading
def numbers() -> tuple[list[Numbered], list[KnownModel], list[tuple[str, KnownModel]]]:
    """Every number pattern, every name and every IMEI beginning of the catalogue, narrow."""
    named = Model.select(
        Model.id, Model.maker, Model.name, Model.device_class, Model.construction, Model.state
    )
    models = {
        model_id: KnownModel(
            id=model_id,
            full_name=f"{maker} {name}",
            device_class=device_class,
            construction=construction,
            state=State(state),
        )
        for model_id, maker, name, device_class, construction, state in rows(
            named.where(Model.state != State.TEMPLATE.value)
        )
    }
    patterns: list[Numbered] = []
    tacs: list[tuple[str, KnownModel]] = []
    printed = ModelNumber.select(ModelNumber.model, ModelNumber.kind, ModelNumber.text, ModelNumber.rest)
    for model_id, kind, text, rest in rows(printed.order_by(ModelNumber.model, ModelNumber.id)):
        if model_id not in models:
            continue
        if kind == TAC:
            tacs.append((text, models[model_id]))
        else:
            pattern = NumberPattern(kind=NumberKind(kind), text=text, rest=rest)
            patterns.append(Numbered(model=models[model_id], pattern=pattern))
    return patterns, list(models.values()), tacs


# -- browsing -------------------------------------------------------------------------------


def _narrowed(wanted: ModelSearch, plain: str) -> list[Any]:
    """The conditions of the browse list."""
    conditions = [Model.state == (wanted.state or State.LISTED.value)]
    if text := wanted.text.strip():
        named = fn.STRPOS(fn.LOWER(Model.maker.concat(" ").concat(Model.name)), text.lower()) > 0
        if plain:
            numbered = ModelNumber.select(ModelNumber.model).where(like(ModelNumber.plain, f"{plain}%"))
            named |= Model.id.in_(numbered)
        conditions.append(named)
    for field, value in (
        (Model.maker, wanted.maker),
        (Model.device_class, wanted.device_class),
        (Model.construction, wanted.construction),
    ):
        if value:
            conditions.append(field == value)
    if wanted.family:
        conditions.append((Model.procedure_family == wanted.family) | (Model.part_family == wanted.family))
    return conditions


# a beginning of a number is shown with an ellipsis
_ELLIPSIS = Case(ModelNumber.kind, [(NumberKind.PREFIX.value, "…")], "")
_NUMBERS = fn.ARRAY(
    ModelNumber.select(ModelNumber.text.concat(_ELLIPSIS))
    .where(ModelNumber.model == Model.id, ModelNumber.kind != TAC)
    .order_by(ModelNumber.id)
)


@reading
def models_page(wanted: ModelSearch, plain: str, page: int) -> tuple[list[ModelLine], int]:
    """A page of the browse list and how many models there are in all. `plain` is the text as a label is
    read.
    """
    conditions = _narrowed(wanted, plain)
    lines = Model.select(
        Model.id,
        Model.maker,
        Model.name,
        Model.device_class,
        Model.construction,
        Model.procedure_family,
        Model.part_family,
        Model.state,
        Model.minutes,
        _NUMBERS.alias("numbers"),
    ).where(*conditions)
    shown = lines.order_by(*_BY_NAME, Model.id).paginate(page, PAGE)
    return each(_model_line, shown), int(Model.select().where(*conditions).count())


def _model_line(numbers: Sequence[str], **columns: Any) -> ModelLine:
    return ModelLine(numbers=tuple(numbers), **columns)


_CHOICES = (Model.maker, Model.device_class, Model.construction, Model.procedure_family, Model.part_family)


@reading
def choices() -> dict[str, list[str]]:
    """What the browse list can be narrowed to."""
    narrowing: dict[str, list[str]] = {field.name: [] for field in _CHOICES}
    first_field, *others = (
        Model.select(Value(field.name).alias("what"), field)
        .where(Model.state != State.TEMPLATE.value)
        .distinct()
        .order_by(SQL("2"))
        .limit(200)
        for field in _CHOICES
    )
    query: Any = first_field
    for other in others:
        query = query.union_all(other)
    for name, value in rows(query):
        narrowing[name].append(value)
    return narrowing


# -- what a model was used for --------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelsJob:
    """One job done on a model, as its page lists it."""

    code: str
    stage: str
    received_at: datetime


@reading
def jobs_of_model(model_id: str) -> tuple[int, int, list[ModelsJob]]:
    """How many jobs were done on a model, how many are open, and the last ten."""
    every = fn.COUNT(SQL("*"))
    total, still_open = row(Job.select(every, every.filter(IS_OPEN)).where(Job.model == model_id))
    last = Job.select(Job.code, Job.stage, Job.received_at).where(Job.model == model_id)
    return total, still_open, each(ModelsJob, last.order_by(Job.id.desc()).limit(10))


@reading
def fitted_parts(model_id: str) -> dict[int, int]:
    """Parts that were fitted to a model and proved, with how often."""
    proved = Job.stage.in_([Stage.PROVED.value, Stage.CLOSED.value, Stage.HANDED_BACK.value])
    fitted = StockMove.select(StockMove.part, fn.COUNT(SQL("*"))).join(Job)
    of_model = fitted.where(StockMove.kind == "fitted", Job.model == model_id, proved)
    return dict(rows(of_model.group_by(StockMove.part)))


# -- writing --------------------------------------------------------------------------------

_NEXT_REVISION = fn.NEXTVAL("catalogue_revision")
# a sheet that changes length changes the length of these jobs; what is opened keeps its own
_NOT_OPENED = (Job.attempt == 1) & Job.stage.in_(
    [stage.value for stage in (Stage.IDENTIFIED, Stage.QUOTED, Stage.PART_IN_HAND)]
)


def save_model(
    raw: Mapping[str, Any],
    *,
    pack: str,
    state: State,
    steps: int,
    edited_by: int | None = None,
    at: datetime | None = None,
) -> None:
    """Add or change one model. Its numbers follow by trigger; jobs that are not opened yet follow its sheet's
    length.
    """
    named = (
        "id",
        "maker",
        "name",
        "device_class",
        "construction",
        "procedure_family",
        "part_family",
        "minutes",
        "cure_minutes",
    )
    values = {name: raw[name] for name in named} | {
        "data": dict(raw),
        "pack": pack,
        "state": state.value,
        "edited_by": edited_by,
        "edited_at": at,
        "version": _NEXT_REVISION,
    }
    fresh = [getattr(Model, name) for name in values if name != "id"]
    Model.insert(**values).on_conflict(conflict_target=[Model.id], preserve=fresh).execute()
    Job.update(steps_total=steps).where(
        Job.model == raw["id"], Job.steps_total != steps, _NOT_OPENED
    ).execute()


def retire_model(model_id: str) -> None:
    Model.update(state=State.RETIRED.value, version=_NEXT_REVISION).where(Model.id == model_id).execute()


def remove_model(model_id: str) -> None:
    Model.delete().where(Model.id == model_id).execute()

"""The catalogue: packs in and out, models edited, unlisted devices. A parsed model is kept by its version."""

from __future__ import annotations

import re
import secrets
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from sutura.config import SCHEMAS
from sutura.core.catalogue.kin import Sibling, siblings_of
from sutura.core.catalogue.model import EDGES, Face, Model, State
from sutura.core.catalogue.packs import Arriving, Change, ImportPlan, differing_places, plan_import
from sutura.core.catalogue.problems import problems_of
from sutura.core.catalogue.unlisted import Measured, check_measured, unlisted_model
from sutura.core.errors import Invalid, ManyInvalid, NotFound, StaleSave
from sutura.core.facts import fact
from sutura.core.identify.scan import LabelPattern
from sutura.core.matching.judging import Judged, judge, may_choose
from sutura.core.matching.numbers import Interchange
from sutura.core.matching.wanted import Correction, corrections, wanted_of
from sutura.core.people import Deed, demand
from sutura.core.typed import Problems, read_amount, refuse
from sutura.core.values import Person
from sutura.formats import pack
from sutura.services import known as known_service
from sutura.services.shop import shop
from sutura.store import audit as audit_store
from sutura.store import catalogue as store
from sutura.store import database
from sutura.store import matching as matching_store
from sutura.store import packs as packs_store
from sutura.store import stock as stock_store
from sutura.store.database import reading, writing

# About seven hundred models: more is read from the shell, where no browser waits. The shop's limit, no
# source.
MOST_CHARACTERS = 7_500_000


def read_packs(folder: Path) -> tuple[list[tuple[Model, dict[str, Any]]], list[pack.PartsPack]]:
    """All packs under a folder, checked; refuses with every error of every file."""
    packs = _read_files(folder)
    models = [
        known_model for _, read in packs if isinstance(read, pack.ModelsPack) for known_model in read.models
    ]
    return models, [read for _, read in packs if isinstance(read, pack.PartsPack)]


def _read_files(folder: Path) -> list[tuple[str, pack.ModelsPack | pack.PartsPack]]:
    problems: list[Invalid] = []
    packs: list[tuple[str, pack.ModelsPack | pack.PartsPack]] = []
    for file in sorted([*folder.glob("models/*.json"), *folder.glob("parts/*.json")]):
        try:
            packs.append((file.name, pack.read_pack(file.read_text("utf-8"), folder / "schema", file.name)))
        except ManyInvalid as wrong:
            problems += [Invalid(f"{file.name}: {p.field}", p.refused, p.accepts) for p in wrong.problems]
    ids = [model.id for _, read in packs if isinstance(read, pack.ModelsPack) for model, _ in read.models]
    problems += [
        Invalid("id", i, fact("catalogue.give-each-model-id-own"))
        for i in sorted({i for i in ids if ids.count(i) > 1})
    ]
    refuse(problems, "The catalogue")
    return packs


@writing
def load_packs(folder: Path) -> dict[str, int]:
    """Load all packs into the database, or nothing when one is wrong; counts of what was done to the models.

    What was edited here and prices that a manager changed stay: only reading a pack by hand, after a look at
    what it
    would do, takes its version over ours.
    """
    counts = dict.fromkeys(Change, 0)
    for _, read in _read_files(folder):
        plan, problems = _plan(read)
        refuse(problems, fact("catalogue.pack", pack=plan.pack))
        _apply(read, plan, None, keep_ours=True)
        if isinstance(read, pack.ModelsPack):
            for planned in plan.planned:
                counts[planned.change] += 1
    return {change.value: count for change, count in counts.items() if count}


# -- models, kept as parsed -----------------------------------------------------------------


@lru_cache(maxsize=2048)
def _model(model_id: str, version: int, connected: int) -> Model:  # noqa: ARG001 - part of the cache key
    now = store.load_model(model_id)
    if now is None:
        raise NotFound("model", model_id)
    said = now.data if now.version == version else store.load_version(model_id, version)
    if said is None:
        raise _NotKeptError(now.version)
    return pack.model_from_json(said)


class _NotKeptError(LookupError):
    """Nobody kept what a model said at a version; which it is now."""

    def __init__(self, now: int) -> None:
        super().__init__(now)
        self.now = now


def model(model_id: str, version: int) -> Model:
    """A model at a known version, as joined to a job: that of now, or one that a job was opened by. Where
    nobody kept what it said then, it is the one of now.
    """
    try:
        return _model(model_id, version, database.connected())
    except _NotKeptError as gone:
        return _model(model_id, gone.now, database.connected())


@reading
def find_model(model_id: str) -> Model:
    return _known(model_id)[1]


def _known(model_id: str) -> tuple[store.ModelRow, Model]:
    row = store.load_model(model_id)
    if row is None:
        raise NotFound("model", model_id)
    return row, _model(row.id, row.version, database.connected())


@reading
def find_taken_in(model_id: str) -> Model:
    """A model that a new job may be done on; a retired one is refused."""
    row, known = _known(model_id)
    if not State(row.state).taken_in:
        accepts = fact("catalogue.retired-bring-back-catalogue-take-device")
        raise Invalid("read_number", known.full_name, accepts)
    return known


@reading
def models(model_ids: Sequence[str]) -> dict[str, Model]:
    """Several models by id, those that are there."""
    return {row.id: pack.model_from_json(row.data) for row in store.load_models(model_ids)}


# What the browse list can be narrowed to, kept under the catalogue's revision: it is one scan of every model.
_CHOICES: dict[str, dict[str, list[str]]] = {}


@reading
def browse(
    wanted: store.ModelSearch, plain: str, page: int
) -> tuple[list[store.ModelLine], int, dict[str, list[str]]]:
    """A page of the browse list, how many models there are in all, and what the list can be narrowed to."""
    revision = store.revision()
    if revision not in _CHOICES:
        _CHOICES.clear()
        _CHOICES[revision] = store.choices()
    return *store.models_page(wanted, plain, page), _CHOICES[revision]


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownPart:
    """A part that fits a model by the rules, and how often it was fitted to one and proved."""

    barcode: str
    judged: Judged
    proved: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelPage:
    row: store.ModelRow
    model: Model
    siblings: list[Sibling]
    parts: list[KnownPart]
    jobs: int
    open_jobs: int
    last_jobs: list[store.ModelsJob]
    told: list[Correction]


@reading
def model_page(model_id: str) -> ModelPage:
    """A model with its siblings, the parts known to fit it and the jobs done on it."""
    found, known = _known(model_id)
    related = [
        pack.model_from_json(row.data)
        for row in store.relatives(known.procedure_family, known.part_family, model_id)
    ]
    jobs, open_jobs, last = store.jobs_of_model(model_id)
    return ModelPage(
        row=found,
        model=known,
        siblings=siblings_of(known, related),
        parts=_known_parts(known),
        jobs=jobs,
        open_jobs=open_jobs,
        last_jobs=last,
        told=corrections(known.need, matching_store.measured_on(model_id)),
    )


def _known_parts(known: Model) -> list[KnownPart]:
    """Parts that fit by the rules, then those that were fitted and proved whatever the rules say."""
    wanted = wanted_of(known)
    offers = known_service.offers_for(wanted)
    proved = store.fitted_parts(known.id)
    cheapest = {offer.part_id: offer for offer in sorted(offers, key=lambda offer: -offer.price_minor)}
    about = known_service.known_about(wanted, known.id, offers)
    judged = [judge(wanted, offer, about) for offer in cheapest.values()]
    kept = [
        judged_offer
        for judged_offer in judged
        if may_choose(judged_offer.fit) or judged_offer.offer.part_id in proved
    ]
    barcodes = stock_store.barcodes([judged_part.offer.part_id for judged_part in kept])
    return [
        KnownPart(
            barcode=barcodes[judged_part.offer.part_id],
            judged=judged_part,
            proved=proved.get(judged_part.offer.part_id, 0),
        )
        for judged_part in sorted(kept, key=lambda one: (one.offer.price_minor, one.offer.part))
    ]


# -- reading a pack -------------------------------------------------------------------------


@writing
def look_at_pack(name: str, file: bytes, by: Person, now: datetime) -> str:
    """Keep a file for a look at what it would do; nothing of the catalogue is written. The look's own id."""
    demand(by, Deed.READ_PACK)
    if not file:
        raise Invalid("file", "", fact("catalogue.choose-pack-file-json"))
    try:
        text = file.decode("utf-8-sig")
    except UnicodeDecodeError as broken:
        raise Invalid(
            "file",
            fact("catalogue.byte", start=broken.start, name=name),
            fact("catalogue.save-file-utf-8-text"),
        ) from broken
    if len(text) > MOST_CHARACTERS:
        raise Invalid(
            "file",
            name,
            fact("catalogue.read-packs-more-than-characters-from", most_characters=MOST_CHARACTERS),
        )
    preview_id = secrets.token_urlsafe(9)
    packs_store.save_preview(preview_id, by.id, name[:120] or "a pack", text.replace("\x00", " "), now)
    return preview_id


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """A file looked at: what it would do, or every error with its place. `mark` changes when the answer
    does.
    """

    id: str
    name: str
    at: datetime
    plan: ImportPlan | None
    problems: tuple[Invalid, ...]
    mark: str


@reading
def look(preview_id: str, by: Person) -> Look:
    preview = packs_store.load_preview(preview_id, by.id)
    if preview is None:
        raise NotFound(fact("catalogue.pack-look"), preview_id)
    plan, problems = plan_of(preview.text, preview.name)
    return Look(
        id=preview.id, name=preview.name, at=preview.at, plan=plan, problems=problems, mark=store.revision()
    )


@reading
def plan_of(text: str, name: str) -> tuple[ImportPlan | None, tuple[Invalid, ...]]:
    """What a pack's text would do, or every error in it with its place."""
    try:
        plan, problems = _plan(pack.read_pack(text, SCHEMAS, name))
    except ManyInvalid as wrong:
        return None, wrong.problems
    return plan, tuple(problems)


@writing
def read_look(preview_id: str, mark: str, by: Person, now: datetime) -> ImportPlan:
    """Do what the look said; refused when the catalogue has changed since, because the look may be out of
    date.
    """
    demand(by, Deed.READ_PACK)
    store.lock_catalogue()
    preview = packs_store.load_preview(preview_id, by.id)
    if preview is None:
        raise NotFound(fact("catalogue.pack-look"), preview_id)
    if mark != store.revision():
        raise Invalid("mark", preview.name, fact("catalogue.catalogue-has-changed-since-you-looked"))
    audit_store.stamp_person(by.id)
    plan = read_text(preview.text, preview.name, now)
    packs_store.remove_preview(preview_id)
    changes = Counter(planned.change.value for planned in plan.planned)
    told = {"pack": plan.pack, "file": preview.name, "changes": dict(changes)}
    audit_store.add_audit(by.id, now, "pack read in", told)
    return plan


@writing
def read_text(text: str, name: str, now: datetime) -> ImportPlan:
    """Read a pack's text into the catalogue, all of it or nothing."""
    store.lock_catalogue()
    read = pack.read_pack(text, SCHEMAS, name)
    plan, problems = _plan(read)
    refuse(problems, name)
    _apply(read, plan, now, keep_ours=False)
    return plan


@writing
def forget_look(preview_id: str, by: Person) -> None:
    demand(by, Deed.READ_PACK)
    if packs_store.load_preview(preview_id, by.id):
        packs_store.remove_preview(preview_id)


def _plan(read: pack.ModelsPack | pack.PartsPack) -> tuple[ImportPlan, list[Invalid]]:
    if isinstance(read, pack.ModelsPack):
        arriving = [
            Arriving(id=model.id, name=model.full_name, data=raw, place=f"models[{index}].id")
            for index, (model, raw) in enumerate(read.models)
        ]
        return plan_import(
            read.id,
            arriving,
            packs_store.stored_models(read.id, [item.id for item in arriving]),
            retires=True,
        )
    arriving = [
        Arriving(id=part.barcode, name=part.name, data=_offers_in_order(raw), place=f"parts[{index}].barcode")
        for index, (part, raw) in enumerate(read.parts)
    ]
    return plan_import(
        read.id,
        arriving,
        packs_store.stored_parts(read.id, [item.id for item in arriving], shop().currency),
        retires=False,
    )


def _offers_in_order(raw: Mapping[str, Any]) -> dict[str, Any]:
    """A part with its offers in the order the database gives them, so that order alone is no change."""
    return {**raw, "offers": sorted(raw["offers"], key=lambda entry: (entry["supplier"], entry["number"]))}


def _apply(
    read: pack.ModelsPack | pack.PartsPack, plan: ImportPlan, now: datetime | None, *, keep_ours: bool
) -> None:
    doing = {planned.id: planned for planned in plan.planned}
    writes = (Change.ADDED, Change.CHANGED, Change.BACK)
    if isinstance(read, pack.ModelsPack):
        state = State.TEMPLATE if read.id == pack.TEMPLATES else State.LISTED
        for known, raw in read.models:
            ours = keep_ours and doing[known.id].overwrites
            if doing[known.id].change in writes and not ours:
                store.save_model(raw, pack=read.id, state=state, steps=len(known.steps))
        for planned in plan.planned:
            if planned.change is Change.RETIRED:
                store.retire_model(planned.id)
            elif planned.change is Change.REMOVED:
                store.remove_model(planned.id)
        packs_store.save_pack(read.id, "models", {}, now)
        return
    currency = shop().currency
    for supplier_id, supplier in read.suppliers.items():
        shipping = read_amount(supplier.get("shipping", "0"), currency)
        packs_store.save_supplier(supplier_id, supplier["name"], shipping)
    for part, raw in read.parts:
        if doing[part.barcode].change in writes:
            packs_store.save_part(raw, read.id, currency, keep_ours=keep_ours)
    for planned in plan.planned:
        if planned.change is Change.REMOVED:
            packs_store.remove_part(planned.id)
    head = {
        "suppliers": [dict(supplier) for supplier in read.suppliers.values()],
        "labels": [_label(label) for label in read.labels],
    }
    if read.interchange:
        head["interchange"] = [_interchange(interchange) for interchange in read.interchange]
    packs_store.save_pack(read.id, "parts", head, now)


def _interchange(interchange: Interchange) -> dict[str, Any]:
    kept = {
        "number": interchange.number,
        "of": interchange.of,
        "both": interchange.both,
        "condition": interchange.condition,
        "source": interchange.source,
    }
    return {name: value for name, value in kept.items() if value}


def _label(label: LabelPattern) -> dict[str, str]:
    return {"maker": label.maker, "base": label.base, "revision": label.revision, "says": label.says}


@reading
def export_pack(pack_id: str, *, prices: bool = True) -> str:
    """A pack in its canonical form, as it stands in the database now. Retired models are not part of it, and
    offers, which are what parts cost, only with `prices`.
    """
    kind = packs_store.pack_kind(pack_id)
    if kind == "models":
        data = {"pack": pack_id, "format": pack.FORMAT, "models": packs_store.models_of_pack(pack_id)}
        return pack.canonical(data, SCHEMAS / "models.schema.json")
    if kind == "parts":
        head = dict(packs_store.pack_head(pack_id, "parts"))
        if not prices:
            # what sending costs is a cost, too
            head["suppliers"] = []
        data = {
            "pack": pack_id,
            "format": pack.PARTS_FORMAT,
            **head,
            "parts": [
                part if prices else part | {"offers": []}
                for part in packs_store.parts_of_pack(pack_id, shop().currency)
            ],
        }
        return pack.canonical(data, SCHEMAS / "parts.schema.json")
    raise NotFound("pack", pack_id)


# -- editing --------------------------------------------------------------------------------


@reading
def row(model_id: str) -> store.ModelRow:
    """A model's own JSON and version, to edit."""
    return _known(model_id)[0]


def face_of(raw: Mapping[str, Any]) -> Face | None:
    """The face that a model's JSON draws, without what is only half entered; None while it cannot be
    drawn.
    """
    face = raw.get("face")
    if not isinstance(face, Mapping):
        return None
    spots, keeps = _whole(face, "spots"), _whole(face, "keep_outs")
    return _face({**face, "spots": spots, "keep_outs": keeps})


def _whole(face: Mapping[str, Any], name: str) -> list[Any]:
    """The spots or keep-outs that can be drawn."""
    rows = face.get(name)
    plain = {**face, "spots": [], "keep_outs": []}
    return [row for row in rows if _face({**plain, name: [row]})] if isinstance(rows, list) else []


def _face(raw: Mapping[str, Any]) -> Face | None:
    try:
        face = pack.face_from_json(raw)
    except (KeyError, TypeError):
        return None
    boxes = [
        face.glass,
        face.active,
        *(spot.box for spot in face.spots),
        *(keep.box for keep in face.keep_outs),
    ]
    sizes = [
        face.width_mm,
        face.height_mm,
        face.corner_mm,
        *(n for box in boxes for n in (box.x, box.y, box.width, box.height)),
    ]
    drawable = (
        all(isinstance(n, int | float) and 0 <= n <= 10_000 for n in sizes) and face.opening_edge in EDGES
    )
    return (
        face if drawable and all(isinstance(e.depth_mm, int | float) for e in face.edges.values()) else None
    )


def at_fields(refusal: ManyInvalid) -> ManyInvalid:
    """The same refusal with each problem at the field it was entered in: `tools[2]` is a line of `tools`."""
    problems = [
        Invalid(
            re.sub(r"(?<=[a-z_])\[[0-9]+\]$", "", p.field) if _is_line(p.field) else p.field,
            p.refused,
            p.accepts,
        )
        for p in refusal.problems
    ]
    return ManyInvalid(problems, "The model")


def _is_line(field: str) -> bool:
    return (
        re.search(r"\.?(tools|cautions|limits|after|bits|tacs|rework|move_over)\[[0-9]+\]$", field)
        is not None
    )


@writing
def save_model(model_id: str, raw: Mapping[str, Any], version: int, by: Person, now: datetime) -> None:
    """Save an edited model by the same rules as a pack's; a stale save shows every place that differs."""
    demand(by, Deed.CHANGE_CATALOGUE)
    store.lock_catalogue()
    before = store.lock_model(model_id)
    if before is None:
        raise NotFound("model", model_id)
    if raw.get("id") != model_id:
        raise Invalid("id", raw.get("id"), fact("catalogue.id-model-stays"))
    edited = pack.check_model(raw, SCHEMAS, before.pack or pack.TEMPLATES)
    lines = differing_places(before.data, raw)
    if before.version != version and lines:
        yours, theirs = (
            {line.place: line.after for line in lines},
            {change.place: change.before for change in lines},
        )
        raise StaleSave(edited.full_name, before.edited_by, before.edited_at, yours, theirs)
    if lines:
        store.save_model(
            raw, pack=before.pack, state=State(before.state), steps=len(edited.steps), edited_by=by.id, at=now
        )


@writing
def bring_back(model_id: str, by: Person, now: datetime) -> None:
    """A retired model is taken in again."""
    _change_state(model_id, State.RETIRED, State.LISTED, by, now)


@writing
def retire(model_id: str, by: Person, now: datetime) -> None:
    """A listed model is not taken in any more; its jobs go on."""
    _change_state(model_id, State.LISTED, State.RETIRED, by, now)


def _change_state(model_id: str, old: State, new: State, by: Person, now: datetime) -> None:
    demand(by, Deed.CHANGE_CATALOGUE)
    store.lock_catalogue()
    before = store.lock_model(model_id)
    if before is None:
        raise NotFound("model", model_id)
    if before.state == old:
        steps = len(pack.model_from_json(before.data).steps)
        store.save_model(before.data, pack=before.pack, state=new, steps=steps, edited_by=by.id, at=now)


# -- devices that are in no pack ------------------------------------------------------------


@reading
def unlisted(measured: Measured, read_number: str, model_id: str = "unlisted") -> Model:
    """A model made of what was measured; refuses with everything that cannot be right."""
    problems = Problems(fact("catalogue.what-was-measured"))
    problems.extend(check_measured(measured))
    template = store.load_model(f"unlisted-{measured.device_class}")
    if template is None:
        accepts = fact("catalogue.choose-phone-tablet-laptop-watch-handheld")
        problems.add("device_class", measured.device_class, accepts)
    problems.refuse()
    assert template is not None, "refused above"
    made = unlisted_model(pack.model_from_json(template.data), measured, read_number, model_id)
    wrong = problems_of(made)
    refuse(wrong, fact("catalogue.what-was-measured"))
    return made


@writing
def keep_unlisted(measured: Measured, read_number: str, code: str, by: Person, now: datetime) -> Model:
    """Keep a measured device as a model of its own, named after the job it came in with."""
    made = unlisted(measured, read_number, f"device-{code.lower()}")
    store.save_model(
        pack.model_to_json(made, SCHEMAS),
        pack="",
        state=State.UNLISTED,
        steps=len(made.steps),
        edited_by=by.id,
        at=now,
    )
    return made

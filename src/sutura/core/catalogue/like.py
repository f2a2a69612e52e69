"""A new model like one that is known, but …: what is said anew, what goes with its size, and what nobody has
looked at on it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from sutura.core.catalogue.model import Model
from sutura.core.facts import Fact, fact
from sutura.core.typed import Problems, read_measure, read_number, read_whole
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="catalogue.like",
        capability="catalogue",
        says=(
            "A new model is made from its nearest sibling: of the same class, of the same maker before "
            "others, with the outline that differs least. What is said of it takes the place of the "
            "sibling's; places of screws, connectors and cables go with the outline in proportion, glass and "
            "picture keep their distance from its edges. Each limit of depth and of heat says whose it is "
            "and that nobody has looked at it here, until somebody writes it anew. Parts that fit the "
            "sibling are not said to fit, unless they are said to be the same."
        ),
        source=COMMON,
    ),
)

MOST_NEAR, MOST_MINUTES = 5, 2_000
# what a screen must be that goes with the outline, or is said by other fields
_WITH_SIZE = ("width_mm", "height_mm", "active_width_mm", "active_height_mm")
_BY_OTHERS = ("kind", "part_family", *_WITH_SIZE)
# written into a field of a need: it matters, and nobody knows it yet
NOT_KNOWN = "?"
_BEGINS_SO = "*"
_FIRST_YEAR, _LAST_YEAR = 1990, 2100


@dataclass(frozen=True, slots=True, kw_only=True)
class But:
    """What is said of a model that is like another: numbers decide exactly, or by how they begin where they
    end in `*`; sizes in mm; `released` 0 = nobody knows; `need` what the screen must be, None = not known.
    """

    maker: str
    name: str
    numbers: tuple[str, ...]
    tacs: tuple[str, ...]
    width_mm: float
    height_mm: float
    minutes: int
    released: int
    new_price: str
    same_parts: bool
    need: Mapping[str, object]
    features: Mapping[str, str]

    @property
    def id(self) -> str:
        """How the model is named in addresses and packs."""
        return re.sub(r"[^a-z0-9]+", "-", f"{self.maker} {self.name}".casefold()).strip("-")[:60]


def nearest(
    models: Iterable[Model], device_class: str, maker: str, width_mm: float, height_mm: float
) -> tuple[Model, ...]:
    """The models that a new one may be like, the nearest first (rule catalogue.like)."""

    def apart(model: Model) -> tuple[bool, float, str]:
        size = abs(model.face.width_mm - width_mm) + abs(model.face.height_mm - height_mm)
        return (model.maker.casefold() != maker.strip().casefold(), size, model.full_name)

    of_class = (model for model in models if model.device_class == device_class and model.numbers)
    return tuple(sorted(of_class, key=apart)[:MOST_NEAR])


def asked_of(raw: Mapping[str, object]) -> dict[str, str]:
    """What is asked of a new model, with what its sibling has where that is likely the same."""
    need, features, face = _mapping(raw["need"]), _mapping(raw["features"]), _mapping(raw["face"])
    return {
        "maker": str(raw["maker"]),
        "name": "",
        "numbers": "",
        "tacs": "",
        "width_mm": f"{face['width_mm']:g}",
        "height_mm": f"{face['height_mm']:g}",
        "minutes": str(raw["minutes"]),
        "released": "",
        "new_price": "",
        "same_parts": "",
        "features": "\n".join(f"{aspect}: {look}" for aspect, look in features.items()),
        **{
            # its own number is what a part is known by: another model's is never taken for it
            f"need.{name}": NOT_KNOWN if value is None or name == "printed_number" else str(value)
            for name, value in need.items()
            if name not in _BY_OTHERS
        },
    }


def read_but(typed: Mapping[str, str], need: Mapping[str, object]) -> But:
    """What was typed of a new model; everything that cannot be taken is refused at once. `need` is what its
    screen must be, as far as it is said: what is left out of that is not known.
    """
    problems = Problems(fact("catalogue.like-form"))

    def words(name: str) -> str:
        text = typed.get(name, "").strip()
        if not text or len(text) > 80:
            problems.add(name, text[:80], fact("catalogue.write-what-device-says-up-80"))
        return text

    def measure(name: str) -> float:
        told = problems.read(name, typed.get(name, ""), lambda text: read_measure(text, "mm", 1_000))
        return told if told is not None else 1.0

    def whole(name: str, least: int, most: int) -> int:
        text = typed.get(name, "").strip()
        return problems.read(name, text, lambda text: read_whole(text, most, least=least)) or 0 if text else 0

    numbers = tuple(line.strip() for line in typed.get("numbers", "").splitlines() if line.strip())
    if not numbers or any(not 2 <= len(line.rstrip(_BEGINS_SO)) <= 40 for line in numbers):
        problems.add("numbers", typed.get("numbers", "")[:80], fact("catalogue.like-numbers"))
    tacs = tuple(typed.get("tacs", "").split())
    if any(not re.fullmatch(r"[0-9]{8}", tac) for tac in tacs):
        problems.add("tacs", typed.get("tacs", "")[:80], fact("catalogue.like-tacs"))
    price = typed.get("new_price", "").strip()
    if price:
        accepts = fact("catalogue.like-price")
        known = problems.read("new_price", price, lambda text: read_number(text, 0, 9_999_999, accepts))
        price = f"{known:.2f}" if known is not None else ""
    features = {}
    for line in typed.get("features", "").splitlines():
        aspect, sign, look = line.partition(":")
        if line.strip() and not (sign and aspect.strip() and look.strip()):
            problems.add("features", line[:80], fact("catalogue.like-features"))
        elif line.strip():
            features[aspect.strip()] = look.strip()
    but = But(
        maker=words("maker"),
        name=words("name"),
        numbers=numbers,
        tacs=tacs,
        width_mm=measure("width_mm"),
        height_mm=measure("height_mm"),
        minutes=whole("minutes", 1, MOST_MINUTES),
        released=whole("released", _FIRST_YEAR, _LAST_YEAR),
        new_price=price,
        same_parts=typed.get("same_parts", "") == "yes",
        need=need,
        features=features,
    )
    if not but.minutes and "minutes" not in {problem.field for problem in problems}:
        problems.add(
            "minutes", typed.get("minutes", ""), fact("typed.write-whole-number-from", least=1, most=2_000)
        )
    problems.refuse()
    return but


def like(raw: Mapping[str, object], but: But) -> dict[str, object]:
    """The model that is like another, but as it is said (rule catalogue.like).

    `raw` is the sibling as a pack has it.
    """
    face = _mapping(raw["face"])
    wider, higher = but.width_mm - _number(face["width_mm"]), but.height_mm - _number(face["height_mm"])
    whose = f"{raw['maker']} {raw['name']}"
    part_family = str(raw["part_family"]) if but.same_parts else but.id
    before = _mapping(raw["need"])
    need = {name: value if name in _BY_OTHERS else but.need.get(name) for name, value in before.items()}
    for name, by in zip(_WITH_SIZE, (wider, higher, wider, higher), strict=True):
        if isinstance(size := need.get(name), int | float):
            need[name] = round(size + by, 2)
    if "part_family" in need:
        need["part_family"] = part_family
    across, down = but.width_mm / _number(face["width_mm"]), but.height_mm / _number(face["height_mm"])
    made = {
        **{name: _moved(value, across, down) for name, value in raw.items()},
        "id": but.id,
        "maker": but.maker,
        "name": but.name,
        "numbers": [_decides(number) for number in but.numbers],
        "tacs": list(but.tacs),
        "part_family": part_family,
        "features": dict(but.features),
        "need": need,
        "minutes": but.minutes,
        "face": _face(face, but, wider, higher, whose),
        "heat_limits": [_unseen(one, whose) for one in _listed(raw["heat_limits"])],
        "released": but.released,
    }
    made.pop("new_price", None)
    if but.new_price:
        made["new_price"] = but.new_price
    return made


def _face(face: Mapping[str, object], but: But, wider: float, higher: float, whose: str) -> dict[str, object]:
    across, down = but.width_mm / _number(face["width_mm"]), but.height_mm / _number(face["height_mm"])
    moved = _mapping(_moved(face, across, down))
    return {
        **moved,
        "width_mm": but.width_mm,
        "height_mm": but.height_mm,
        "glass": _grown(_mapping(face["glass"]), wider, higher),
        "active": _grown(_mapping(face["active"]), wider, higher),
        "edges": {edge: _unseen(limit, whose) for edge, limit in _mapping(face["edges"]).items()},
        "keep_outs": [_unseen(one, whose) for one in _listed(moved.get("keep_outs", ()))],
    }


def _decides(number: str) -> dict[str, object]:
    begins = number.endswith(_BEGINS_SO)
    return {"kind": "prefix" if begins else "exact", "text": number.rstrip(_BEGINS_SO)}


def _unseen(limit: object, whose: str) -> dict[str, object]:
    """A limit that says whose it is: nobody has looked at it on the new model."""
    said = _mapping(limit)
    why = re.sub(r" \(as on the [^)]*\)$", "", str(said.get("why", "")))
    return {**said, "why": f"{why} (as on the {whose}; nobody has looked here)"[:400]}


def _moved(value: object, across: float, down: float) -> object:
    """Places and boxes, wherever they stand in what a model holds, in proportion to the outline."""
    if isinstance(value, Mapping):
        by = (
            {"x": across, "width": across, "y": down, "height": down} if "x" in value and "y" in value else {}
        )
        return {
            name: round(inner * by[name], 1)
            if name in by and isinstance(inner, int | float)
            else _moved(inner, across, down)
            for name, inner in value.items()
        }
    if isinstance(value, list):
        return [_moved(one, across, down) for one in value]
    return value


def _grown(box: Mapping[str, object], wider: float, higher: float) -> dict[str, object]:
    """A box that keeps its distance from every edge of the outline."""
    width, height = _number(box["width"]) + wider, _number(box["height"]) + higher
    return {**box, "width": round(width, 2), "height": round(height, 2)}


def taken_over(raw: Mapping[str, object]) -> tuple[Fact, ...]:
    """What nobody has looked at on a model that was made like another, to be looked at on the first."""
    counted = (
        ("catalogue.like-screws", len(_listed(raw["screws"]))),
        ("catalogue.like-connectors", len(_listed(raw["connectors"]))),
        ("catalogue.like-depths", len(_mapping(_mapping(raw["face"])["edges"]))),
        ("catalogue.like-heat", len(_listed(raw["heat_limits"]))),
        ("catalogue.like-pieces", len(_listed(raw.get("pieces", ())))),
        ("catalogue.like-functions", len(_listed(raw["functions"]))),
    )
    return tuple(fact(what, count=count) for what, count in counted if count)


def _mapping(value: object) -> dict[str, object]:
    assert isinstance(value, Mapping), "checked by the schema of packs"
    return dict(value)


def _listed(value: object) -> Sequence[object]:
    assert isinstance(value, list | tuple), "checked by the schema of packs"
    return value


def _number(value: object) -> float:
    assert isinstance(value, int | float), "checked by the schema of packs"
    return float(value)

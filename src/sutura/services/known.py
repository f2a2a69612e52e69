"""What is known around a need: the offers worth judging, flexes, numbers, spares, what was learned."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from decimal import Decimal
from functools import lru_cache

from sutura.core.identify import LabelPattern
from sutura.core.matching import (
    MOST_EACH,
    Around,
    Interchange,
    Known,
    Numbers,
    Offer,
    Value,
    Wanted,
    members_of,
    tangles,
)
from sutura.store import catalogue as catalogue_store
from sutura.store import matching as store
from sutura.store import stock as stock_store
from sutura.store.stock import Picking

_SPARE, _FLEX = "small part", "adapter flex"


def picking_of(wanted: Wanted) -> Picking:
    """What of a need offers are picked by, before they are judged."""
    need = wanted.need
    family = need.get("part_family")
    return Picking(
        kind=str(need["kind"]), family=None if family is None else str(family), width_mm=_number(need.get("width_mm")),
        pins=_number(need.get("connector_pins")),
    )  # fmt: skip


def offers_for(wanted: Wanted) -> list[Offer]:
    """The offers worth judging for a need, however many there are."""
    return stock_store.offers_for(picking_of(wanted))


def _number(value: Value | None) -> Decimal | None:
    return Decimal(str(value)) if isinstance(value, int | float) else None


def parts_for_kits(wanted: Wanted) -> list[Offer]:
    """What a kit could be made of: glasses of the outline and panels of the picture; nothing where either is not known."""
    kinds = members_of(wanted.need)
    width, active = _number(wanted.need.get("width_mm")), _number(wanted.need.get("active_width_mm"))
    if kinds is None or width is None or active is None:
        return []
    return stock_store.members_for(*kinds, width, active, MOST_EACH)


def known_about(
    wanted: Wanted, model_id: str, offers: Sequence[Offer], destroyed: Collection[str] = ()
) -> Known:
    """What else counts for a need: adapter flexes, spares for broken items, printed numbers, what was learned of these parts on the model."""
    needs_flex = wanted.need.get("connector_place") is not None
    kinds = [_FLEX] * needs_flex + [_SPARE] * bool(destroyed)
    around = stock_store.offers_of_kinds(kinds) if kinds else []
    spares: dict[str, Offer] = {}
    for one in around:
        if one.attributes.get("kind") == _SPARE:
            spares.setdefault(str(one.known("part_family")), one)
    return Known(
        around=Around(
            flexes=tuple(one for one in around if one.attributes.get("kind") == _FLEX), numbers=numbers(), destroyed=frozenset(destroyed),
        ),
        spares=spares, learned=store.evidence_of(model_id, sorted({one.part_id for one in offers})),
    )  # fmt: skip


def numbers() -> Numbers:
    """Printed numbers as the packs know them, built anew when what they say of numbers changed."""
    return _numbers(
        json.dumps(
            [[head.get("interchange", []), head.get("labels", [])] for head in catalogue_store.heads("parts")]
        )
    )


def interchanges() -> tuple[list[Interchange], list[str]]:
    """Numbers that stand in for others, of every pack, and what of them cannot be right taken together."""
    every = [
        Interchange(**one) for head in catalogue_store.heads("parts") for one in head.get("interchange", ())
    ]
    return every, tangles(every)


@lru_cache(maxsize=4)
def _numbers(said: str) -> Numbers:
    heads = json.loads(said)
    return Numbers.of(
        [Interchange(**one) for interchange, _ in heads for one in interchange],
        [LabelPattern(**one) for _, labels in heads for one in labels],
    )

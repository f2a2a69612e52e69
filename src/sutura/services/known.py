"""What is known around a need: the offers worth judging, flexes, numbers, spares, what was learned."""

from __future__ import annotations

import json
from collections.abc import Collection
from functools import lru_cache

from sutura.core.identify import LabelPattern
from sutura.core.matching import Around, Interchange, Known, Numbers, Offer, Wanted, kinds_for
from sutura.store import catalogue as catalogue_store
from sutura.store import matching as store
from sutura.store import stock as stock_store

_SPARE, _FLEX = "small part", "adapter flex"


def offers_for(wanted: Wanted) -> list[Offer]:
    """The offers worth judging for a need, however many there are."""
    need = wanted.need
    width, family = need.get("width_mm"), need.get("part_family")
    return stock_store.offers_for(
        str(need["kind"]),
        float(width) if isinstance(width, int | float) else None,
        None if family is None else str(family),
    )


def parts_for_kits(wanted: Wanted) -> list[Offer]:
    kinds = kinds_for(wanted.need)
    return stock_store.offers_of_kinds(kinds) if kinds else []


def known_about(wanted: Wanted, model_id: str, destroyed: Collection[str] = ()) -> Known:
    """What else counts for a need: adapter flexes, spares for broken items, printed numbers, what was learned on the model."""
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
        spares=spares, learned=store.evidence_of(model_id),
    )  # fmt: skip


def numbers() -> Numbers:
    """Printed numbers as the packs know them, built anew when what they say of numbers changed."""
    return _numbers(
        json.dumps(
            [[head.get("interchange", []), head.get("labels", [])] for head in catalogue_store.heads("parts")]
        )
    )


@lru_cache(maxsize=4)
def _numbers(said: str) -> Numbers:
    heads = json.loads(said)
    return Numbers.of(
        [Interchange(**one) for interchange, _ in heads for one in interchange],
        [LabelPattern(**one) for _, labels in heads for one in labels],
    )

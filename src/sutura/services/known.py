"""What is known around a need: the offers worth judging, flexes, numbers, spares, what was learned."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from functools import lru_cache

from sutura.core.facts import Fact
from sutura.core.identify.scan import LabelPattern
from sutura.core.matching.comparing import Around
from sutura.core.matching.judging import Known, Wanted
from sutura.core.matching.kits import MOST_EACH, members_of
from sutura.core.matching.numbers import Interchange, Numbers, tangles
from sutura.core.matching.offers import Offer
from sutura.core.matching.picking import picking_of
from sutura.store import matching as store
from sutura.store import offers as offers_store
from sutura.store import packs as packs_store

_SPARE, _FLEX = "small part", "adapter flex"


def offers_for(wanted: Wanted) -> list[Offer]:
    """The offers worth judging for a need, however many there are."""
    return offers_store.offers_for(picking_of(wanted))


def parts_for_kits(wanted: Wanted) -> list[Offer]:
    """What a kit could be made of: glasses of the outline and panels of the picture; nothing where either is
    not known.
    """
    kinds, picking = members_of(wanted.need), picking_of(wanted)
    if kinds is None or picking.width is None or picking.active_width is None:
        return []
    return offers_store.members_for(*kinds, picking.width, picking.active_width, MOST_EACH)


def known_about(
    wanted: Wanted, model_id: str, offers: Sequence[Offer], destroyed: Collection[str] = ()
) -> Known:
    """What else counts for a need: adapter flexes, spares for broken items, printed numbers, what was learned
    of these parts on the model.
    """
    needs_flex = wanted.need.get("connector_place") is not None
    kinds = [_FLEX] * needs_flex + [_SPARE] * bool(destroyed)
    around = offers_store.offers_of_kinds(kinds) if kinds else []
    spares: dict[str, Offer] = {}
    for one in around:
        if one.attributes.get("kind") == _SPARE:
            spares.setdefault(str(one.known("part_family")), one)
    return Known(
        around=Around(
            flexes=tuple(offer for offer in around if offer.attributes.get("kind") == _FLEX),
            numbers=numbers(),
            destroyed=frozenset(destroyed),
            spares=spares,
        ),
        learned=store.evidence_of(model_id, sorted({offer.part_id for offer in offers})),
    )


def numbers() -> Numbers:
    """Printed numbers as the packs know them, built anew when what they say of numbers changed."""
    return _numbers(
        json.dumps(
            [[head.get("interchange", []), head.get("labels", [])] for head in packs_store.heads("parts")]
        )
    )


def interchanges() -> tuple[list[Interchange], list[Fact]]:
    """Numbers that stand in for others, of every pack, and what of them cannot be right taken together."""
    every = [
        Interchange(**entry) for head in packs_store.heads("parts") for entry in head.get("interchange", ())
    ]
    return every, tangles(every)


@lru_cache(maxsize=4)
def _numbers(said: str) -> Numbers:
    heads = json.loads(said)
    return Numbers.of(
        [Interchange(**interchange) for interchange, _ in heads for interchange in interchange],
        [LabelPattern(**label) for _, labels in heads for label in labels],
    )

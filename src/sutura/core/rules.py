"""Every rule of the shop in one list, for the Catalogue room and docs/rules.md."""

from __future__ import annotations

from sutura.core import handover, job, people, planning, proof, quoting, shop
from sutura.core.bench import compiling, heat, progress, serials
from sutura.core.catalogue import rules as catalogue
from sutura.core.identify import reading
from sutura.core.intake import arrival, customers, damage, diagnosis, opening, promise
from sutura.core.matching import judging, kits, listing, panel, ranking, wanted
from sutura.core.stock import (
    consolidating,
    consumables,
    cores,
    demand,
    levels,
    orders,
    pieces,
    reordering,
    suppliers,
)
from sutura.core.values import Rule

# each module's own, in the order in which a job meets them
ALL: tuple[Rule, ...] = tuple(
    rule
    for module in (
        reading,
        damage,
        opening,
        diagnosis,
        arrival,
        promise,
        customers,
        judging,
        panel,
        kits,
        ranking,
        wanted,
        listing,
        levels,
        demand,
        reordering,
        orders,
        pieces,
        cores,
        consumables,
        suppliers,
        consolidating,
        quoting,
        planning,
        catalogue,
        progress,
        compiling,
        heat,
        serials,
        proof,
        handover,
        job,
        people,
        shop,
    )
    for rule in module.RULES
)

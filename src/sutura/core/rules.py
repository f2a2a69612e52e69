"""Every rule of the shop in one list, for the Catalogue room and docs/rules.md."""

from __future__ import annotations

from sutura.core import job, people, shop
from sutura.core.bench import (
    cautioning,
    compiling,
    generated,
    heat,
    owntimes,
    partless,
    progress,
    rework,
    schools,
    screws,
    serials,
    stations,
    times,
    waits,
)
from sutura.core.catalogue import like
from sutura.core.catalogue import rules as catalogue
from sutura.core.handover import comebacks, giving, invoicing, ledger, telling, tills, warranties
from sutura.core.identify import reading
from sutura.core.intake import arrival, customers, damage, diagnosis, opening, promise, upgrades
from sutura.core.matching import judging, kits, listing, panel, ranking, wanted
from sutura.core.planning import (
    bounding,
    chance,
    day,
    dispatch,
    expected,
    inserting,
    loads,
    operations,
    queue,
    shifts,
    solving,
    sureness,
)
from sutura.core.proof import answering, bars, dust, picture, sealing, touch, traces
from sutura.core.quoting import aim, answers, chains, estimating, margins, policy, routes, sensitivity, taxes
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
        upgrades,
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
        aim,
        routes,
        chains,
        policy,
        taxes,
        margins,
        estimating,
        sensitivity,
        answers,
        queue,
        expected,
        day,
        operations,
        dispatch,
        solving,
        sureness,
        bounding,
        chance,
        inserting,
        loads,
        shifts,
        owntimes,
        catalogue,
        like,
        progress,
        cautioning,
        compiling,
        generated,
        waits,
        schools,
        screws,
        heat,
        serials,
        rework,
        partless,
        times,
        stations,
        answering,
        touch,
        picture,
        dust,
        bars,
        sealing,
        traces,
        giving,
        ledger,
        invoicing,
        tills,
        comebacks,
        warranties,
        telling,
        job,
        people,
        shop,
    )
    for rule in module.RULES
)

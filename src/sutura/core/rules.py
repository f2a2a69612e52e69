"""Every rule of the shop in one list, for the Catalogue room and docs/rules.md."""

from __future__ import annotations

from sutura.core import (
    bench,
    catalogue,
    handover,
    identify,
    intake,
    job,
    matching,
    people,
    planning,
    proof,
    quoting,
    stock,
)
from sutura.core.values import Rule

ALL: tuple[Rule, ...] = (
    *identify.RULES, *intake.RULES, *matching.RULES, *stock.RULES, *quoting.RULES, *planning.RULES,
    *catalogue.RULES, *bench.RULES, *proof.RULES, *handover.RULES, *job.RULES, *people.RULES,
)  # fmt: skip

"""What was learned of parts on models, what was measured of parts, and price lists."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.matching import Evidence, Learned
from sutura.store.database import DATABASE, reading, rows


@reading
def evidence_of(model_id: str) -> dict[int, tuple[Evidence, ...]]:
    """What was learned of parts on a model, by part, oldest first."""
    found: dict[int, tuple[Evidence, ...]] = {}
    for part_id, outcome, code, says in DATABASE.execute_sql(
        "select part_id, outcome, coalesce(job.code, 'another job'), says from fit_evidence left join job on job.id = job_id"
        " where fit_evidence.model_id = %s order by fit_evidence.id",
        (model_id,),
    ):
        one = Evidence(part_id=part_id, outcome=Learned(outcome), job=code, says=says)
        found[part_id] = (*found.get(part_id, ()), one)
    return found


def add_evidence(
    model_id: str, part_id: int, offer_id: int | None, job_id: int | None, outcome: Learned, says: str, person_id: int, at: datetime
) -> None:  # fmt: skip
    DATABASE.execute_sql(
        "insert into fit_evidence (model_id, part_id, offer_id, job_id, outcome, says, person_id, at)"
        " values (%s, %s, %s, %s, %s, %s, %s, %s)",
        (model_id, part_id, offer_id, job_id, outcome.value, says, person_id, at),
    )


def save_measured(part_id: int, measured: Mapping[str, Mapping[str, Any]]) -> None:
    """Add what was measured of a part to what was measured before; a later value of an attribute counts."""
    DATABASE.execute_sql(
        "update part set measured = measured || %s::jsonb where id = %s", (json.dumps(measured), part_id)
    )


# -- prices over time -----------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class PriceThen:
    at: datetime
    price_minor: int


@reading
def price_history(offer_id: int) -> list[PriceThen]:
    """Every price an offer ever had, newest first."""
    return rows(
        PriceThen,
        "select at, price_minor from offer_price where offer_id = %s order by id desc limit 200",
        offer_id,
    )

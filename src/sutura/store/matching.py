"""What was learned of parts on models, what was measured of parts, and price lists."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.errors import NotFound
from sutura.core.matching import Evidence, Learned, Measured, Value
from sutura.store.database import DATABASE, reading, rows
from sutura.store.stock import measured_from

# the latest jobs of each outcome tell enough of a part; a model may have thousands
_TOLD = 2


@reading
def evidence_of(model_id: str, part_ids: Sequence[int]) -> dict[int, tuple[Evidence, ...]]:
    """What was learned of some parts on a model: the latest of each outcome, oldest first."""
    found: dict[int, tuple[Evidence, ...]] = {}
    for part_id, outcome, code, says in DATABASE.execute_sql(
        "select latest.part_id, latest.outcome, coalesce(job.code, 'another job'), latest.says"
        " from unnest(%s::bigint[]) wanted (part_id), unnest(%s::text[]) kind (outcome), lateral (select * from fit_evidence"
        "   where model_id = %s and part_id = wanted.part_id and outcome = kind.outcome order by id desc limit %s) latest"
        " left join job on job.id = latest.job_id order by latest.id",
        (list(part_ids), [one.value for one in Learned], model_id, _TOLD),
    ):
        one = Evidence(part_id=part_id, outcome=Learned(outcome), job=code, says=says)
        found[part_id] = (*found.get(part_id, ()), one)
    return found


@reading
def measured_on(model_id: str) -> list[tuple[str, Mapping[str, Any]]]:
    """What was measured on originals of a model, newest job first."""
    return list(
        DATABASE.execute_sql(
            "select code, measured from job where model_id = %s and measured <> '{}' order by id desc limit 20",
            (model_id,),
        ).fetchall()
    )


def add_evidence(
    model_id: str, part_id: int, offer_id: int | None, job_id: int | None, outcome: Learned, says: str, person_id: int, at: datetime
) -> None:  # fmt: skip
    DATABASE.execute_sql(
        "insert into fit_evidence (model_id, part_id, offer_id, job_id, outcome, says, person_id, at)"
        " values (%s, %s, %s, %s, %s, %s, %s, %s)",
        (model_id, part_id, offer_id, job_id, outcome.value, says, person_id, at),
    )


@reading
def load_known(barcode: str) -> tuple[Mapping[str, Value], Mapping[str, Measured]]:
    """What is claimed of a part, and what was measured of it here."""
    found = DATABASE.execute_sql(
        "select attributes, measured from part where barcode = %s", (barcode,)
    ).fetchone()
    if found is None:
        raise NotFound("part", barcode)
    return found[0], {name: measured_from(one) for name, one in found[1].items()}


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

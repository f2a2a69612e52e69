"""What several reads say alike, said once: open stages, full names, folded numbers.

Literals stand as SQL where an index over an expression or over a part of a table must recognise them.
"""

from __future__ import annotations

from typing import Any

from peewee import SQL, Expression, fn

from sutura.core.job import OPEN_STAGES, Stage
from sutura.store.tables import CatalogueModel, Job, Part

_OVER = [SQL(f"'{stage.value}'") for stage in sorted(frozenset(Stage) - OPEN_STAGES)]
# a job that is still in the house (index job_open)
IS_OPEN = Job.stage.not_in(_OVER)
MODEL_NAME = CatalogueModel.maker.concat(" ").concat(CatalogueModel.name)
FREE = Part.on_hand - Part.held
# what a price list offers and was never here is no part of the shelf (index part_of_the_shelf)
ON_THE_SHELF = Expression(Part.pack, "NOT LIKE", SQL("'list:%%'"))


# bins as a person walks them: A2 before A10
BY_BIN = (
    SQL("substring(bin from '^[^0-9]*')"),
    SQL("substring(bin from '[0-9]+')::numeric nulls first"),
    Part.bin,
    Part.name,
)


def folded(number: Any) -> Any:
    """A printed number in capitals and digits alone (index part_printed)."""
    return fn.UPPER(fn.REGEXP_REPLACE(number, SQL("'[^A-Za-z0-9]'"), SQL("''"), SQL("'g'")))


def or_empty(text: Any) -> Any:
    """A text that may be missing because nothing is joined."""
    return fn.COALESCE(text, "")


def like(left: Any, pattern: Any) -> Expression:
    """A comparison that minds capitals: peewee's own words for it do not."""
    return Expression(left, "LIKE", pattern)

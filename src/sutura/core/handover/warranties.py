"""What a shop gives of warranty: days by grade of a part and on the work, what voids it; in versions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial

from sutura.core.facts import Say, fact
from sutura.core.matching.offers import GRADES
from sutura.core.typed import Problems, read_text, read_whole
from sutura.core.values import COMMON, Rule

MOST_DAYS = 3_650
MOST_VOIDS = 600

RULES = (
    Rule(
        id="quote.warranty",
        capability="handover",
        says=(
            "The warranty goes by the grade of what is fitted, the shortest where there are several; where "
            "the shop says nothing of a grade, or nothing is fitted, it is the model's. What was told with "
            "the price holds. The terms are kept in versions: each holds for what is quoted, and what is "
            "handed back, until the next."
        ),
        source="the shop's terms; local law comes first",
    ),
    Rule(
        id="quote.stands-alone",
        capability="handover",
        says=(
            "Where the supplier of a part answers for fewer days than the shop promises, or said nothing, "
            "the shop is told before it chooses: for the days between it stands alone."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Terms:
    """One version of the terms: days by grade, days on the work (None = the model's), and what voids it."""

    grades: Mapping[str, int] = field(default_factory=dict)
    work_days: int | None = None
    voids: str = ""


# of a shop that said nothing
USUAL_TERMS = Terms()


def warranty_of(terms: Terms, grades: Sequence[str], usual: int) -> int:
    """Days of warranty on what is fitted (rule quote.warranty); `usual` is the model's.

    >>> terms = Terms(grades={"refurbished": 90})
    >>> [warranty_of(terms, grades, 180) for grades in ([], ["genuine new"], ["genuine new", "refurbished"])]
    [180, 180, 90]
    """
    return min((terms.grades.get(grade, usual) for grade in grades), default=usual)


def stands_alone(promised: int, answered: Sequence[int | None]) -> Say:
    """What is said where suppliers answer for fewer days than are promised (rule quote.stands-alone); nothing
    where they answer for as many. `answered` are the days of each part's supplier, None = nothing said.
    """
    if not promised or not answered or all(days is not None and days >= promised for days in answered):
        return ""
    known = [days for days in answered if days is not None]
    if len(known) < len(answered):
        return fact("matching.supplier-says-nothing", promised=promised)
    return fact("matching.supplier-answers-less", days=min(known), promised=promised)


def work_days_of(terms: Terms, usual: int) -> int:
    """Days of warranty on the work; `usual` is the model's."""
    return usual if terms.work_days is None else terms.work_days


def read_terms(typed: Mapping[str, str]) -> Terms:
    """Terms as typed: `grade.<grade>` and `work_days`, open = the model's, and `voids`. Every problem at
    once.
    """
    problems = Problems(fact("comeback.terms"))
    days: dict[str, int] = {}
    for name in (*(f"grade.{grade}" for grade in GRADES), "work_days"):
        if text := typed.get(name, "").strip():
            days[name] = problems.read(name, text, partial(read_whole, most=MOST_DAYS)) or 0
    voids = problems.read("voids", typed.get("voids", ""), partial(read_text, most=MOST_VOIDS, least=5))
    problems.refuse()
    work = days.pop("work_days", None)
    return Terms(
        grades={name.removeprefix("grade."): many for name, many in days.items()},
        work_days=work,
        voids=voids or "",
    )


def terms_texts(terms: Terms) -> dict[str, str]:
    """Terms as their form has them."""
    texts = {"work_days": "" if terms.work_days is None else str(terms.work_days), "voids": terms.voids}
    return texts | {f"grade.{grade}": str(terms.grades.get(grade, "")) for grade in GRADES}

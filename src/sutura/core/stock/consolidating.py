"""Which supplier each part is ordered from, so that all of it together costs least and is there in time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from sutura.core.stock.suppliers import Terms
from sutura.core.values import COMMON, Rule

# so many ways are looked at; the shop's orders of a day need a few hundred
MOST_LOOKS = 20_000

RULES = (
    Rule(
        id="stock.together",
        capability="stock",
        says=(
            "What is to be ordered today is shared among suppliers so that prices and sending together "
            "cost least, each part in time for the first job that waits for it, and each order at least "
            "what its supplier sends."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Option:
    """One supplier's way to a part: all its pieces cost this, in minor units, and are here after so many
    days.
    """

    supplier: str
    cost_minor: int
    days: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Need:
    """A part to order with its options, and in how many days it has to be here; None where nobody waits."""

    part: int
    options: tuple[Option, ...]
    within_days: int | None = None

    @property
    def in_time(self) -> tuple[Option, ...]:
        """The options that are here in time; where none is, the quickest."""
        if self.within_days is None:
            return self.options
        timely = tuple(option for option in self.options if option.days <= self.within_days)
        quickest = min((option.days for option in self.options), default=0)
        return timely or tuple(option for option in self.options if option.days == quickest)


@dataclass(frozen=True, slots=True, kw_only=True)
class Shared:
    """How the needs are shared: the supplier of each part, and what all of it costs with its sending.
    `saved` is what that is less than each part ordered by itself; `below` names suppliers whose least order
    is not reached.
    """

    supplier_of: Mapping[int, str]
    total_minor: int
    saved_minor: int
    below: tuple[str, ...]
    is_best: bool


@dataclass(slots=True)
class _Search:
    """What the search has found so far, and how many ways it looked at."""

    needs: Sequence[Need]
    terms: Mapping[str, Terms]
    keep_least: bool
    # the least that the needs from this one on can cost
    rest: list[int]
    best: int | None = None
    chosen: dict[int, str] = field(default_factory=dict)
    looks: int = 0


def share(needs: Sequence[Need], terms: Mapping[str, Terms]) -> Shared:
    """Share what is to be ordered among suppliers, by branch and bound: exact unless it takes more than 20
    000 looks, which is then said. Where no way reaches every least order, that is given up and said.
    """
    known = [need for need in needs if need.options]
    # the hardest choice first
    known.sort(key=lambda need: (len(need.in_time), need.part))
    rest = [0]
    for need in reversed(known):
        rest.append(rest[-1] + min(option.cost_minor for option in need.in_time))
    rest.reverse()
    search = _Search(needs=known, terms=terms, keep_least=True, rest=rest)
    _look(search, 0, {}, {})
    if search.best is None:
        search = _Search(needs=known, terms=terms, keep_least=False, rest=rest)
        _look(search, 0, {}, {})
    sums = _sums(known, search.chosen)
    return Shared(
        supplier_of=search.chosen,
        total_minor=search.best or 0,
        saved_minor=_each_alone(known, terms) - (search.best or 0),
        below=tuple(sorted(each for each, total in sums.items() if total < terms[each].least_order_minor)),
        is_best=search.looks <= MOST_LOOKS,
    )


def _sums(needs: Sequence[Need], chosen: Mapping[int, str]) -> dict[str, int]:
    sums: dict[str, int] = {}
    for need in needs:
        supplier = chosen[need.part]
        cost = min(option.cost_minor for option in need.in_time if option.supplier == supplier)
        sums[supplier] = sums.get(supplier, 0) + cost
    return sums


def _each_alone(needs: Sequence[Need], terms: Mapping[str, Terms]) -> int:
    return sum(
        min(
            option.cost_minor + terms[option.supplier].shipping_of(option.cost_minor)
            for option in need.in_time
        )
        for need in needs
    )


def _look(search: _Search, at: int, sums: dict[str, int], chosen: dict[int, str]) -> None:
    """Try every option of the need at this place, the cheapest first, where it can still be the best."""
    if at == len(search.needs):
        _keep(search, sums, chosen)
        return
    need = search.needs[at]
    for option in sorted(need.in_time, key=lambda option: (option.cost_minor, option.supplier)):
        search.looks += 1
        if search.looks > MOST_LOOKS and search.best is not None:
            return
        before = sums.get(option.supplier)
        sums[option.supplier] = (before or 0) + option.cost_minor
        chosen[need.part] = option.supplier
        if search.best is None or sum(sums.values()) + search.rest[at + 1] < search.best:
            _look(search, at + 1, sums, chosen)
        del chosen[need.part]
        if before is None:
            del sums[option.supplier]
        else:
            sums[option.supplier] = before


def _keep(search: _Search, sums: Mapping[str, int], chosen: Mapping[int, str]) -> None:
    if search.keep_least and any(
        total < search.terms[each].least_order_minor for each, total in sums.items()
    ):
        return
    total = sum(each + search.terms[supplier].shipping_of(each) for supplier, each in sums.items())
    if search.best is None or total < search.best:
        search.best, search.chosen = total, dict(chosen)

"""Twenty seeded days planned by computation and by rule: how far from the best possible, how many promises
kept.

`python scripts/measure_planning.py [days]` writes docs/bench-planning.md; it takes a quarter of an hour on
two cores.
"""

from __future__ import annotations

import random
import sys
from pathlib import Path

from sutura.core.planning.day import Day, Hold, Operation, Window, Work, broken_by, worth_of
from sutura.core.planning.dispatch import Order, dispatch
from sutura.core.planning.solving import Proof, Solved, solve

PAGE = Path(__file__).resolve().parent.parent / "docs" / "bench-planning.md"
HEAD = """# Planning, measured

Made by `python scripts/measure_planning.py` on two cores: {days} seeded days of 60 jobs, 8 people with
families and factors of their own, 6 stations, shifts with breaks over two days, a third for what is left.
Lateness in weighed minutes; the gap is what the bound leaves open, as a share of the lateness. The last
three columns are what rules make of the same days: lateness / promises kept of 60.

Within 5 % after 5 s: **{five} of {days}**. Within 1 % after 30 s: **{one} of {days}**. Promises kept:
**{kept:,}** of {jobs:,}, by the earliest promise first {rule:,}.

The second aim (early finish, with lateness held) has the bound of the solver's relaxation alone, which is
weak: its gap says how little is proved of it, not how much is lost.

| day | after 5 s | after 30 s | lateness | gap, second | kept | earliest promise | least slack | first come |
|---|---|---|---|---|---|---|---|---|
"""
FAMILIES = ("phones", "tablets", "laptops", "watches", "handhelds")
STATIONS = {"plate": 2, "pad": 2, "microscope": 1, "clamp": 2, "programmer": 1, "clean bench": 1}


def shop_day(seed: int) -> Day:
    """Sixty jobs, eight people, six stations, two days with breaks; what is promised is tight."""
    chance = random.Random(seed)
    shifts = (
        Window(0, 210),
        Window(240, 480),
        Window(1_440, 1_650),
        Window(1_680, 1_920),
        Window(2_880, 3_360),
    )
    late = (
        Window(60, 270),
        Window(300, 540),
        Window(1_500, 1_710),
        Window(1_740, 1_980),
        Window(2_880, 3_360),
    )
    people = {f"P{number}": chance.choice([shifts, late]) for number in range(8)}
    trained = {
        name: {family: chance.uniform(0.8, 1.7) for family in FAMILIES if chance.random() < 0.7}
        for name in people
    }
    jobs = []
    for number in range(60):
        family = chance.choice(FAMILIES)
        parts, holds = [Operation(minutes=chance.randint(8, 50))], []
        if chance.random() < 0.45:
            station = chance.choice(("plate", "pad", "clamp"))
            parts += [
                Operation(minutes=chance.randint(10, 120), attended=False),
                Operation(minutes=chance.randint(5, 25)),
            ]
            holds.append(Hold(station=station, first=1, last=1))
        if chance.random() < 0.2:
            holds.append(
                Hold(station=chance.choice(("microscope", "programmer", "clean bench")), first=0, last=0)
            )
        may = {name: skills[family] for name, skills in trained.items() if family in skills}
        jobs.append(
            Work(
                key=f"J{number:02}",
                operations=tuple(parts),
                people=may or {"P0": 1.5},
                due=chance.choice(
                    [chance.randint(60, 480), chance.randint(240, 1_000), chance.randint(1_500, 1_920)]
                ),
                weight=chance.choice([1, 1, 1, 2, 5]),
                release=chance.choice([0, 0, 0, 0, 120, 1_440]),
                holds=tuple(holds),
            )
        )
    return Day(people=people, stations=STATIONS, jobs=tuple(jobs))


def row(seed: int, day: Day, short: Solved, long: Solved) -> str:
    kept = worth_of(day, long.plan).kept
    rules = {order: worth_of(day, dispatch(day, order)) for order in (Order.PROMISE, Order.SLACK, Order.CAME)}
    told = " | ".join(f"{found.lateness:,} / {found.kept}" for found in rules.values())
    second = f"{long.finish_gap:.0%}" if long.finish_gap is not None else "none claimed"
    return (
        f"| {seed} | {short.lateness:,} ({short.gap:.1%}) | {long.lateness:,} ({long.gap:.1%}) | "
        f"{'proved' if long.proof is Proof.BEST else 'within'} | {second} | {kept} | {told} |"
    )


def main() -> None:
    days = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    rows, within_5, within_1, kept, by_rule = [], 0, 0, 0, 0
    for seed in range(1, days + 1):
        day = shop_day(seed)
        short, long = solve(day, 5), solve(day, 30)
        for found in (short, long):
            assert broken_by(day, found.plan) == (), seed
            assert found.lateness <= found.rule_lateness, seed
        within_5 += short.gap <= 0.05
        within_1 += long.gap <= 0.01
        kept += worth_of(day, long.plan).kept
        by_rule += worth_of(day, dispatch(day, Order.PROMISE)).kept
        rows.append(row(seed, day, short, long))
        print(rows[-1], flush=True)
    facts = {
        "days": days,
        "jobs": days * 60,
        "five": within_5,
        "one": within_1,
        "kept": kept,
        "rule": by_rule,
    }
    PAGE.write_text(HEAD.format(**facts) + "\n".join(rows) + "\n", "utf-8")


if __name__ == "__main__":
    main()

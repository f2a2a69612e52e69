"""One need against 100,000 and 1,000,000 offers; writes docs/bench-matching.md.

The floor is the bare indexed query by raw psycopg: the same statement, its rows fetched and thrown away.
Beside it the same need is picked,
judged by every rule, kits searched and all of it ranked, in the same process and in turn.
"""

from __future__ import annotations

import argparse
import gc
import platform
import random
import statistics
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))
sys.path.insert(0, str(ROOT / "scripts"))

import psycopg
from bench import say

from sutura import demo, wiring
from sutura.cluster import Cluster
from sutura.config import CATALOGUE, STATE
from sutura.core.matching.judging import Wanted, judge
from sutura.core.matching.kits import find_kits
from sutura.core.matching.picking import picking_of
from sutura.core.matching.ranking import Weights, rank
from sutura.core.matching.wanted import wanted_of
from sutura.services import catalogue
from sutura.services.known import known_about, offers_for, parts_for_kits
from sutura.store.database import connection
from sutura.store.offers import picked

BUDGET = 2.0
# one offer in fifty is of a part whose outline is that of a device in the catalogue
FILL = """
create temp table outline as select row_number() over () as place, * from (
    select distinct data -> 'need' ->> 'kind' as kind, (data -> 'need' ->> 'width_mm')::numeric as width,
    (data -> 'need' ->> 'height_mm')::numeric as height,
        data -> 'need' ->> 'part_family' as family
        from model where data -> 'need' ->> 'width_mm' is not null) found;
insert into supplier (id, name) select 'bench-' || n, 'Bench supplier ' || n from generate_series(1,
20) n on conflict do nothing;
insert into part (barcode, name, printed_number, grade, kind, attributes, box, pack)
select 'BENCH-' || n, 'Part ' || n, 'BN' || n || '-' || chr(65 + n %% 3), (array['genuine new',
'genuine pulled', 'refurbished', 'aftermarket', ''])[1 + n %% 5],
    coalesce(outline.kind, (array['front assembly', 'panel', 'glass', 'bare panel', 'lid assembly',
    'fused stack', 'front with frame'])[1 + n %% 7]),
    jsonb_strip_nulls(jsonb_build_object(
        'kind', coalesce(outline.kind, (array['front assembly', 'panel', 'glass', 'bare panel',
        'lid assembly', 'fused stack', 'front with frame'])[1 + n %% 7]),
        'part_family', case when n %% 100 = 50 then outline.family end,
        'width_mm', case when n %% 23 <> 0 then coalesce(outline.width,
        round((30 + random() * 370)::numeric, 1)) end,
        'height_mm', coalesce(outline.height, round((30 + random() * 220)::numeric, 1)), 'active_width_mm',
        round((28 + random() * 360)::numeric, 1),
        'resolution', (array['1366×768', 'FHD', '1170x2532', 'WXGA', '2560×1600'])[1 + n %% 5],
        'connector_pins', (array[30, 40, 38])[1 + n %% 3],
        'connector_kind', 'press', 'connector_place', (array['right', 'left', 'bottom right'])[1 + n %% 3],
        'mounting', 'glued frame', 'touch', 'integrated',
        'technology', (array['LCD', 'OLED'])[1 + n %% 2], 'refresh_hz', 60)),
    '[]', 'list:bench'
from generate_series(1,
%s) n left join outline on n %% 50 = 0 and outline.place = 1 + (n / 50) %% (select count(*) from outline);
insert into offer (part_id, supplier_id, number, price_minor, lead_days)
select part.id, 'bench-' || 1 + (part.id + k) %% 20, 'B' || part.id || '-' || k,
500 + (part.id * 7919 + k * 977) %% 40000, 1 + (part.id + k) %% 9
from part, generate_series(0, 1) k where part.pack = 'list:bench' and (k = 0 or part.id %% 10 < 4);
"""


def fill(url: str, offers: int) -> int:
    """The demo shop with so many offers more; how many there are."""
    wiring.connect(url)
    wiring.migrate()
    demo.fill(CATALOGUE, wiring.clock())
    say(f"Adding about {offers:,} offers")
    with psycopg.connect(url) as link:
        for statement in FILL.strip().split(";\n"):
            if statement.strip():
                link.execute(statement.rstrip(";"), [int(offers / 1.4)] if "%s" in statement else [])
        link.commit()
        link.autocommit = True
        link.execute("vacuum analyze")
        return int(link.execute("select count(*) from offer").fetchone()[0])  # type: ignore[index]


def needs() -> list[tuple[str, Wanted]]:
    """The needs of every model of the shipped packs and of its other routes."""
    found = [model for model, _ in catalogue.read_packs(CATALOGUE)[0] if model.numbers]
    return [
        (model.id, wanted_of(model, str(need["kind"])))
        for model in found
        for need in (model.need, *(route.need for route in model.routes))
    ]


def timed(act: Callable[[], object]) -> float:
    begun = time.perf_counter()
    act()
    return (time.perf_counter() - begun) * 1000


@dataclass
class Times:
    """Milliseconds of the bare query, of picking and judging, and of all that Match does; and how many offers
    were judged.
    """

    bare: list[float]
    judging: list[float]
    everything: list[float]
    counts: list[int]

    def ask(self, link: psycopg.Connection[Any], name: str, wanted: Wanted) -> None:
        """One need, all three ways in turn."""
        known = known_about(wanted, name, offers_for(wanted))
        query = picked(picking_of(wanted))
        self.bare.append(timed(lambda: link.execute(query.sql, query.values).fetchall()))
        self.judging.append(timed(lambda: [judge(wanted, offer, known) for offer in offers_for(wanted)]))
        self.counts.append(len(offers_for(wanted)))
        self.everything.append(timed(lambda: all_of_match(name, wanted)))


def all_of_match(name: str, wanted: Wanted) -> None:
    offers, parts = offers_for(wanted), parts_for_kits(wanted)
    known = known_about(wanted, name, [*offers, *parts])
    judged = [judge(wanted, offer, known) for offer in offers]
    rank([*judged, *find_kits(wanted, parts, known)], Weights(), wanted.minutes, 3)


def measure(url: str, rounds: int) -> Times:
    times = Times([], [], [], [])
    # as the served application does: collecting walks the whole program
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)
    chance = random.Random(5)
    with connection(), psycopg.connect(url) as link:
        every = needs()
        for _ in range(rounds):
            times.ask(link, *chance.choice(every))
    return times


def p95(values: list[float]) -> float:
    return statistics.quantiles(values, n=20, method="inclusive")[-1]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--offers", type=int, nargs="*", default=[100_000, 1_000_000])
    parser.add_argument("--rounds", type=int, default=400)
    parser.add_argument("--write", type=Path, default=ROOT / "docs" / "bench-matching.md")
    options = parser.parse_args()
    lines, within = [], True
    for offers in options.offers:
        cluster = Cluster(folder=STATE / "bench")
        cluster.remove()
        cluster.start()
        try:
            count = fill(cluster.url, offers)
            measure(cluster.url, options.rounds // 10)  # the first ones only warm up
            times = measure(cluster.url, options.rounds)
        finally:
            wiring.disconnect()
            cluster.remove()
        ratio = p95(times.judging) / p95(times.bare)
        within = within and (ratio <= BUDGET or offers > 100_000)
        lines.append(
            f"| {count:,} | {statistics.median(times.counts):.0f} ({max(times.counts)}) | "
            f"{statistics.median(times.bare):.1f} / {p95(times.bare):.1f} |"
            f" {statistics.median(times.judging):.1f} / {p95(times.judging):.1f} | **{ratio:.2f}** "
            f"| {statistics.median(times.everything):.1f} / {p95(times.everything):.1f} |"
        )
        say(lines[-1])
    text = f"""# One need against many offers

Made by `./sutura bench matching` on {datetime.now(UTC):%Y-%m-%d}: {options.rounds} needs drawn from the
catalogue, each asked in turn as a bare indexed query
(raw psycopg, rows fetched and thrown away), picked and judged by every rule,
and with kits searched and all of it ranked. Milliseconds, median / 95th
percentile. Budget: picking and judging at most {BUDGET:g} times the bare query at the 95th percentile, at
100,000 offers.

| offers | judged: median (most) | the bare query | picked and judged | ratio at p95 | all that Match does |
|---|---|---|---|---|---|
{chr(10).join(lines)}

Budget {"kept" if within else "NOT kept"}. Machine: 2 cores, Python {platform.python_version()}; shared, so
trust the ratios more than the digits.
"""
    options.write.write_text(text, "utf-8")
    print(text)
    return 0


if __name__ == "__main__":
    sys.exit(main())

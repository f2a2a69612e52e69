"""Server time of five requests beside a floor in the same run; writes docs/bench.md.

The floor answers with the same bytes from a bare Starlette application after sending the same statements by
raw
psycopg. Both are served by uvicorn in processes of their own and asked in turn over one kept connection each,
so a
machine that changes its pace changes both. `--open`, `--past` and `--rounds` make a smaller run.
"""

from __future__ import annotations

import argparse
import contextlib
import http.client
import itertools
import logging
import multiprocessing
import os
import platform
import re
import socket
import statistics
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))

import psycopg
import uvicorn

from sutura import demo, logs, wiring
from sutura.cluster import Cluster
from sutura.config import CATALOGUE, STATE
from sutura.core.job import code_of_job
from sutura.services import people
from sutura.store.database import connection, first_value
from sutura.web.session import COOKIE

# the design, section 9
BUDGET = 2.0
FIRST_PIECE = 5_000_000
# of small parts besides the screen, one in and one out
MOVES_EACH = 2
Statement = tuple[str, Sequence[Any]]


@dataclass
class Case:
    """One request with what was recorded of it: the statements it sends and the bytes it answers."""

    name: str
    method: str
    path: str
    statements: list[Statement]
    status: int = 200
    body: bytes = b""
    headers: dict[str, str] | None = None


def say(text: str) -> None:
    print(f"  {text}", file=sys.stderr, flush=True)


# -- filling --------------------------------------------------------------------------------


def fill(url: str, open_jobs: int, past_jobs: int) -> None:
    """The demo shop, multiplied: finished jobs with their results, events and stock moves, and open ones in
    every stage.
    """
    wiring.connect(url)
    wiring.migrate()
    with psycopg.connect(url) as link:
        # the floor reserves other pieces than ours: their numbers must be nobody else's
        link.execute("select setval('piece_id_seq', %s)", (FIRST_PIECE,))
    demo.fill(CATALOGUE, wiring.clock())
    say(f"Multiplying to {past_jobs:,} past and {open_jobs:,} open jobs")
    with psycopg.connect(url) as link:
        # pieces of dear parts come of their receipts
        link.execute(
            "insert into stock_move (part_id, quantity, kind, unit_cost_minor, person_id, at) select id, "
            "500, 'receipt', 5000, 1, now() from part where by_piece"
        )
        link.commit()
        # copies stand at stages a new job may not start in; the triggers are for people, not for this
        link.execute("set session_replication_role = replica")
        _copies(link, past_jobs, "stage = 'handed_back'")
        _copies(link, open_jobs, "stage in ('identified', 'quoted', 'part_in_hand', 'opened')")
        # stock enough for every reservation, and the moves of a shop that worked as long: for each past job
        # pieces came in and were fitted, of the parts that are not kept piece by piece
        link.execute("create temp table plain as select id from part where not by_piece and pack <> ''")
        link.execute(
            "insert into stock_move (part_id, quantity, kind, unit_cost_minor, value_minor, person_id, at) "
            "select id, 5000, 'receipt', 1000, 5000000, 1, now() from plain"
        )
        link.execute(
            "insert into stock_move (part_id, quantity, kind, unit_cost_minor, value_minor, job_id, "
            "person_id, at) select plain.id, move.quantity, move.kind, move.cost, move.quantity * 1000, "
            "move.job, 1, job.received_at from (select id, received_at, row_number() over (order by id) "
            "as place from job where stage = 'handed_back' and id > (select max(id) - %s from job where "
            "stage = 'handed_back')) job join (select id, row_number() over (order by id) - 1 as place, "
            "count(*) over () as parts from plain) plain on job.place %% plain.parts = plain.place cross "
            "join lateral (values (1, 'receipt', 1000, null), (-1, 'fitted', null, job.id)) move "
            f"(quantity, kind, cost, job) cross join generate_series(1, {MOVES_EACH // 2})",
            (past_jobs,),
        )
        link.execute("delete from model_came")
        link.execute(
            "insert into model_came (model_id, week, jobs) select model_id, date_trunc('week', "
            "received_at at time zone 'UTC')::date, count(*) from job group by 1, 2"
        )
        link.execute("delete from part_use")
        link.execute(
            "insert into part_use (part_id, week, uses) select part_id, date_trunc('week', at at time zone "
            "'UTC')::date, -sum(quantity) from stock_move where kind in ('fitted', 'taken_out') group by 1, 2"
        )
        link.execute(
            "update part set (on_hand, value_minor) = (select coalesce(sum(quantity), 0), "
            "coalesce(sum(value_minor), 0) from stock_move where part_id = part.id)"
        )
        link.execute(
            "update part set held = (select count(*) from reservation where part_id = part.id and "
            "state = 'held')"
        )
        link.commit()
        link.autocommit = True
        link.execute("vacuum analyze")


def _copies(link: psycopg.Connection[Any], wanted: int, which: str) -> None:
    first = link.execute("select max(id) + 1 from job").fetchone()[0]  # type: ignore[index]
    codes = (code for number in itertools.count(first * 3) if (code := code_of_job(number)))
    taken = {code for (code,) in link.execute("select code from job")}
    link.execute(
        "create temp table copy (id bigint, code text, original bigint, shift interval) on commit drop"
        if wanted
        else "select 1"
    )
    originals = [row[0] for row in link.execute(f"select id from job where {which} order by id")]
    with link.cursor().copy("copy copy from stdin") as out:
        number = 0
        while number < wanted:
            code = next(codes)
            if code not in taken:
                shift = f"{number % 700} days" if "handed" in which else f"{number * 40 % 20_160} minutes"
                out.write_row((first + number, code, originals[number % len(originals)], shift))
                number += 1
    columns = [
        row[0]
        for row in link.execute(
            "select column_name from information_schema.columns where table_name = 'job' order by "
            "ordinal_position"
        )
    ]
    # open jobs are promised over the next two weeks, past ones were over the last two years
    shifted = ("promise_at", "received_at", "finished_at") if "handed" in which else ("promise_at",)
    sign = "-" if "handed" in which else "+"
    picked = ", ".join(
        {"id": "copy.id", "code": "copy.code"}.get(
            c, f"job.{c} {sign} copy.shift" if c in shifted else f"job.{c}"
        )
        for c in columns
    )
    link.execute(
        f"insert into job ({', '.join(columns)}) select {picked} from copy join job on job.id = copy.original"
    )
    for table, kept in (
        ("function_result", "attempt, function, outcome, reason, person_id, at"),
        ("job_event", "at, person_id, kind, says, stage_before, stage_after, detail"),
        ("accessory", "name, kept"),
        ("consent", "consent, said, agreed_at"),
        ("bench_step", "attempt, step, expected, counted, reason, person_id, at"),
        ("reservation", "part_id, state, person_id, at"),
        ("payment", "amount_minor, currency, method, person_id, at"),
    ):
        names = ", ".join(f"{table}.{column.strip()}" for column in kept.split(","))
        link.execute(
            f"insert into {table} (job_id, {kept}) select copy.id, {names} from copy join {table} "
            f"on {table}.job_id = copy.original"
        )
    link.execute("select setval('job_id_seq', (select max(id) from job))")
    link.execute("drop table copy")


# -- recording ------------------------------------------------------------------------------


@contextmanager
def recorded() -> Iterator[list[Statement]]:
    found: list[Statement] = []

    class Record(logging.Handler):
        def emit(self, record: logging.LogRecord) -> None:
            if isinstance(record.msg, tuple):
                found.append((str(record.msg[0]), record.msg[1] or ()))

    logger, handler = logging.getLogger("peewee"), Record()
    logger.addHandler(handler)
    logger.setLevel(logging.DEBUG)
    logger.propagate = False
    yield found
    logger.removeHandler(handler)
    logger.setLevel(logging.WARNING)


def record(cookie: str, cases: list[Case], form: dict[str, str]) -> None:
    """Ask the application once for each case, keeping its statements and its answer."""
    from starlette.testclient import TestClient

    with TestClient(wiring.application(), base_url="http://testserver", follow_redirects=False) as client:
        client.cookies.set(COOKIE, cookie)
        for case in cases:
            if case.method == "GET":
                client.get(case.path)
            with recorded() as statements:
                answer = client.request(case.method, case.path, data=form if case.method == "POST" else None)
            if answer.status_code not in (200, 303):
                raise RuntimeError(f"{case.path}: {answer.status_code}")
            case.statements, case.status = list(statements), answer.status_code
            with client.stream(case.method, case.path) if case.method == "GET" else _nothing() as raw:
                case.body = b"".join(raw.iter_raw()) if raw else answer.content
                kept = (raw or answer).headers
            case.headers = {
                k: v
                for k, v in kept.items()
                if k
                in (
                    "content-type",
                    "content-encoding",
                    "location",
                    "cache-control",
                    "content-security-policy",
                )
            }


@contextmanager
def _nothing() -> Iterator[None]:
    yield None


# -- the two servers ------------------------------------------------------------------------


def serve_application(listener: socket.socket, url: str) -> None:
    logs.to_file(Path(os.devnull))
    wiring.connect(url)
    uvicorn.Server(uvicorn.Config(wiring.application(), log_config=None)).run(sockets=[listener])


def serve_floor(listener: socket.socket, url: str, cases: list[Case], original: dict[str, Any]) -> None:
    import threading

    from starlette.applications import Starlette
    from starlette.requests import Request
    from starlette.responses import Response
    from starlette.routing import Route

    local = threading.local()

    def send(case: Case, swap: dict[Any, Any]) -> Response:
        if not hasattr(local, "link"):
            local.link = psycopg.connect(url, autocommit=True)
        with local.link.transaction() if case.method == "POST" else contextlib.nullcontext():
            replay(case, swap)
        return Response(case.body, case.status, case.headers)

    def replay(case: Case, swap: dict[Any, Any]) -> None:
        for sql, parameters in case.statements:
            cursor = local.link.execute(
                sql,
                [
                    swap.get(parameter, parameter) if isinstance(parameter, (str, int)) else parameter
                    for parameter in parameters
                ],
            )
            if cursor.description:
                cursor.fetchall()

    def endpoint(case: Case) -> Callable[..., Any]:
        def get(_: Request) -> Response:
            return send(case, {})

        def post(request: Request) -> Response:
            job, code, key = (
                request.query_params["id"],
                request.query_params["code"],
                request.query_params["key"],
            )
            swap = {
                original["piece"]: int(request.query_params["piece"]),
                original["id"]: int(job),
                original["code"]: code,
                original["key"]: f"{original['key'].split(':')[0]}:{key}",
                f"/jobs/{original['code']}": f"/jobs/{code}",
            }
            return send(case, swap)

        return post if case.method == "POST" else get

    routes = [
        Route(
            "/reserve" if case.method == "POST" else case.path.split("?")[0],
            endpoint(case),
            methods=[case.method],
        )
        for case in cases
    ]
    uvicorn.Server(uvicorn.Config(Starlette(routes=routes), log_config=None)).run(sockets=[listener])


def started(target: Callable[..., None], *arguments: Any) -> tuple[multiprocessing.process.BaseProcess, int]:
    listener = socket.socket()
    listener.bind(("127.0.0.1", 0))
    port = listener.getsockname()[1]
    process = multiprocessing.get_context("fork").Process(
        target=target, args=(listener, *arguments), daemon=True
    )
    process.start()
    return process, port


class Client:
    """One kept connection that times whole answers."""

    def __init__(self, port: int, cookie: str = "") -> None:
        self.port, self.headers = port, {"Cookie": f"{COOKIE}={cookie}", "Accept-Encoding": "gzip"}
        deadline = time.monotonic() + 30
        while True:
            try:
                self.link = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
                self.link.connect()
                break
            except OSError:
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.1)

    def ask(self, method: str, path: str, form: dict[str, str] | None = None) -> tuple[float, int, int]:
        body = urlencode(form) if form else None
        headers = self.headers | ({"Content-Type": "application/x-www-form-urlencoded"} if form else {})
        begun = time.perf_counter()
        self.link.request(method, path, body, headers)
        answer = self.link.getresponse()
        size = len(answer.read())
        return (time.perf_counter() - begun) * 1000, answer.status, size


# -- the run --------------------------------------------------------------------------------


@dataclass
class Row:
    name: str
    floor_ms: float
    ours_ms: float
    ratio: float
    spread: tuple[float, float]
    statements: int
    size: int


def measure(
    case: Case,
    ours: Client,
    floor: Client,
    rounds: int,
    reserve: Iterator[tuple[int, str]],
    pieces: Iterator[int],
    csrf: str,
) -> Row:
    pairs = []
    size = 0
    for number in range(rounds + 5):
        if case.method == "GET":
            our_ms, status, size = ours.ask("GET", case.path)
            floor_ms, floor_status, _ = floor.ask("GET", case.path)
        else:
            _, code = next(reserve)
            our_ms, status, size = ours.ask(
                "POST", f"/jobs/{code}/match/take", {"csrf": csrf, "form_key": f"bench-key-{number:06d}"}
            )
            job, code = next(reserve)
            floor_ms, floor_status, _ = floor.ask(
                "POST", f"/reserve?id={job}&code={code}&key=floor-key-{number:06d}&piece={next(pieces)}"
            )
        if status not in (200, 303) or floor_status not in (200, 303):
            raise RuntimeError(f"{case.name}: {status} and {floor_status}")
        if number >= 5:
            pairs.append((our_ms, floor_ms))
    ratios = sorted(a / b for a, b in pairs)
    return Row(
        case.name,
        statistics.median(b for _, b in pairs),
        statistics.median(a for a, _ in pairs),
        statistics.median(ratios),
        (ratios[len(ratios) // 10], ratios[-len(ratios) // 10 - 1]),
        len(case.statements),
        size,
    )


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--open", type=int, default=500)
    parser.add_argument("--past", type=int, default=50_000)
    parser.add_argument("--rounds", type=int, default=150)
    parser.add_argument("--write", type=Path, default=ROOT / "docs" / "bench.md")
    options = parser.parse_args()
    cluster = Cluster(folder=STATE / "bench")
    cluster.remove()
    say("Starting a database of its own, with the shop's safe settings")
    cluster.start()
    try:
        fill(cluster.url, options.open, options.past)
        rows = run(cluster.url, options.rounds)
    finally:
        wiring.disconnect()
        cluster.remove()
    options.write.write_text(report(rows, options.open, options.past, options.rounds), "utf-8")
    print(report(rows, options.open, options.past, options.rounds))
    return 0


def run(url: str, rounds: int) -> list[Row]:
    with connection():
        person = first_value("select id from person where login = 'ines'")
        cookie = people.open_session(person, wiring.clock())
        csrf = first_value("select csrf from login_session order by created_at desc limit 1")
        busy = first_value("select code from job where stage = 'opened' order by id desc limit 1")
        to_match = first_value(
            "select code from job where stage = 'identified' and model_id = 'fennick-heron' order "
            "by id desc limit 1"
        )
    with psycopg.connect(url) as link:
        quoted = link.execute(
            "select id, code from job where stage = 'quoted' and model_id = 'fennick-heron' and "
            "offer_id in (select id from offer) order by id desc"
        ).fetchall()
    if len(quoted) < 20:
        raise RuntimeError("too few jobs to reserve for: use more open jobs")
    reserve = iter(quoted[1:])
    first_id, first_code = quoted[0]
    cases = [
        Case("Next", "GET", "/", []),
        Case("a job page", "GET", f"/jobs/{busy}", []),
        Case("Match", "GET", f"/jobs/{to_match}/match", []),
        Case("Shelf", "GET", "/shelf", []),
        Case("reserve (POST)", "POST", f"/jobs/{first_code}/match/take", []),
    ]
    record(cookie, cases, {"csrf": csrf, "form_key": "bench-key-first"})
    wiring.disconnect()
    with psycopg.connect(url) as link:
        taken, part = link.execute(
            "select piece_id, part_id from reservation where job_id = %s and state = 'held'", (first_id,)
        ).fetchone()  # type: ignore[misc] # it was just made
        # from the other end of the shelf
        pieces = (
            number
            for (number,) in link.execute(
                "select id from piece where part_id = %s and state = 'here' order by id desc limit 1000",
                (part,),
            ).fetchall()
        )
    original = {"id": first_id, "code": first_code, "key": f"{person}:bench-key-first", "piece": taken}
    ours, our_port = started(serve_application, url)
    floor, floor_port = started(serve_floor, url, cases, original)
    try:
        our_client, floor_client = Client(our_port, cookie), Client(floor_port)
        rows = []
        for case in cases:
            say(f"Measuring {case.name}")
            times = min(rounds, (len(quoted) - 1) // 2 - 5) if case.method == "POST" else rounds
            rows.append(measure(case, our_client, floor_client, times, reserve, pieces, csrf))
        return rows
    finally:
        for process in (ours, floor):
            process.terminate()
            process.join(10)


def report(rows: list[Row], open_jobs: int, past_jobs: int, rounds: int) -> str:
    cpu = next(
        (
            line.split(":", 1)[1].strip()
            for line in Path("/proc/cpuinfo").read_text().splitlines()
            if "model name" in line
        ),
        platform.machine(),
    )
    with Path("/proc/meminfo").open() as memory:
        gigabytes = int(re.findall(r"\d+", memory.readline())[0]) // 1024**2
    lines = [
        "# Server time beside its floor",
        "",
        (
            f"Made by `./sutura bench` on {datetime.now(UTC):%Y-%m-%d}: {open_jobs:,} open jobs, "
            f"promised over two weeks, and {past_jobs:,} past ones with their results, events and stock "
            "moves."
        ),
        "",
        (
            "The floor sends the same statements by raw psycopg and answers with the same bytes from "
            "bare Starlette; both run under uvicorn in"
        ),
        (
            f"processes of their own and are asked in turn, {rounds} times (fewer for the reservation), "
            "over one connection each. The ratio is the median of the pairs;"
        ),
        f"the spread is its 10th to 90th percentile. Budget: at most {BUDGET:g}×.",
        "",
        "| request | statements | bytes sent | floor, ms | Sutura, ms | ratio | spread | within budget |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for row in rows:
        verdict = "yes" if row.ratio <= BUDGET else "**no**"
        lines.append(
            f"| {row.name} | {row.statements} | {row.size:,} | {row.floor_ms:.1f} | "
            f"{row.ours_ms:.1f} | {row.ratio:.2f}× | {row.spread[0]:.2f}–{row.spread[1]:.2f} | "
            f"{verdict} |"
        )
    lines += [
        "",
        (
            f"Machine: {cpu}, {os.cpu_count()} cores, {gigabytes} GB; Python "
            f"{platform.python_version()}; the machine is shared, so trust the ratios more than the "
            "times."
        ),
        "",
    ]
    return "\n".join(lines)


if __name__ == "__main__":
    sys.exit(main())

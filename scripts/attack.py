"""Attack a demo for a while, from a seed: kills under twenty clients and moving money, races, nonsense to
every address, broken bodies, models that change, customers who are erased, and at last a full disk.

    python scripts/attack.py --seconds 60 --seed 1

It starts a demo of its own in a folder of its own and ends it; where it may mount a small file system, that
is where it lies. What must come out: no answer of 5xx that is not "the database is away", nothing
acknowledged lost, nothing doubled, terminal and books of one mind, no traceback in the log.
"""

from __future__ import annotations

import argparse
import random
import re
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import quote

from attack_deeds import (
    cards,
    changes,
    erased_are_gone,
    erasing,
    fills,
    mounted,
    once_only,
    open_at_the_terminal,
    screws,
    terminal_and_books,
    touched,
)
from attacked import Client, Demo, Found, connected

CLIENTS, PAYERS = 20, 4
# an attack that is no longer does not wait for what the worker settles after a minute and a half
SOON = 120
NASTY = (
    "",
    " ",
    "0",
    "-1",
    "1e999",
    "9" * 5000,
    "NaN",
    "\x00",
    "\ud800",
    "%s%n",
    "'; drop table job; --",
    "<script>alert(1)</script>",
    "{{7*7}}",
    "0001-01-01T00:00",
    "9999-12-31T23:59",
    "[" * 50_000,
    '[{"kind":"crack","points":[[1e400,"x"],[null]]}]',
    "../../etc/passwd",
    "x" * 250_000,
    "１２３",
    "‮",
    "4006381333931",
)
BROKEN = (
    ("multipart/form-data", b"--x\r\n"),
    ("multipart/form-data; boundary=x", b'--x\r\nContent-Disposition: form-data; name="a"\r\n\r\nhalf'),
    ("application/x-www-form-urlencoded", b"&".join(b"a%d=1" % n for n in range(6000))),
    ("application/x-www-form-urlencoded", b"\xff\xfe=%zz"),
    ("application/json", b"[" * 100_000),
)


def fuzz(demo: Demo, chance: random.Random, found: Found, until: float) -> None:
    """Nonsense in every field of every address, with the tokens of somebody who is signed in."""
    from sutura.web.app import addresses

    known = sorted(addresses())
    clients = [Client(demo, who) for who in ("Ines", "Pell", "Bram")]
    for client in clients:
        client.sign_in()
    _, board = clients[0].get("/")
    codes = re.findall(r"/jobs/([0-9A-Z-]{6,7})", board) or ["00-KV6"]
    while time.monotonic() < until:
        method, path = chance.choice(known)
        if path.startswith("/sign-"):
            continue
        client = chance.choice(clients)

        def some(_: re.Match[str]) -> str:
            plain = chance.choice([*codes, "1", "2", "P-1001", "fennick-heron", "parts", *NASTY])
            return quote(plain[:200], safe="", errors="ignore")

        where = re.sub(r"\{[a-z_]+\}", some, path)
        try:
            if method == "GET":
                junk = quote(chance.choice(NASTY)[:2000], safe="", errors="ignore")
                status = client.get(f"{where}?q={junk}&page={junk}&kind={junk}&before={junk}")[0]
            elif chance.random() < 0.15:
                status = client.send(where, *chance.choice(BROKEN))
            else:
                names = chance.sample(FIELDS, 12)
                fields = {name: chance.choice(NASTY) for name in names}
                status = client.post(where, fields, f"attack-{chance.getrandbits(64):x}")
        except OSError:
            continue
        found.saw("nonsense", status, f"{method} {where[:80]}")


FIELDS = [
    "act",
    "name",
    "phone",
    "email",
    "note",
    "complaint",
    "serial",
    "read_number",
    "marks",
    "signature",
    "promise",
    "promise_at",
    "promise_reason",
    "price",
    "price_reason",
    "reason",
    "why",
    "version",
    "technician",
    "offer",
    "members",
    "kind",
    "quantity",
    "unit_cost",
    "receipt_note",
    "counted",
    "step",
    "amount",
    "method",
    "returned",
    "explanation",
    "way_back",
    "login",
    "role",
    "password",
    "active",
    "factor.x",
    "function.image",
    "look.image",
    "consent",
    "accessory",
    "kept.other",
    "edid",
    "typed_name",
    "other",
    "text",
    "applies",
    "cups",
    "hours",
    "mon_opens",
    "closed",
    "weight.x",
    "rate",
    "tax",
    "markup",
    "supplier",
    "file",
    "map.x",
    "measured.width_mm",
    "destroyed",
    "outcome",
    "says",
    "seen",
    "supervisor",
    "mark",
    "model_id",
    "customer_id",
    "_customer_id",
    "seq",
]


def raw_bodies(demo: Demo, found: Found, until: float) -> None:
    """Bodies that never end, break off, or say another length than they have."""
    heads = (
        b"POST /counter/new HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\n\r\nhalf",
        b"POST /sign-in HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\nffffffff\r\n",
        b"GET /\x00 HTTP/1.1\r\nHost: x\r\n\r\n",
        b"GET / HTTP/1.1\r\nHost: evil.example\r\n" + b"X: y\r\n" * 2000 + b"\r\n",
        b"\x16\x03\x01 not http",
    )
    while time.monotonic() < until:
        for head in heads:
            try:
                with socket.create_connection(("127.0.0.1", demo.port), timeout=5) as link:
                    link.sendall(head)
                    link.settimeout(0.3)
                    try:
                        answer = link.recv(200)
                    except TimeoutError:
                        answer = b""
            except OSError:
                continue
            status = re.match(rb"HTTP/1.1 (\d{3})", answer)
            found.saw("broken body", int(status[1]) if status else 0, repr(head[:30]))
        time.sleep(0.2)


def receive(demo: Demo, number: int, found: Found, until: float) -> None:
    """Puts one piece on the shelf after another, each with a note of its own, and sends a form again with its
    own key until it is acknowledged: as a person would who sees "not saved".
    """
    client, count = Client(demo, "Ines"), 0
    while time.monotonic() < until:
        note = f"attack {number}-{count}"
        count += 1
        while time.monotonic() < until + 60:
            try:
                if not client.csrf:
                    client.sign_in()
                fields = {"quantity": "1", "unit_cost": "1.00", "receipt_note": note}
                status = client.post("/shelf/P-1001/receive", fields, f"attack-{number:03d}-{count:06d}")
            except OSError:
                client.csrf = ""
                time.sleep(0.3)
                continue
            found.saw("receive", status, note)
            if status == 303:
                with found.lock:
                    found.acknowledged.add(note)
                break
            client.csrf = ""
            time.sleep(0.2)


def race(demo: Demo, chance: random.Random, found: Found, until: float) -> None:
    """The same form by two hands at once, and two forms that want the same thing."""
    ines = Client(demo, "Ines")
    while time.monotonic() < until:
        try:
            ines.sign_in()
            _, board = ines.get("/match")
            codes = list(dict.fromkeys(re.findall(r"/jobs/([0-9A-Z-]{6,7})/match", board)))
            if not codes:
                return
            path, key = f"/jobs/{chance.choice(codes)}/match/take", f"race-{chance.getrandbits(64):x}"
            hands = [threading.Thread(target=_press, args=(ines, path, key, found)) for _ in range(4)]
            for hand in hands:
                hand.start()
            for hand in hands:
                hand.join()
        except OSError:
            continue
        time.sleep(0.5)


def _press(client: Client, path: str, key: str, found: Found) -> None:
    try:
        found.saw("race", client.post(path, {}, key), path)
    except OSError:
        return


def killing(demo: Demo, chance: random.Random, found: Found, until: float) -> None:
    while time.monotonic() < until:
        time.sleep(chance.uniform(2, 6))
        what = chance.choice(["application", "worker", "database", "database"])
        demo.kill(what)
        found.kills[what] += 1


def held_against_the_database(demo: Demo, found: Found) -> list[str]:
    """What was acknowledged and is not there, or is there twice."""
    with connected(demo.database) as link:
        rows = link.execute(
            "select note, count(*) from stock_move where note like 'attack %' group by note"
        ).fetchall()
        held, booked = link.execute(
            "select on_hand, (select sum(quantity) from stock_move where part_id = part.id) from "
            "part where barcode = 'P-1001'"
        ).fetchone() or (0, 0)
    there: dict[str, int] = dict(rows)
    lost = [f"lost: {note}" for note in sorted(found.acknowledged) if note not in there]
    doubled = [f"doubled: {note}" for note, count in there.items() if count > 1]
    apart = [] if held == booked else [f"on hand {held}, by the ledger {booked}"]
    return lost + doubled + apart + terminal_and_books(demo) + erased_are_gone(demo, found)


@contextmanager
def a_demo() -> Iterator[Demo]:
    folder = Path(tempfile.mkdtemp(prefix="sutura-attack-"))
    folder.chmod(0o755)
    small = mounted(folder)
    try:
        demo = Demo(folder, small=small)
        try:
            yield demo
        finally:
            demo.stop()
            from sutura.cluster import Cluster

            Cluster(folder=folder / "postgres").remove()
    finally:
        if small:
            subprocess.run(["umount", "-l", str(folder)], check=False)
        shutil.rmtree(folder, ignore_errors=True)


def main() -> int:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    chance, found = random.Random(options.seed), Found()
    with a_demo() as demo:
        once_only(demo)
        before = touched(demo)
        # half of the time without kills, so that every answer counts; half under them
        until = time.monotonic() + options.seconds / 2
        calm = [
            threading.Thread(target=fuzz, args=(demo, random.Random(options.seed + n), found, until))
            for n in range(3)
        ]
        calm.append(threading.Thread(target=raw_bodies, args=(demo, found, until)))
        calm.append(threading.Thread(target=race, args=(demo, chance, found, until)))
        for deed in (changes, erasing):
            calm.append(threading.Thread(target=deed, args=(demo, random.Random(options.seed), found, until)))
        _all(calm)
        until = time.monotonic() + options.seconds / 2
        busy = [threading.Thread(target=receive, args=(demo, n, found, until)) for n in range(CLIENTS)]
        busy += [threading.Thread(target=cards, args=(demo, n, found, until)) for n in range(PAYERS)]
        for deed in (changes, erasing):
            late = random.Random(options.seed + 1)
            busy.append(threading.Thread(target=deed, args=(demo, late, found, until)))
        busy.append(threading.Thread(target=screws, args=(demo, found, until)))
        busy.append(threading.Thread(target=killing, args=(demo, chance, found, until)))
        _all(busy)
        _until(demo.answers, 60)
        if options.seconds > SOON:
            # what was asked when somebody was killed is asked about after a minute and a half
            _until(lambda: open_at_the_terminal(demo) == 0, 240)
        full = fills(demo, found) if demo.small else []
        wrong = found.wrong + full + held_against_the_database(demo, found)
        after = touched(demo)
        for code in sorted(after.keys() | found.screws.keys()):
            times = after.get(code, 0) - before.get(code, 0)
            if times != found.screws[code]:
                wrong.append(f"screws of {code}: {found.screws[code]} acknowledged, {times} kept")
        log = (demo.state / "sutura.log").read_text("utf-8", "replace")
        errors = log.count('"event": "server error"') + log.count("'event': 'server error'")
        printed = (demo.state / "demo.out").read_text("utf-8", "replace")
        traces = printed.count("Traceback")
        if errors or traces:
            wrong.append(f"{errors} server errors in the log, {traces} tracebacks")
            wrong += [line[:1500] for line in log.splitlines() if "server error" in line][:5]
            # each with what it ends in
            wrong += [piece[:4000] for piece in printed.split("Traceback")[1:4]]
        small = demo.small
    asked = ", ".join(f"{count:,} {what}" for what, count in sorted(found.asked.items()))
    kills = ", ".join(f"{count} {what}" for what, count in sorted(found.kills.items()))
    print(f"asked: {asked}; killed: {kills}; by card: {found.by_card:,}")
    print(f"the disk was {'' if small else 'not '}filled; screws: {found.screws.total():,}")
    print(f"acknowledged: {len(found.acknowledged):,}; erased: {len(found.erased)}")
    print("\n".join(wrong) if wrong else "0 answers of 5xx, 0 lost, 0 doubled, 0 tracebacks")
    return 1 if wrong else 0


def _until(so: Callable[[], bool], seconds: float) -> None:
    deadline = time.monotonic() + seconds
    while not so() and time.monotonic() < deadline:
        time.sleep(0.5)


def _all(threads: list[threading.Thread]) -> None:
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


if __name__ == "__main__":
    sys.exit(main())

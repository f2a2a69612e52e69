"""Attack a demo for a while, from a seed: kills under twenty clients, races, nonsense to every address,
broken bodies.

    python scripts/attack.py --seconds 60 --seed 1

It starts a demo of its own in a folder of its own and ends it. What must come out: no answer of 5xx that is
not "the database is away", nothing acknowledged lost, nothing doubled, no traceback in the log.
"""

from __future__ import annotations

import argparse
import contextlib
import http.client
import os
import random
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlencode

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))

CLIENTS = 20
# a database that is being started again is away, and says so
AWAY = 503
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


@dataclass
class Found:
    """What the attack saw."""

    asked: Counter[str] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)
    acknowledged: set[str] = field(default_factory=set)
    kills: Counter[str] = field(default_factory=Counter)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def saw(self, what: str, status: int, path: str) -> None:
        with self.lock:
            self.asked[f"{what} {status // 100}xx" if status else f"{what} unanswered"] += 1
            if status >= 500 and status != AWAY:
                self.wrong.append(f"{what}: {status} at {path}")


class Demo:
    """A demo in a folder of its own, killed and started again at will."""

    def __init__(self, state: Path) -> None:
        self.state = state
        self.process = self._start()

    def _start(self) -> subprocess.Popen[bytes]:
        paths = os.pathsep.join(filter(None, [str(ROOT / "src"), os.environ.get("PYTHONPATH", "")]))
        environment = os.environ | {"SUTURA_STATE": str(self.state), "PYTHONPATH": paths}
        (self.state / "running").unlink(missing_ok=True)
        with (self.state / "demo.out").open("ab") as out:
            process = subprocess.Popen(
                [sys.executable, "-m", "sutura.cli", "demo"], env=environment, stdout=out, stderr=out
            )
        deadline = time.monotonic() + 360
        while time.monotonic() < deadline:
            told = self.state / "running"
            if told.exists() and (address := told.read_text().strip()):
                self.port = int(address.rpartition(":")[2])
                if self.answers():
                    return process
            if process.poll() is not None:
                raise SystemExit(f"the demo did not start: see {self.state / 'demo.out'}")
            time.sleep(0.2)
        process.terminate()
        raise SystemExit("the demo did not start in six minutes")

    def answers(self) -> bool:
        try:
            return ask(self.port, "GET", "/ready")[0] == 200
        except OSError:
            return False

    def kill(self, what: str) -> None:
        """Kill one of the three with no chance to tidy up; the application is started again by us, the others
        are by it.
        """
        if what == "application":
            self.process.kill()
            self.process.wait()
            self.process = self._start()
            return
        number = self._database() if what == "database" else self._worker()
        if number:
            # one that ended in the meantime is as good as killed
            with contextlib.suppress(ProcessLookupError):
                os.kill(number, signal.SIGKILL)

    def _database(self) -> int:
        file = (self.state / "postgres").resolve() / "data" / "postmaster.pid"
        return int(file.read_text().split()[0]) if file.exists() else 0

    def _worker(self) -> int:
        children = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children")
        found = [int(number) for number in children.read_text().split()] if children.exists() else []
        working = [n for n in found if b"sutura.cli\x00work" in Path(f"/proc/{n}/cmdline").read_bytes()]
        return working[0] if working else 0

    def stop(self) -> None:
        self.process.send_signal(signal.SIGINT)
        try:
            self.process.wait(30)
        except subprocess.TimeoutExpired:
            self.process.kill()


def ask(
    port: int, method: str, path: str, body: bytes | None = None, headers: dict[str, str] | None = None
) -> tuple[int, str, list[tuple[str, str]]]:
    link = http.client.HTTPConnection("127.0.0.1", port, timeout=40)
    try:
        link.request(method, path, body, headers or {})
        answer = link.getresponse()
        text = answer.read().decode("utf-8", "replace")
        return answer.status, text, answer.getheaders()
    except http.client.HTTPException as broken:
        raise OSError(str(broken)) from broken
    finally:
        link.close()


def _cookie(headers: list[tuple[str, str]], name: str) -> str:
    """The cookie of a name that an answer sets, as it is sent back; empty when it sets none."""
    pieces = [value.partition(";")[0] for key, value in headers if key.lower() == "set-cookie"]
    return next((piece for piece in pieces if piece.startswith(f"{name}=")), "")


class Client:
    """One person's browser."""

    def __init__(self, demo: Demo, who: str) -> None:
        self.demo, self.who = demo, who
        self.cookie, self.csrf = "", ""

    def sign_in(self) -> None:
        self.csrf = ""
        _, page, headers = ask(self.demo.port, "GET", "/sign-in")
        before = _cookie(headers, "sutura_before")
        person = re.search(rf'name="_?person" value="(\d+)"[^>]*>\s*(?:<[^>]+>\s*)*{self.who}', page)
        form = urlencode(
            {"csrf": before.partition("=")[2], "person": person[1] if person else "1", "then": "/"}
        )
        _, _, headers = ask(self.demo.port, "POST", "/sign-in/demo", form.encode(), self._headers(before))
        self.cookie = _cookie(headers, "sutura_session")
        found = re.search(r'name="csrf" value="([^"]+)"', self.get("/")[1])
        self.csrf = found[1] if found else ""

    @staticmethod
    def _headers(cookie: str) -> dict[str, str]:
        return {"Cookie": cookie, "Content-Type": "application/x-www-form-urlencoded"}

    def get(self, path: str) -> tuple[int, str]:
        status, text, _ = ask(self.demo.port, "GET", path, headers={"Cookie": self.cookie})
        return status, text

    def post(self, path: str, fields: dict[str, str], key: str) -> int:
        form = urlencode({"csrf": self.csrf, "form_key": key, **fields}, errors="surrogatepass").encode()
        return ask(self.demo.port, "POST", path, form, self._headers(self.cookie))[0]

    def send(self, path: str, kind: str, body: bytes) -> int:
        return ask(self.demo.port, "POST", path, body, {"Cookie": self.cookie, "Content-Type": kind})[0]


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


def connected(url: str) -> Any:
    """A connection to the database, which may still be coming back from its last kill on a slow machine."""
    import psycopg

    deadline = time.monotonic() + 60
    while True:
        try:
            return psycopg.connect(url)
        except psycopg.OperationalError:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.5)


def held_against_the_database(demo: Demo, found: Found) -> list[str]:
    """What was acknowledged and is not there, or is there twice."""
    from sutura.cluster import Cluster

    with connected(Cluster(folder=demo.state / "postgres").url) as link:
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
    return lost + doubled + ([] if held == booked else [f"on hand {held}, by the ledger {booked}"])


@contextmanager
def a_demo() -> Iterator[Demo]:
    folder = Path(tempfile.mkdtemp(prefix="sutura-attack-"))
    folder.chmod(0o755)
    demo = Demo(folder)
    try:
        yield demo
    finally:
        demo.stop()
        from sutura.cluster import Cluster

        Cluster(folder=folder / "postgres").remove()
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
        # half of the time without kills, so that every answer counts; half under them
        until = time.monotonic() + options.seconds / 2
        calm = [
            threading.Thread(target=fuzz, args=(demo, random.Random(options.seed + n), found, until))
            for n in range(3)
        ]
        calm.append(threading.Thread(target=raw_bodies, args=(demo, found, until)))
        calm.append(threading.Thread(target=race, args=(demo, chance, found, until)))
        _all(calm)
        until = time.monotonic() + options.seconds / 2
        busy = [threading.Thread(target=receive, args=(demo, n, found, until)) for n in range(CLIENTS)]
        busy.append(threading.Thread(target=killing, args=(demo, chance, found, until)))
        _all(busy)
        deadline = time.monotonic() + 60
        while not demo.answers() and time.monotonic() < deadline:
            time.sleep(0.5)
        wrong = found.wrong + held_against_the_database(demo, found)
        log = (demo.state / "sutura.log").read_text("utf-8", "replace")
        errors = log.count('"event": "server error"') + log.count("'event': 'server error'")
        printed = (demo.state / "demo.out").read_text("utf-8", "replace")
        traces = printed.count("Traceback")
        if errors or traces:
            wrong.append(f"{errors} server errors in the log, {traces} tracebacks")
            wrong += [line[:1500] for line in log.splitlines() if "server error" in line][:5]
            # each with what it ends in
            wrong += [piece[:4000] for piece in printed.split("Traceback")[1:4]]
    asked = ", ".join(f"{count:,} {what}" for what, count in sorted(found.asked.items()))
    kills = ", ".join(f"{count} {what}" for what, count in sorted(found.kills.items()))
    print(f"asked: {asked}; killed: {kills}; acknowledged: {len(found.acknowledged):,}")
    print("\n".join(wrong) if wrong else "0 answers of 5xx, 0 lost, 0 doubled, 0 tracebacks")
    return 1 if wrong else 0


def _all(threads: list[threading.Thread]) -> None:
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


if __name__ == "__main__":
    sys.exit(main())

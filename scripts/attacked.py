"""What an attack attacks, and by whom: a demo in a folder of its own, people's browsers, what they saw."""

from __future__ import annotations

import contextlib
import http.client
import os
import re
import signal
import subprocess
import sys
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))

# a database that is being started again is away, and says so
AWAY = 503


@dataclass
class Found:
    """What the attack saw."""

    asked: Counter[str] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)
    acknowledged: set[str] = field(default_factory=set)
    erased: set[int] = field(default_factory=set)
    by_card: int = 0
    screws: Counter[str] = field(default_factory=Counter)
    kills: Counter[str] = field(default_factory=Counter)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def saw(self, what: str, status: int, path: str) -> None:
        with self.lock:
            self.asked[f"{what} {status // 100}xx" if status else f"{what} unanswered"] += 1
            if status >= 500 and status != AWAY:
                self.wrong.append(f"{what}: {status} at {path}")


class Demo:
    """A demo in a folder of its own, killed and started again at will."""

    def __init__(self, state: Path, *, small: bool = False) -> None:
        self.state, self.small = state, small
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

    @property
    def database(self) -> str:
        from sutura.cluster import Cluster

        return Cluster(folder=self.state / "postgres").url

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

    def upload(self, path: str, name: str, body: bytes) -> tuple[int, str]:
        """A file sent by its form; the status, and where it leads."""
        fields = {"csrf": self.csrf, "form_key": f"upload-{time.monotonic_ns()}"}
        parts = [
            f'--edge\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n{text}\r\n'.encode()
            for key, text in fields.items()
        ]
        head = f'--edge\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
        whole = b"".join(parts) + head + body + b"\r\n--edge--\r\n"
        kind = {"Cookie": self.cookie, "Content-Type": "multipart/form-data; boundary=edge"}
        status, _, headers = ask(self.demo.port, "POST", path, whole, kind)
        return status, next((value for key, value in headers if key.lower() == "location"), "")

    def send(self, path: str, kind: str, body: bytes) -> int:
        return ask(self.demo.port, "POST", path, body, {"Cookie": self.cookie, "Content-Type": kind})[0]


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

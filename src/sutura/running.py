"""Runs the demo on this machine: one at a time, its database with it, both stopped together.

The lock belongs to the process, so a killed one leaves nothing that blocks the next start.
"""

from __future__ import annotations

import fcntl
import os
import shutil
import socket
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import uvicorn
from uvicorn.supervisors import ChangeReload

from sutura import logs, wiring, worker
from sutura.cluster import Cluster
from sutura.config import CATALOGUE, DEFAULT_PORT, ROOT, STATE
from sutura.web.connections import Limited

PORTS_TRIED = 20
FOUND_BUSY_PATIENCE_S = 20.0


class AlreadyRuns(Exception):
    """A demo of this folder runs already; the message is its address, or empty when it is only starting."""


def say(text: str) -> None:
    print(f"  {text}", file=sys.stderr, flush=True)


def demo_cluster() -> Cluster:
    return Cluster(folder=STATE / "postgres")


@contextmanager
def only_one(state: Path) -> Iterator[Path]:
    """Hold the demo's lock; gives the file that tells others where it runs."""
    state.mkdir(parents=True, exist_ok=True)
    told = state / "running"
    lock = os.open(state / "demo.lock", os.O_RDWR | os.O_CREAT, 0o644)
    try:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise AlreadyRuns(_address(told)) from None
        told.unlink(missing_ok=True)
        yield told
        told.unlink(missing_ok=True)
    finally:
        os.close(lock)


def _address(told: Path) -> str:
    """Where the running demo says it is; waits for one that is only starting."""
    deadline = time.monotonic() + FOUND_BUSY_PATIENCE_S
    while time.monotonic() < deadline:
        if told.exists() and (text := told.read_text().strip()):
            return text
        time.sleep(0.2)
    return ""


def listen(host: str, port: int) -> socket.socket:
    """A listening socket on the port, or on the next free one after it."""
    for candidate in range(port, port + PORTS_TRIED):
        listener = socket.socket()
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, candidate))
            listener.listen(128)
        except OSError:
            listener.close()
            continue
        return listener
    raise RuntimeError(f"ports {port} to {port + PORTS_TRIED - 1} are all taken")


def run_demo(*, fresh: bool, port: int = DEFAULT_PORT) -> int:
    """Start everything with demo data and serve until Ctrl-C."""
    return _alone(fresh=fresh, port=port, serve=_serve)


def run_dev(*, fresh: bool, port: int = DEFAULT_PORT) -> int:
    """The demo for those who work on it: code and templates are read anew when they change."""
    return _alone(fresh=fresh, port=port, serve=_serve_reloading)


# serves an open socket with the database of a cluster until Ctrl-C
Serve = Callable[[Cluster, socket.socket], None]


def _alone(*, fresh: bool, port: int, serve: Serve) -> int:
    try:
        with only_one(STATE) as told:
            return _run(told, fresh=fresh, port=port, serve=serve)
    except AlreadyRuns as running:
        where = f" at {running}" if str(running) else " in this folder; it is still starting"
        say(f"Sutura already runs{where}. Stop that one with Ctrl-C before starting another.")
        return 0


def _run(told: Path, *, fresh: bool, port: int, serve: Serve) -> int:
    cluster = demo_cluster()
    if fresh:
        say("Throwing the old demo data away")
        cluster.remove()
    say("Starting the database")
    cluster.start()
    if cluster.is_elsewhere:
        say(f"Its data is in {cluster.place}: the server may not enter this folder")
    try:
        wiring.connect(cluster.url)
        _fill()
        listener = listen("127.0.0.1", port)
        taken = listener.getsockname()[1]
        address = f"http://127.0.0.1:{taken}"
        if taken != port:
            say(f"Port {port} is taken, so this is {taken}")
        told.write_text(address)
        _welcome(address)
        logs.to_file(STATE / "sutura.log")
        try:
            with cluster.kept_running(), worker.beside(cluster.url):
                serve(cluster, listener)
        except KeyboardInterrupt:
            pass
        finally:
            wiring.disconnect()
    finally:
        say("Stopping the database")
        cluster.stop()
    say("Stopped. The data is kept; start again with ./sutura demo")
    return 0


def _serve(_: Cluster, listener: socket.socket) -> None:
    application = wiring.application(demo=True)
    uvicorn.Server(
        uvicorn.Config(
            application, log_config=None, http=Limited, proxy_headers=False, timeout_graceful_shutdown=5
        )
    ).run([listener])


def _serve_reloading(cluster: Cluster, listener: socket.socket) -> None:
    os.environ["DATABASE_URL"] = cluster.url
    config = uvicorn.Config(
        "sutura.wiring:developing",
        factory=True,
        reload=True,
        reload_dirs=[str(ROOT / "src")],
        log_config=None,
        timeout_graceful_shutdown=1,
    )
    say("Code and templates are read anew when they change")
    ChangeReload(config, target=uvicorn.Server(config).run, sockets=[listener]).run()


def _fill() -> None:
    from sutura import demo  # the invented shop is only needed here

    for name in wiring.migrate():
        say(f"Migrated: {name}")
    if demo.is_empty():
        say("Filling in the demo shop: sixty days of a shop's life")
        wiring.plug_terminal_of_the_demo()
        say(f"{demo.fill(CATALOGUE, wiring.clock(), _told)} jobs taken in")
    elif (days := demo.age_days(wiring.clock())) > 0:
        say(
            f"The demo data was made {days} day{'s' if days > 1 else ''} ago; ./sutura demo --fresh "
            "makes it new"
        )


def _told(done: int, of: int) -> None:
    """A line for every tenth job, so that whoever waits sees it go on."""
    if done % 10 == 0 or done == of:
        say(f"{done} of {of} jobs")


def _welcome(address: str) -> None:
    line = "─" * min(shutil.get_terminal_size().columns - 4, 60)
    for text in (
        line,
        f"Sutura runs at {address}",
        "Sign in: choose one of the people on the first page, or type",
        "  ines / demo-password     (manager)",
        "Stop with Ctrl-C.",
        line,
    ):
        print(f"  {text}", flush=True)

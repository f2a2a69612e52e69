"""One private database server for the whole run; a clone of a ready-made database for each test file."""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable, Iterator
from functools import wraps
from pathlib import Path
from typing import Any

import psycopg
import pytest
import structlog
from argon2 import PasswordHasher
from builders import FEWER, NOW, Shop, set_up
from hypothesis import HealthCheck, settings

from sutura import wiring
from sutura.cluster import Cluster
from sutura.config import STATE
from sutura.core.errors import Refusal
from sutura.devices import plug
from sutura.devices.simulated.card_terminal import SimulatedTerminal
from sutura.devices.simulated.label_printer import SimulatedPrinter
from sutura.devices.simulated.messenger import SimulatedMessenger
from sutura.devices.simulated.plate import SimulatedPlate
from sutura.devices.simulated.programmer import SimulatedProgrammer
from sutura.devices.simulated.supplier_desk import SimulatedDesk
from sutura.devices.simulated.thermometer import SimulatedThermometer
from sutura.services import people
from sutura.store.database import DATABASE, connection, in_deed
from sutura.words.speech import PLAIN

settings.register_profile(
    "sutura", deadline=None, suppress_health_check=[HealthCheck.too_slow], max_examples=60 // FEWER
)
settings.load_profile("sutura")
_NUMBERS = itertools.count(1)
# a traceback with every local of a page takes minutes to draw: plain lines are enough here
structlog.configure(
    processors=[structlog.processors.format_exc_info, structlog.processors.KeyValueRenderer()]
)


# the one walk through a job that the fast part keeps of what needs the database
KEPT = "test_w01_goes_from_counter_to_handover_and_leaves_everything_behind"


# files that share nothing that is dear to make, or that would take one process too long: so many of their
# tests go together; every other file goes as a whole
APART = {
    "test_accessibility.py": 1,
    "test_bench.py": 6,
    "test_launcher.py": 2,
    "test_old_shops.py": 1,
    "test_samples.py": 6,
    "test_w01.py": 1,
}
# what takes longest begins first, so that no process is left with it when the others are done
FIRST = ("test_attack", "test_accessibility", "test_demo", "test_launcher", "test_old_shops", "test_w01")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What needs a database of the shop is told apart: the fast part leaves it out. Of what waits for a
    browser or a whole product, tests that share what is dear to make go together.
    """
    together: dict[str, list[pytest.Item]] = {}
    for item in items:
        fixtures: tuple[str, ...] = getattr(item, "fixturenames", ())
        if "database" in fixtures and item.name != KEPT:
            item.add_marker("stored")
        together.setdefault(_group_of(item, together), []).append(item)
    for name, group in together.items():
        for item in group:
            item.add_marker(pytest.mark.xdist_group(name))
    items[:] = [item for name in sorted(together, key=_place) for item in together[name]]


def _group_of(item: pytest.Item, so_far: dict[str, list[pytest.Item]]) -> str:
    """The tests of a file go together; a long file that waits in parts."""
    waits = any(item.get_closest_marker(name) for name in ("browser", "slow"))
    name = f"{item.path.parent.name}-{item.path.stem}-{'waits' if waits else 'busy'}"
    most = APART.get(item.path.name, 0) if waits else 0
    number = next(n for n in itertools.count() if not most or len(so_far.get(f"{name}-{n}", ())) < most)
    return f"{name}-{number}"


def _place(name: str) -> int:
    return next((place for place, first in enumerate(FIRST) if first in name), len(FIRST))


@pytest.fixture(autouse=True)
def refusals_in_english(monkeypatch: pytest.MonkeyPatch) -> None:
    """A refusal that a test reads or matches is said in English; core itself keeps facts alone."""
    monkeypatch.setattr(Refusal, "__str__", lambda refusal: PLAIN.say(refusal))


# what goes out of the house, of each stand-in
OUTSIDE = {
    SimulatedDesk: ("submit",),
    SimulatedPrinter: ("print_labels",),
    SimulatedThermometer: ("read",),
    SimulatedProgrammer: ("read", "write"),
    SimulatedPlate: ("set", "read"),
    SimulatedMessenger: ("send", "forget"),
    SimulatedTerminal: ("charge", "look_up", "refund"),
}


@pytest.fixture(scope="session", autouse=True)
def no_device_is_asked_inside_a_deed() -> Iterator[None]:
    """A law of every test: a device that does not answer holds no lock, and what it did is not taken back."""
    with pytest.MonkeyPatch.context() as patch:
        for stand_in, asked in OUTSIDE.items():
            for name in asked:
                patch.setattr(stand_in, name, _asked_outside(getattr(stand_in, name)))
        yield


def _asked_outside(ask: Callable[..., Any]) -> Callable[..., Any]:
    @wraps(ask)
    def asked(*args: Any, **kwargs: Any) -> Any:
        assert not in_deed(), f"{ask.__qualname__} is asked inside a transaction"
        return ask(*args, **kwargs)

    return asked


@pytest.fixture(scope="session", autouse=True)
def cheap_passwords() -> Iterator[None]:
    """Hashing as it ships takes a fifth of a second a time, on purpose; test_people holds that it does."""
    with pytest.MonkeyPatch.context() as patch:
        cheap = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
        patch.setattr(people, "_HASHER", cheap)
        patch.setattr(people, "_NOBODY", cheap.hash("nobody"))
        yield


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """The tests' own server: never the demo's, never the system's."""
    for left in STATE.glob("test-*"):
        # a run that was killed leaves its server behind
        if not Path(f"/proc/{left.name.removeprefix('test-')}").exists():
            Cluster(folder=left).remove()
    server = Cluster(folder=STATE / f"test-{os.getpid()}", fast_and_unsafe=True)
    server.start()
    yield server
    server.remove()


@pytest.fixture(scope="session")
def template(cluster: Cluster) -> str:
    """Name of a database that is migrated and holds the shop, its people and the packs."""
    _sql(cluster, "create database ready_made")
    wiring.connect(cluster.url_of("ready_made"))
    wiring.migrate()
    set_up(NOW)
    wiring.disconnect()
    return "ready_made"


@pytest.fixture(scope="module")
def database(cluster: Cluster, template: str) -> Iterator[str]:
    """A clone for one test file, connected; its address."""
    name = f"clone_{next(_NUMBERS)}"
    _sql(cluster, f"create database {name} template {template}")
    url = cluster.url_of(name)
    wiring.connect(url)
    # numbers of orders begin anew: a desk that remembers those of another file would answer for them
    plug(supplier_desk=SimulatedDesk(), label_printer=SimulatedPrinter())
    yield url
    wiring.disconnect()
    _sql(cluster, f"drop database {name} with (force)")


@pytest.fixture
def shop(database: str) -> Iterator[Shop]:
    """The shop inside a transaction that is taken back after the test."""
    with connection(), DATABASE.atomic() as transaction:
        yield Shop()
        transaction.rollback()


def _sql(cluster: Cluster, statement: str) -> None:
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute(statement)

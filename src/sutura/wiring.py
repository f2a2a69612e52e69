"""Puts the parts together: the database, the clock, the web application."""

from __future__ import annotations

import threading
from datetime import UTC, datetime
from pathlib import Path

from fastapi import FastAPI

from sutura import devices, logs
from sutura.config import MIGRATIONS, settings
from sutura.core.maths import statistics
from sutura.devices.simulated.card_terminal import SimulatedTerminal
from sutura.devices.simulated.label_printer import SimulatedPrinter
from sutura.devices.simulated.messenger import SimulatedMessenger
from sutura.devices.simulated.plate import SimulatedPlate
from sutura.devices.simulated.programmer import SimulatedProgrammer
from sutura.devices.simulated.supplier_desk import SimulatedDesk
from sutura.devices.simulated.thermometer import SimulatedThermometer
from sutura.services import identify, messages
from sutura.services import shop as shop_service
from sutura.store import database, migrating
from sutura.store import job as job_store
from sutura.web.app import make_app
from sutura.web.present import read_templates_anew
from sutura.web.settings import WebSettings


def clock() -> datetime:
    return datetime.now(UTC)


def connect(url: str) -> None:
    database.connect(url)


def disconnect() -> None:
    database.close_all()


def count_jobs() -> int:
    """How many jobs the database holds; 0 when it has no tables yet."""
    return job_store.count_jobs()


def ensure_shop() -> bool:
    """Set up the one shop with plain rates when there is none; True when that was needed."""
    chosen = settings()
    return shop_service.set_up_shop(chosen.shop, "", chosen.timezone, chosen.currency)


def migrate() -> list[str]:
    return migrating.migrate(MIGRATIONS)


def ready() -> list[str]:
    """Why the application is not ready; empty when it is."""
    try:
        waiting = migrating.pending(MIGRATIONS)
    except database.DatabaseAway as away:
        return [f"the database does not answer: {away}"]
    return [f"migration {name} is not applied" for name in waiting]


def web_settings(*, demo: bool) -> WebSettings:
    return WebSettings(
        demo=demo,
        secure_cookies=settings().secure_cookies,
        threads=settings().threads,
        clock=clock,
        ready=ready,
        database_away=database.DatabaseAway,
        database_busy=database.DatabaseBusy,
        database_full=database.DatabaseFull,
        device_address=settings().device_address,
    )


def plug_terminal_of_the_demo() -> None:
    """The card terminal while the invented shop is filled in: without faults, and what it charged is
    remembered, so that it can go back to its card.
    """
    devices.plug(terminal=SimulatedTerminal(memory=_terminal_memory()))


def _terminal_memory() -> Path:
    return settings().state / "cards.json"


def plug_devices() -> None:
    """The stand-ins for outside devices, with the faults that the settings switch on; and where customers
    reach the shop.
    """
    messages.reached_at(settings().public_address)
    devices.plug(
        supplier_desk=SimulatedDesk(_named(settings().supplier_faults)),
        label_printer=SimulatedPrinter(_named(settings().label_faults)),
        programmer=SimulatedProgrammer(_named(settings().programmer_faults)),
        plate=SimulatedPlate(_named(settings().plate_faults)),
        thermometer=SimulatedThermometer(_named(settings().thermometer_faults)),
        messenger=SimulatedMessenger(_named(settings().message_faults), settings().state / "outbox"),
        terminal=SimulatedTerminal(_named(settings().terminal_faults), _terminal_memory()),
    )


def _named(faults: str) -> list[str]:
    return [name.strip() for name in faults.split(",") if name.strip()]


def application(*, demo: bool = False) -> FastAPI:
    plug_devices()
    # beside the start: a second here, ten on a cold disk
    threading.Thread(target=statistics.load_functions, name="load functions", daemon=True).start()
    return make_app(web_settings(demo=demo))


def developing() -> FastAPI:
    """For a server that starts again when code changes: the demo, with templates read anew."""
    connect(settings().database_url)
    read_templates_anew()
    return application(demo=True)


def serving() -> FastAPI:
    """For a server that starts workers by name: connects to DATABASE_URL and makes the application."""
    logs.to_stderr()
    connect(settings().database_url)
    identify.warm_up()
    return application()

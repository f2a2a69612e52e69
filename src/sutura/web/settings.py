"""What the web application is told when it is put together."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class WebSettings:
    """`ready` gives the reasons why not; `database_away` is the error of a database that does not answer,
    `database_busy` of one in which somebody else holds what is wanted, `database_full` of one without room.
    """

    demo: bool
    secure_cookies: bool
    threads: int
    clock: Callable[[], datetime]
    ready: Callable[[], list[str]]
    database_away: type[Exception]
    database_busy: type[Exception]
    database_full: type[Exception]
    # where a device under test reaches this application; empty = guessed
    device_address: str = ""

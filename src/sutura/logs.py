"""Structured logs: one JSON object a line, with the request's id."""

from __future__ import annotations

import contextlib
import json
import sys
import threading
from pathlib import Path
from typing import Protocol, TextIO, cast

import structlog


class _Bytes(Protocol):
    def write(self, line: bytes, /) -> int | None: ...

    def flush(self) -> None: ...


class Lines:
    """A stream of whole lines that never breaks what is told in it: where it cannot be written to – its disk
    is full, its reader gone – lines are lost, and how many is said as soon as one can be written again.
    """

    def __init__(self, out: _Bytes) -> None:
        self._out, self._lost = out, 0
        self._lock = threading.Lock()
        self._begun = threading.local()

    def write(self, text: str) -> int:
        begun: str = getattr(self._begun, "text", "") + text
        *lines, self._begun.text = begun.split("\n")
        for line in lines:
            self._tell(line)
        return len(text)

    def flush(self) -> None:
        with self._lock, contextlib.suppress(OSError, ValueError):
            self._out.flush()

    def _tell(self, line: str) -> None:
        with self._lock:
            try:
                if self._lost:
                    said = {"event": "log lines lost", "count": self._lost, "level": "warning"}
                    self._out.write(f"{json.dumps(said)}\n".encode())
                    self._lost = 0
                self._out.write(f"{line}\n".encode("utf-8", "backslashreplace"))
            except (OSError, ValueError):
                self._lost += 1


def to_stream(out: TextIO) -> None:
    """For whoever has a stream to write to."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(ensure_ascii=False),
        ],
        logger_factory=structlog.PrintLoggerFactory(out),
        cache_logger_on_first_use=False,
    )


def to_file(path: Path) -> None:
    """For the demo: the terminal stays readable, the log is beside the data."""
    to_stream(cast("TextIO", Lines(path.open("ab", buffering=0))))


def to_stderr() -> None:
    """For real use: whoever runs the service collects it."""
    to_stream(cast("TextIO", Lines(sys.stderr.buffer)))

"""Structured logs: one JSON object a line, with the request's id."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TextIO

import structlog


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
    to_stream(path.open("a", encoding="utf-8", buffering=1))


def to_stderr() -> None:
    """For real use: whoever runs the service collects it."""
    to_stream(sys.stderr)

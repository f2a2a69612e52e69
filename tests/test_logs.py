"""The log never breaks what is told in it."""

from __future__ import annotations

import json

import pytest
import structlog

from sutura import logs


class Disk:
    """A file whose disk may be full, or that is closed."""

    def __init__(self) -> None:
        self.held = b""
        self.broken: Exception | None = None

    def write(self, line: bytes) -> int:
        if self.broken:
            raise self.broken
        self.held += line
        return len(line)

    def flush(self) -> None:
        if self.broken:
            raise self.broken


@pytest.mark.parametrize("broken", [OSError(28, "No space left on device"), ValueError("closed file")])
def test_lines_that_cannot_be_written_are_lost_and_counted(broken: Exception) -> None:
    """Before, a page on a machine with a full disk answered 500 because its line could not be written."""
    disk = Disk()
    lines = logs.Lines(disk)
    print("one", file=lines)
    disk.broken = broken
    for _ in range(3):
        print("lost", file=lines, flush=True)
    disk.broken = None
    print("two", file=lines)
    first, said, last = disk.held.decode().splitlines()
    assert (first, json.loads(said)["count"], last) == ("one", 3, "two")


def test_a_line_is_one_json_object_whatever_is_in_it() -> None:
    before, disk = structlog.get_config(), Disk()
    try:
        logs.to_stream(logs.Lines(disk))  # type: ignore[arg-type]
        structlog.get_logger("sutura").info("request", path="/größe\n", odd="\ud800")
    finally:
        structlog.configure(**before)
    [line] = disk.held.decode().splitlines()
    assert json.loads(line)["path"] == "/größe\n"

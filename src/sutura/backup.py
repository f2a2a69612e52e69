"""Backup and restore of one database with PostgreSQL's own programs: one command each."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path
from urllib.parse import unquote, urlsplit

from sutura.cluster import find_postgres


class BackupFailed(RuntimeError):
    """The message holds the program's own words."""


def backup(url: str, file: Path) -> int:
    """Write the whole database to a file, complete or not at all; its size in bytes."""
    half = file.with_name(file.name + ".part")
    try:
        _run("pg_dump", url, "--format=custom", "--no-owner", "--no-privileges", f"--file={half}")
        half.replace(file)
    finally:
        half.unlink(missing_ok=True)
    return file.stat().st_size


def restore(url: str, file: Path) -> None:
    """Put a backup in the place of what the database holds, in one transaction: all of it or nothing."""
    if not file.is_file():
        raise BackupFailed(f"there is no file {file}")
    _run(
        "pg_restore",
        url,
        "--clean",
        "--if-exists",
        "--no-owner",
        "--no-privileges",
        "--single-transaction",
        "--exit-on-error",
        str(file),
    )


def _run(program: str, url: str, *arguments: str) -> None:
    parts = urlsplit(url)
    # the password goes by the environment, where other people's process lists do not show it
    environment = os.environ | {
        "PGHOST": parts.hostname or "",
        "PGPORT": str(parts.port or 5432),
        "PGUSER": unquote(parts.username or ""),
        "PGPASSWORD": unquote(parts.password or ""),
        "PGDATABASE": unquote(parts.path.lstrip("/")),
    }
    target = ["--dbname", unquote(parts.path.lstrip("/"))] if program == "pg_restore" else []
    done = subprocess.run(
        [str(find_postgres() / program), *target, *arguments],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode != 0:
        raise BackupFailed(f"{program} failed: {done.stderr.strip()[:500]}")

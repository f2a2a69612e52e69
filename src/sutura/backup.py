"""Backup and restore of one database with PostgreSQL's own programs: one command each."""

from __future__ import annotations

import os
import re
import secrets
import subprocess
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import unquote, urlsplit

import psycopg

from sutura.cluster import find_postgres


class BackupFailed(RuntimeError):
    """The message holds the program's own words."""


def backup(url: str, file: Path) -> int:
    """Write the whole database to a file, complete or not at all; its size in bytes."""
    half = file.with_name(file.name + ".part")
    half.unlink(missing_ok=True)
    # customers stand in it: for whoever made it alone, from its first byte on
    half.touch(mode=0o600)
    try:
        _run("pg_dump", url, "--format=custom", "--no-owner", "--no-privileges", f"--file={half}")
        half.replace(file)
    finally:
        half.unlink(missing_ok=True)
    return file.stat().st_size


@dataclass(frozen=True, slots=True, kw_only=True)
class Inside:
    """What a backup says of itself: whose shop it is, and the migrations its tables have had."""

    shop: str
    migrations: frozenset[str]


def look_inside(file: Path) -> Inside:
    """Read a backup's shop and migrations, without restoring it."""
    if not file.is_file():
        raise BackupFailed(f"there is no file {file}")
    tables = ["--data-only", "--table=shop", "--table=schema_migration", "--file=-", str(file)]
    done = subprocess.run(
        [str(find_postgres() / "pg_restore"), *tables], capture_output=True, text=True, check=False
    )
    if done.returncode != 0:
        raise BackupFailed(f"{file.name} is no backup: {done.stderr.strip()[:200]}")
    return Inside(
        shop=next(iter(_column(done.stdout, "shop", "name")), ""),
        migrations=frozenset(_column(done.stdout, "schema_migration", "name")),
    )


def _column(dump: str, table: str, column: str) -> list[str]:
    """One column of a table in PostgreSQL's text of a dump."""
    found = re.search(rf"^COPY public\.{table} \(([^)]*)\) FROM stdin;\n(.*?)^\\\.$", dump, re.M | re.S)
    if not found:
        return []
    place = [name.strip(' "') for name in found[1].split(",")].index(column)
    return [line.split("\t")[place] for line in found[2].splitlines()]


def check_backup(url: str, file: Path, known: frozenset[str]) -> None:
    """Refuse a backup of another shop than the one it would replace, or of a newer Sutura than this."""
    inside = look_inside(file)
    newer = sorted(inside.migrations - known)
    if newer:
        raise BackupFailed(
            f"{file.name} comes from a newer Sutura: this one does not know {', '.join(newer)}"
        )
    if not inside.migrations:
        raise BackupFailed(f"{file.name} is no backup of Sutura")
    with psycopg.connect(url) as link:
        there = link.execute("select to_regclass('public.shop')").fetchone()
        row = link.execute("select name from shop").fetchone() if there and there[0] else None
    if row and row[0] != inside.shop:
        raise BackupFailed(
            f"{file.name} is of “{inside.shop}”, and the database holds “{row[0]}”: restore it into "
            "an empty one"
        )


def restore(url: str, file: Path) -> None:
    """Put a backup in the place of what the database holds, in one transaction: all of it or nothing. Running
    processes are told by the shop's stamp, and it is kept who did what.
    """
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
    with psycopg.connect(url) as link:
        stamped = link.execute(
            "select 1 from information_schema.columns where table_name = 'shop' and column_name = 'stamp'"
        ).fetchone()
        if stamped:
            link.execute("update shop set stamp = %s", (secrets.token_hex(8),))
            link.execute(
                "insert into audit_event (at, what, detail) values (now(), 'restored', "
                "jsonb_build_object('file', %s::text))",
                (file.name,),
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

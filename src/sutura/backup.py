"""Backup and restore of one database with PostgreSQL's own programs: one command each.

With a passphrase the backup is locked by GnuPG (symmetric, AES-256, with its own check that nothing was
changed); whoever finds the file without the words reads nothing.
"""

from __future__ import annotations

import os
import re
import secrets
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO
from urllib.parse import unquote, urlsplit

import psycopg

from sutura.cluster import find_postgres

# of two tables with few rows; packed, a hundred megabytes are a few thousand bytes. The shop's, no source
MOST_INSIDE = 1_000_000


class BackupFailed(RuntimeError):
    """The message holds the program's own words."""


def backup(url: str, file: Path, words: str = "") -> int:
    """Write the whole database to a file, complete or not at all, locked by the words of a passphrase where
    there are some; its size in bytes.
    """
    half = file.with_name(file.name + ".part")
    half.unlink(missing_ok=True)
    # customers stand in it: for whoever made it alone, from its first byte on
    half.touch(mode=0o600)
    dump = ["--format=custom", "--no-owner", "--no-privileges"]
    try:
        if words:
            # nothing of it lies on the disk unlocked
            with half.open("wb") as out:
                _run(
                    "pg_dump", url, *dump, into=_gpg(words, "--symmetric", "--cipher-algo", "AES256"), out=out
                )
        else:
            _run("pg_dump", url, *dump, f"--file={half}")
        half.replace(file)
    finally:
        half.unlink(missing_ok=True)
    return file.stat().st_size


@contextmanager
def unlocked(file: Path, words: str = "") -> Iterator[Path]:
    """The file as PostgreSQL reads it: itself, or what the words of its passphrase unlock, for this while."""
    if not file.is_file():
        raise BackupFailed(f"there is no file {file}")
    with file.open("rb") as opened:
        locked = opened.read(5) != b"PGDMP"
    if not locked:
        yield file
        return
    if not words:
        raise BackupFailed(
            f"{file.name} is locked or is no backup: add --passphrase-file with the words it was locked with"
        )
    # a folder of its own is for whoever made it alone
    with tempfile.TemporaryDirectory() as folder:
        plain = Path(folder) / file.name
        gpg = _gpg(words, "--decrypt", "--output", str(plain), str(file))
        done = subprocess.run(gpg.command, capture_output=True, text=True, check=False, pass_fds=(gpg.words,))
        gpg.clear()
        if done.returncode != 0:
            raise BackupFailed(f"{file.name} is not unlocked by this passphrase, or it is no backup")
        yield plain


@dataclass(frozen=True, slots=True, kw_only=True)
class _Gpg:
    """GnuPG about to run: it reads the words from a pipe, where no list of processes shows them."""

    command: list[str]
    words: int
    home: str

    def clear(self) -> None:
        os.close(self.words)
        # its helper, if it started one, ends with the home it was started for
        shutil.rmtree(self.home, ignore_errors=True)


def _gpg(words: str, *arguments: str) -> _Gpg:
    program = shutil.which("gpg")
    if not program:
        raise BackupFailed("a backup is locked and unlocked by gpg: apt-get install gpg gpg-agent")
    read, write = os.pipe()
    os.write(write, words.encode() + b"\n")
    os.close(write)
    home = tempfile.mkdtemp()
    plain = [
        "--batch",
        "--yes",
        "--no-tty",
        "--quiet",
        "--pinentry-mode",
        "loopback",
        "--compress-algo",
        "none",
    ]
    return _Gpg(
        command=[program, "--homedir", home, *plain, "--passphrase-fd", str(read), *arguments],
        words=read,
        home=home,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Inside:
    """What a backup says of itself: whose shop it is, and the migrations its tables have had."""

    shop: str
    migrations: frozenset[str]


def look_inside(file: Path) -> Inside:
    """Read the shop and the migrations of an unlocked backup, without restoring it."""
    if not file.is_file():
        raise BackupFailed(f"there is no file {file}")
    tables = ["--data-only", "--table=shop", "--table=schema_migration", "--file=-", str(file)]
    with tempfile.TemporaryFile() as wrong:
        command = [str(find_postgres() / "pg_restore"), *tables]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=wrong) as done:
            assert done.stdout
            said = done.stdout.read(MOST_INSIDE + 1)
            if len(said) > MOST_INSIDE:
                done.kill()
                raise BackupFailed(
                    f"{file.name} is no backup of Sutura: a shop and its migrations are a few thousand "
                    f"bytes, here they are more than {MOST_INSIDE:,}"
                )
        if done.returncode != 0:
            wrong.seek(0)
            reason = wrong.read(200).decode("utf-8", "replace").strip()
            raise BackupFailed(f"{file.name} is no backup: {reason}")
    text = said.decode("utf-8", "replace")
    return Inside(
        shop=next(iter(_column(text, "shop", "name")), ""),
        migrations=frozenset(_column(text, "schema_migration", "name")),
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


def _run(
    program: str, url: str, *arguments: str, into: _Gpg | None = None, out: IO[bytes] | None = None
) -> None:
    """Run one of PostgreSQL's programs on a database; what it writes goes through another program into `out`
    where that is named.
    """
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
    with tempfile.TemporaryFile() as complaints:
        failed = False
        with subprocess.Popen(
            [str(find_postgres() / program), *target, *arguments],
            env=environment,
            stdout=subprocess.PIPE if into else subprocess.DEVNULL,
            stderr=complaints,
        ) as first:
            if into:
                failed = _pass_on(first.stdout, into, out, complaints) != 0
        if first.returncode or failed:
            complaints.seek(0)
            said = complaints.read().decode(errors="replace").strip()
            raise BackupFailed(f"{program} failed: {said[:500]}")


def _pass_on(read: IO[bytes] | None, into: _Gpg, out: IO[bytes] | None, complaints: IO[bytes]) -> int:
    done = subprocess.run(
        into.command, stdin=read, stdout=out, stderr=complaints, check=False, pass_fds=(into.words,)
    )
    into.clear()
    return done.returncode

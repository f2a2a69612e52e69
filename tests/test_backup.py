"""A backup is restored into another database and every table compared, row by row."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import psycopg
import pytest
from builders import PLAIN, Shop

from sutura import wiring
from sutura.backup import BackupFailed, backup, check_backup, look_inside, restore, unlocked
from sutura.cluster import Cluster
from sutura.config import MIGRATIONS
from sutura.services import people
from sutura.store import database as store_database
from sutura.store import handover_tables
from sutura.store import people as people_store

pytestmark = pytest.mark.slow


def contents(url: str) -> dict[str, list[tuple[object, ...]]]:
    with psycopg.connect(url) as link:
        found = {}
        for table in handover_tables.ALL:
            name = table._meta.table_name
            # a restore leaves its own line and the shop's new stamp, and nothing else
            lines = {
                "shop": "select (to_jsonb(shop) - 'stamp')::text from shop",
                "audit_event": "select audit_event::text from audit_event where what <> 'restored'",
            }
            query = lines.get(name, f'select "{name}"::text from "{name}"')
            found[name] = sorted(link.execute(query).fetchall())
        found["applied"] = link.execute("select count(*) from information_schema.triggers").fetchall()
        return found


@pytest.fixture
def elsewhere(cluster: Cluster) -> str:
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute("drop database if exists elsewhere with (force)")
        link.execute("create database elsewhere")
    return cluster.url_of("elsewhere")


def test_what_is_restored_equals_what_was_backed_up(database: str, elsewhere: str, tmp_path: Path) -> None:
    shop = Shop()
    shop.receive("P-2001", 3)
    shop.hand_back(shop.closed(PLAIN))
    shop.opened(PLAIN)
    before = contents(database)
    assert before["job"]
    assert before["stock_move"]
    size = backup(database, tmp_path / "shop.backup")
    assert size > 1000
    restore(elsewhere, tmp_path / "shop.backup")
    assert contents(elsewhere) == before
    restore(elsewhere, tmp_path / "shop.backup")
    assert contents(elsewhere) == before, "restoring over a filled database gives the same"


def test_the_shop_works_on_after_a_restore(database: str, elsewhere: str, tmp_path: Path) -> None:
    backup(database, tmp_path / "shop.backup")
    restore(elsewhere, tmp_path / "shop.backup")
    wiring.connect(elsewhere)
    try:
        assert wiring.ready() == []
        shop = Shop()
        shop.receive("P-2001", 1)
        assert shop.job(shop.held(PLAIN)).code
    finally:
        wiring.connect(database)


def test_a_broken_file_changes_nothing(database: str, elsewhere: str, tmp_path: Path) -> None:
    whole, broken = tmp_path / "shop.backup", tmp_path / "broken.backup"
    backup(database, whole)
    restore(elsewhere, whole)
    before = contents(elsewhere)
    broken.write_bytes(whole.read_bytes()[:-2000])
    with pytest.raises(BackupFailed):
        restore(elsewhere, broken)
    with pytest.raises(BackupFailed, match="no file"):
        restore(elsewhere, tmp_path / "nothing.backup")
    assert contents(elsewhere) == before


def test_a_small_file_that_unpacks_to_a_large_one_is_refused(
    database: str, elsewhere: str, tmp_path: Path
) -> None:
    """What a backup says of itself is read before anything is put in its place, and never without end."""
    with psycopg.connect(elsewhere) as link:
        link.execute("create table shop (name text)")
        link.execute("insert into shop select repeat('a', 1000000) from generate_series(1, 100)")
    bomb = tmp_path / "bomb.backup"
    size = backup(elsewhere, bomb)
    assert size < 2_000_000, "packed to a fiftieth"
    with pytest.raises(BackupFailed, match="a few thousand bytes"):
        check_backup(database, bomb, frozenset())


def test_a_failed_backup_leaves_no_half_file(cluster: Cluster, tmp_path: Path) -> None:
    with pytest.raises(BackupFailed):
        backup(cluster.url_of("there_is_none"), tmp_path / "x.backup")
    assert list(tmp_path.iterdir()) == []


def test_a_backup_is_for_whoever_made_it_alone(database: str, tmp_path: Path) -> None:
    file = tmp_path / "shop.backup"
    backup(database, file)
    assert file.stat().st_mode & 0o777 == 0o600
    file.chmod(0o644)
    backup(database, file)
    assert file.stat().st_mode & 0o777 == 0o600, "one that is written again is closed, too"


def test_a_backup_knows_its_shop_and_its_schema_and_a_foreign_or_newer_one_is_refused(
    database: str, elsewhere: str, tmp_path: Path
) -> None:
    file = tmp_path / "shop.backup"
    backup(database, file)
    known = frozenset(each.stem for each in MIGRATIONS.glob("[0-9]*.py"))
    assert look_inside(file).shop == "Test Screens"
    assert look_inside(file).migrations == known
    check_backup(elsewhere, file, known)
    check_backup(database, file, known)
    with pytest.raises(BackupFailed, match="newer Sutura"):
        check_backup(database, file, known - {max(known)})
    restore(elsewhere, file)
    with psycopg.connect(elsewhere) as link:
        link.execute("update shop set name = 'Another shop'")
    with pytest.raises(BackupFailed, match="Another shop"):
        check_backup(elsewhere, file, known)
    (tmp_path / "letter.txt").write_text("dear customer")
    with pytest.raises(BackupFailed, match="no backup"):
        check_backup(elsewhere, tmp_path / "letter.txt", known)


def test_a_running_process_forgets_what_it_keeps_when_it_is_restored_under(
    database: str, elsewhere: str, tmp_path: Path
) -> None:
    file = tmp_path / "shop.backup"
    backup(database, file)
    stamps = set()
    for _ in range(2):
        restore(elsewhere, file)
        with psycopg.connect(elsewhere) as link:
            stamps.add(link.execute("select stamp from shop").fetchone())
            told = link.execute("select count(*) from audit_event where what = 'restored'").fetchone()
            assert told == (1,)
    assert len(stamps) == 2, "what was there before a restore is told from what is there after it"
    wiring.connect(elsewhere)
    try:
        before = store_database.connected()
        [person] = [each for each in people_store.people_page() if each.login == "ines"]
        token = people.open_session(person.id, datetime.now(UTC))
        people.session_of(token, datetime.now(UTC))
        assert store_database.connected() != before
    finally:
        wiring.connect(database)


def test_a_locked_backup_tells_nothing_without_its_words_and_is_whole_with_them(
    database: str, elsewhere: str, tmp_path: Path
) -> None:
    shop = Shop()
    shop.take_in()
    file, words = tmp_path / "shop.backup", "seven grey hinges hang straight"
    before = contents(database)
    backup(database, file, words)
    assert file.stat().st_mode & 0o777 == 0o600
    assert not file.read_bytes().startswith(b"PGDMP")
    assert b"Test Screens" not in file.read_bytes()
    with pytest.raises(BackupFailed, match="locked"), unlocked(file):
        pass
    with pytest.raises(BackupFailed, match="not unlocked"), unlocked(file, words + "!"):
        pass
    spoilt = tmp_path / "spoilt.backup"
    spoilt.write_bytes(file.read_bytes()[:-40] + bytes(40))
    with pytest.raises(BackupFailed, match="not unlocked"), unlocked(spoilt, words):
        pass
    with unlocked(file, words) as plain:
        assert look_inside(plain).shop == "Test Screens"
        restore(elsewhere, plain)
    assert not plain.exists()
    assert contents(elsewhere) == before
    # one that is not locked needs no words
    backup(database, tmp_path / "open.backup")
    with unlocked(tmp_path / "open.backup") as plain:
        assert plain.read_bytes().startswith(b"PGDMP")


def test_a_locked_backup_of_no_database_leaves_no_file(cluster: Cluster, tmp_path: Path) -> None:
    with pytest.raises(BackupFailed):
        backup(cluster.url_of("there_is_none"), tmp_path / "x.backup", "seven grey hinges hang straight")
    assert list(tmp_path.iterdir()) == []

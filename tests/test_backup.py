"""A backup is restored into another database and every table compared, row by row."""

from __future__ import annotations

from pathlib import Path

import psycopg
import pytest
from builders import PLAIN, Shop

from sutura import wiring
from sutura.backup import BackupFailed, backup, restore
from sutura.cluster import Cluster
from sutura.store import tables

pytestmark = pytest.mark.slow


def contents(url: str) -> dict[str, list[tuple[object, ...]]]:
    with psycopg.connect(url) as link:
        found = {}
        for table in tables.ALL:
            name = table._meta.table_name
            found[name] = sorted(link.execute(f'select "{name}"::text from "{name}"').fetchall())
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


def test_a_failed_backup_leaves_no_half_file(cluster: Cluster, tmp_path: Path) -> None:
    with pytest.raises(BackupFailed):
        backup(cluster.url_of("there_is_none"), tmp_path / "x.backup")
    assert list(tmp_path.iterdir()) == []

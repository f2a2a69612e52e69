"""The private database in folders that its account may not enter: it moves out, is found again, and leaves
nothing.
"""

from __future__ import annotations

import os
import shutil
import signal
import time
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from sutura import cluster as cluster_module
from sutura.cluster import Cluster, ClusterFailed
from sutura.config import STATE

# a server is made anew for each
pytestmark = pytest.mark.slow
AS_ROOT = os.geteuid() == 0


@pytest.fixture
def closed() -> Iterator[Path]:
    """A folder that only its owner may enter, as a home folder is, with a space and letters that are not
    ASCII.
    """
    folder = STATE / f"zu – clo sed {os.getpid()}"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    folder.chmod(0o700)
    yield folder
    for left in folder.glob("*/postgres"):
        Cluster(folder=left).remove()
    shutil.rmtree(folder)


def at(folder: Path) -> Cluster:
    return Cluster(folder=folder / "postgres", fast_and_unsafe=True)


def note(cluster: Cluster, text: str) -> None:
    with psycopg.connect(cluster.url, autocommit=True) as link:
        link.execute("create table if not exists note (text text)")
        link.execute("insert into note values (%s)", (text,))


def notes(cluster: Cluster) -> list[str]:
    with psycopg.connect(cluster.url) as link:
        return [text for (text,) in link.execute("select text from note")]


def test_a_database_is_made_in_a_closed_folder_found_again_and_taken_away(closed: Path) -> None:
    first = at(closed / "shop")
    first.start()
    note(first, "kept")
    assert first.is_elsewhere is AS_ROOT, "only root's server runs under another account"
    assert first.place.stat().st_mode & 0o077 == 0
    first.stop()
    again = at(closed / "shop")
    again.start()
    assert notes(again) == ["kept"]
    place = again.place
    again.remove()
    assert not place.exists()
    assert not again.folder.is_symlink()


@pytest.mark.skipif(not AS_ROOT, reason="an ordinary user's server runs as that user")
def test_a_moved_checkout_takes_its_database_along_and_a_copied_one_gets_its_own(closed: Path) -> None:
    here = at(closed / "here")
    here.start()
    note(here, "of here")
    here.stop()
    shutil.copytree(closed / "here", closed / "copy", symlinks=True)
    copy = at(closed / "copy")
    copy.start()
    assert copy.place != here.place
    with pytest.raises(psycopg.errors.UndefinedTable):
        notes(copy)
    (closed / "here").rename(closed / "there")
    there = at(closed / "there")
    there.start()
    assert notes(there) == ["of here"]


@pytest.mark.skipif(not AS_ROOT, reason="an ordinary user's server runs as that user")
def test_a_database_that_has_nowhere_to_live_says_what_to_do(
    closed: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cluster_module, "VARIABLE_DATA", Path("/proc/nowhere"))
    with pytest.raises(ClusterFailed, match="SUTURA_STATE to a folder that every account may enter"):
        at(closed / "homeless").start()


def test_a_server_that_is_killed_is_started_again_on_the_same_port(closed: Path) -> None:
    cluster = at(closed)
    cluster.start()
    url = cluster.url
    try:
        with cluster.kept_running():
            number = int((cluster.data / "postmaster.pid").read_text().split()[0])
            os.kill(number, signal.SIGKILL)
            deadline = time.monotonic() + 30
            while time.monotonic() < deadline:
                time.sleep(0.2)
                lives = (cluster.data / "postmaster.pid").exists() and not _is_pid(cluster, number)
                if lives and cluster.answers():
                    break
            assert cluster.answers()
            assert cluster.url == url
        cluster.stop()
        time.sleep(2.5)
        assert not cluster.answers(), "one that was stopped on purpose stays so"
    finally:
        cluster.remove()


def _is_pid(cluster: Cluster, number: int) -> bool:
    return (cluster.data / "postmaster.pid").read_text().split()[0] == str(number)

"""The commands as a person types them, in a state folder of their own: start, start twice, kill, start
again.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from builders import models

from sutura.cluster import Cluster
from sutura.config import ROOT, STATE

# every one of these starts the product anew
pytestmark = [pytest.mark.slow, pytest.mark.timeout(480)]
COMMANDS = (
    "demo",
    "test",
    "serve",
    "migrate",
    "person",
    "catalogue",
    "lint",
    "shots",
    "backup",
    "restore",
    "bench",
    "core",
    "dev",
    "measures",
    "work",
)


def sutura(*words: str, given: str = "", **environment: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [str(ROOT / "sutura"), *words],
        input=given,
        capture_output=True,
        text=True,
        check=False,
        timeout=150,
        env=os.environ | environment,
    )


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_has_help(command: str) -> None:
    done = sutura(command, "--help")
    assert done.returncode == 0, done.stderr
    assert f"./sutura {command}" in done.stdout


def test_an_unknown_command_is_refused_with_the_known_ones() -> None:
    done = sutura("brew")
    assert done.returncode == 2
    assert 'no command "brew"' in done.stderr
    assert all(command in done.stderr for command in COMMANDS)


def test_without_root_or_sudo_the_exact_line_is_printed_and_nothing_started(tmp_path: Path) -> None:
    """A machine without PostgreSQL, played by an empty PATH for its programs and a person without rights."""
    bare = tmp_path / "bin"
    bare.mkdir()
    for name in ("bash", "env", "dirname", "cat", "ls", "tail", "printf", "python3"):
        (bare / name).symlink_to(shutil.which(name) or "/bin/false")
    (bare / "id").write_text("#!/bin/bash\necho 1000\n")
    (bare / "id").chmod(0o755)
    (bare / "ls").unlink()
    (bare / "ls").write_text("#!/bin/bash\nexit 2\n")
    (bare / "ls").chmod(0o755)
    done = subprocess.run(
        ["bash", str(ROOT / "sutura"), "demo"],
        env={"PATH": str(bare), "HOME": str(tmp_path)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 3
    assert re.search(
        r"^apt-get update && apt-get install -y --no-install-recommends .*postgresql", done.stderr, re.M
    )


def test_core_runs_from_the_shell_with_json_in_and_out() -> None:
    done = sutura(
        "core",
        "maths.money.split",
        given='{"total": {"minor": 1000, "currency": "TAL"}, "shares": [1, 1, 1]}',
    )
    assert [part["minor"] for part in json.loads(done.stdout)] == [334, 333, 333]
    schema = sutura("core", "--schema", "matching.judge")
    assert json.loads(schema.stdout)["input"]["properties"].keys() == {"wanted", "offer", "known"}
    refused = sutura("core", "identify.check_imei", given='{"text": "123"}')
    assert refused.returncode == 4
    assert json.loads(refused.stdout)["refused"] == "Invalid"
    wrong = sutura("core", "identify.check_imei", given="{}")
    assert wrong.returncode == 2
    assert "text" in wrong.stderr


def test_the_catalogue_answers_from_the_shell_in_json(database: str, tmp_path: Path) -> None:
    def ask(*words: str, given: str = "") -> tuple[int, str]:
        done = sutura("catalogue", *words, given=given, DATABASE_URL=database)
        return done.returncode, done.stdout

    code, text = ask("write", "quillon")
    assert (code, text) == (0, (ROOT / "catalogue" / "models" / "quillon.json").read_text("utf-8"))
    pack = json.loads(text)
    pack["models"][0]["minutes"] = 43
    file = tmp_path / "quillon.json"
    file.write_text(json.dumps(pack), "utf-8")
    assert json.loads(ask("check", str(file))[1]) == {"pack": "quillon", "models": 4}
    planned = json.loads(ask("preview", "-", given=file.read_text("utf-8"))[1])["planned"]
    assert [one["change"] for one in planned] == ["changed", "same", "same", "same"]
    assert planned[0]["lines"] == [{"place": "minutes", "before": "30", "after": "43"}]
    assert ask("read", str(file))[0] == 0
    assert json.loads(ask("write", "quillon")[1])["models"][0]["minutes"] == 43
    pack["models"][1]["face"]["glass"] = 3
    code, text = ask("read", "-", given=json.dumps(pack))
    assert code == 4
    assert json.loads(text)["problems"] == [
        {"field": "models[1].face.glass", "says": "“3” cannot be taken: write a group of names and values"}
    ]
    assert json.loads(ask("identify", "O044I7")[1])["verdict"] == "likely"
    assert json.loads(ask("scan", "2000000010014")[1])["address"] == "/shelf/P-1001"
    assert [load["name"] for load in json.loads(ask("list", "ember")[1])] == ["Ember", "Ember S"]
    assert sutura("catalogue", "check", str(tmp_path / "none.json")).returncode == 2


def test_commands_that_need_a_database_say_which_setting_is_missing() -> None:
    for command in (["serve"], ["migrate"], ["person", "x", "X", "manager"]):
        done = sutura(*command, DATABASE_URL="")
        assert done.returncode == 2
        assert "Set DATABASE_URL first" in done.stderr


def test_a_new_shop_is_set_up_by_the_commands_alone(cluster: Cluster) -> None:
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute("create database new_shop")
    url = cluster.url_of("new_shop")
    assert sutura("serve", DATABASE_URL=url).returncode == 2, "not before it is migrated"
    assert "up to date" in sutura("migrate", DATABASE_URL=url, SUTURA_SHOP="Corner Screens").stderr
    assert f"{len(models()) + 7} added" in sutura("catalogue", DATABASE_URL=url).stderr
    assert sutura("person", "ada", "Ada", "manager", given="short\n", DATABASE_URL=url).returncode == 2
    assert (
        "can sign in as ada"
        in sutura("person", "ada", "Ada", "manager", given="long enough 1\n", DATABASE_URL=url).stderr
    )
    with psycopg.connect(url) as link:
        assert link.execute("select name from shop").fetchone() == ("Corner Screens",)
        assert link.execute("select count(*) from model").fetchone() == (len(models()) + 7,)


# -- the demo, killed and started again -----------------------------------------------------


class Demo:
    """`./sutura demo` as a process, with what it printed."""

    def __init__(self, state: Path, *words: str) -> None:
        self.state, self.output = state, state / "output"
        state.mkdir(parents=True, exist_ok=True)
        self.begun = time.monotonic()
        with self.output.open("w") as out:
            self.process = subprocess.Popen(
                [str(ROOT / "sutura"), "demo", "--port", "18520", *words],
                stdout=out,
                stderr=subprocess.STDOUT,
                env=os.environ | {"SUTURA_STATE": str(state)},
                start_new_session=True,
            )

    @property
    def said(self) -> str:
        return self.output.read_text()

    def address(self) -> str:
        deadline = time.monotonic() + 180
        while time.monotonic() < deadline and self.process.poll() is None:
            found = re.search(r"Sutura runs at (\S+)", self.said)
            if found and self._healthy(found[1]):
                self.took = time.monotonic() - self.begun
                return found[1]
            time.sleep(0.1)
        raise AssertionError(self.said)

    @staticmethod
    def _healthy(address: str) -> bool:
        try:
            with urllib.request.urlopen(f"{address}/ready", timeout=5) as answer:
                return bool(answer.status == 200)
        except urllib.error.HTTPError as not_ready:
            not_ready.close()
            return False
        except OSError:
            return False

    def stop(self) -> int:
        self.process.send_signal(signal.SIGINT)
        return self.process.wait(90)


def jobs_in(state: Path) -> int:
    with psycopg.connect(Cluster(folder=state / "postgres").url) as link:
        return int(link.execute("select count(*) from job").fetchone()[0])  # type: ignore[index]


@pytest.fixture(scope="module")
def state() -> Iterator[Path]:
    """Closed to all but its owner, as a home folder is, with a space and a letter that is not ASCII."""
    folder = STATE / "launcher tést"
    Cluster(folder=folder / "postgres").remove()
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    folder.chmod(0o700)
    yield folder
    Cluster(folder=folder / "postgres").remove()
    shutil.rmtree(folder, ignore_errors=True)


def test_the_demo_starts_tells_a_second_where_it_runs_survives_kills_and_stops_cleanly(state: Path) -> None:
    first = Demo(state)
    address = first.address()
    assert "ines / demo-password" in first.said
    jobs = jobs_in(state)
    assert jobs >= 25

    second = sutura("demo", SUTURA_STATE=str(state))
    assert second.returncode == 0
    assert f"already runs at {address}" in second.stderr

    server = int((state / "postgres" / "data" / "postmaster.pid").read_text().split()[0])
    assert Path(f"/proc/{server}").stat().st_uid != 0, "the database never runs as root"
    os.kill(first.process.pid, signal.SIGKILL)
    first.process.wait()
    again = Demo(state)
    again.address()
    assert jobs_in(state) == jobs, "kill -9 of the application loses nothing"

    server = int((state / "postgres" / "data" / "postmaster.pid").read_text().split()[0])
    os.kill(server, signal.SIGKILL)
    time.sleep(0.5)
    with pytest.raises(urllib.error.HTTPError) as away:
        urllib.request.urlopen(f"{address}/ready", timeout=30)
    assert away.value.code == 503
    away.value.close()
    with urllib.request.urlopen(f"{address}/health", timeout=30) as answer:
        assert answer.status == 200
    again.stop()
    third = Demo(state)
    third.address()
    assert jobs_in(state) == jobs, "kill -9 of the database loses nothing"
    assert third.stop() == 0
    assert "The data is kept" in third.said

    fourth = Demo(state)
    fourth.address()
    assert fourth.took <= 5 * 2, (
        f"a second start took {fourth.took:.1f} s (budget 5 s; doubled for a busy machine)"
    )
    pid = (state / "postgres" / "data" / "postmaster.pid").read_text().split()[0]
    assert fourth.stop() == 0
    assert not is_running(pid), "the database stops with it"


def is_running(pid: str) -> bool:
    """Whether a process lives; one that ended and was not waited for does not."""
    stat = Path(f"/proc/{pid}/stat")
    return stat.exists() and stat.read_text().rsplit(")", 1)[1].split()[0] != "Z"

"""Any change of a model that the editor allows, at any stage of a job, leaves its pages and deeds working:
what a job was taken in, opened and tested by is its own.
"""

from __future__ import annotations

import copy
import json
import os
import random
from collections.abc import Callable, Iterator, Mapping
from datetime import UTC, datetime, timedelta
from typing import Any

import peewee
import pytest
from builders import HERON, Shop, impact
from web.desk import Desk, Sit

from sutura.config import CATALOGUE
from sutura.core.errors import Refusal
from sutura.core.intake.arrival import functions_kept
from sutura.core.job import Stage
from sutura.services import bench, catalogue, job, messages, proof, schools
from sutura.store import catalogue as store
from sutura.store.database import DATABASE, connection
from sutura.web.app import addresses

Raw = dict[str, Any]
PAGES = sorted(
    path for method, path in addresses() if method == "GET" and path.count("{") == 1 and "{code}" in path
)
ROOMS = ("/", "/plan", "/bench", "/match", "/book", "/shelf")
CHANGES = int(os.environ.get("SUTURA_CHANGES") or (100 if os.environ.get("SUTURA_LONG") else 8))
# so often a model becomes another but by its name: all that a job knows of it is gone at once
GRAFTED = 0.15
OWN = {"id", "maker", "name", "numbers", "tacs"}
OTHERS = [
    one
    for file in sorted((CATALOGUE / "models").glob("*.json"))
    for one in json.loads(file.read_text("utf-8"))["models"]
    if one.get("numbers")
]
GAINED = {"id": "compass", "name": "Compass", "how": "Turn round once."}


def _half_done(shop: Shop) -> str:
    code = shop.opened()
    for _ in range(8):
        shop.step(code)
    return code


def _tested(shop: Shop) -> str:
    code = shop.at_proof()
    shop.test(code)
    return code


def _failed(shop: Shop) -> str:
    code = shop.at_proof()
    shop.test(code, {"touch": ("faulty", "a dead stripe")})
    return code


def _handed_back(shop: Shop) -> str:
    code = shop.closed()
    shop.hand_back(code)
    return code


STAGES: Mapping[str, Callable[[Shop], str]] = {
    "taken in": lambda shop: shop.take_in(marks=[impact(30, 40), impact(20, 100)]),
    "quoted": Shop.quoted,
    "held": Shop.held,
    "opened": Shop.opened,
    "half done": _half_done,
    "at proof": Shop.at_proof,
    "failed": _failed,
    "tested": _tested,
    "closed": Shop.closed,
    "handed back": _handed_back,
}


@pytest.fixture(scope="module")
def jobs(database: str) -> dict[str, str]:
    """A job at each stage, of one model."""
    with connection():
        shop = Shop(now=datetime.now(UTC) - timedelta(days=2))
        shop.receive("P-1001", 20)
        return {stage: make(shop) for stage, make in STAGES.items()}


@pytest.fixture
def plain(database: str) -> Iterator[Raw]:
    """The model as it was, and is again."""
    before = kept()
    yield copy.deepcopy(before)
    save(before)


def kept() -> Raw:
    with connection():
        found = store.load_model(HERON)
        assert found
        return copy.deepcopy(dict(found.data))


def save(raw: Raw) -> None:
    with connection():
        found = store.load_model(HERON)
        assert found
        catalogue.save_model(HERON, raw, found.version, Shop().manager, datetime.now(UTC))


# -- changes by chance ---------------------------------------------------------------------------------------


def _within(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[tuple[Any, ...], Any]]:
    yield path, value
    inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, one in inner:
        yield from _within(one, (*path, key))


def changed(raw: Raw, dice: random.Random) -> tuple[Raw, str]:
    """A model with one thing taken out, doubled, renamed or resized, or with all of another model's but its
    name, and where.
    """
    edited = copy.deepcopy(raw)
    if dice.random() < GRAFTED:
        other = dice.choice([one for one in OTHERS if one["device_class"] == "phone"])
        return {**edited, **{key: other[key] for key in other if key not in OWN}}, f"all of {other['id']}"
    top = dice.choice(sorted(set(edited) - {"id", "pack"}))
    path, value = dice.choice([found for found in _within(edited) if found[0][:1] == (top,)])
    parent: Any = edited
    for key in path[:-1]:
        parent = parent[key]
    key = path[-1]
    if isinstance(value, bool):
        parent[key] = not value
    elif isinstance(value, int | float):
        parent[key] = type(value)(value * dice.choice((0, 0.5, 0.9, 2)))
    elif isinstance(value, str) and key in ("id", "name") and dice.random() < 0.6:
        parent[key] = f"{value}-x"
    elif isinstance(parent, list) and isinstance(value, dict) and dice.random() < 0.4:
        parent.insert(key, {**copy.deepcopy(value), **_named_anew(value)})
    else:
        del parent[key]
    return edited, ".".join(map(str, path))


def _named_anew(value: Mapping[str, Any]) -> dict[str, str]:
    return {name: f"{value[name]}-2" for name in ("id", "name", "text") if name in value}


def allowed_changes(raw: Raw, seed: int, count: int) -> Iterator[str]:
    """So many changes that the editor takes, each of one to four things; where."""
    dice = random.Random(seed)
    while count:
        edited, places = raw, []
        for _ in range(dice.choice((1, 1, 2, 4))):
            edited, place = changed(edited, dice)
            places.append(place)
        try:
            save(edited)
        except Refusal:
            continue
        count -= 1
        yield ", ".join(places)


# -- the law -------------------------------------------------------------------------------------------------


def next_deed(shop: Shop, code: str) -> None:
    """What is done next with a job, as its people would; a refusal in words is an answer."""
    now = shop.job(code)
    if now.stage in {Stage.IDENTIFIED, Stage.QUOTED}:
        shop.choose(code)
    elif now.stage is Stage.PART_IN_HAND:
        shop.open(code)
    elif now.stage is Stage.CLOSED:
        shop.look_at_sealed(code)
    elif now.stage in {Stage.OPENED, Stage.PROVED}:
        page = bench.bench_page(code)
        if page.progress.at_proof:
            answers = {one.id: ("works", "") for one in schools.of_job(now).functions}
            proof.record_proof(code, answers, shop.bram, shop.tick())
        elif page.progress.step:
            shop.step(code)


@pytest.mark.timeout(900)
def test_no_change_of_a_model_breaks_a_page_or_a_deed(desks: Sit, jobs: dict[str, str], plain: Raw) -> None:
    ines = desks("ines")
    seed = int(os.environ.get("SUTURA_SEED", "7"))
    dice, broken = random.Random(seed), []
    for places in allowed_changes(plain, seed, CHANGES):
        some = dict(dice.sample(sorted(jobs.items()), 3))
        broken += [f"{what} after {places}" for what in _broken(ines, some)]
        save(plain)
    assert not broken, "\n".join(broken)


def _broken(ines: Desk, jobs: Mapping[str, str]) -> Iterator[str]:
    for path in (*ROOMS, *PAGES):
        for stage, code in jobs.items() if "{code}" in path else [("", "")]:
            if ines.get(path.format(code=code)).status_code >= 500:
                yield f"{path} {stage}"
    for stage, code in jobs.items():
        with connection():
            shop = Shop(now=datetime.now(UTC))
            link = messages.status_link(shop.job(code), shop.now)
        if ines.get(f"/s/{link}").status_code >= 500:
            yield f"/s/… {stage}"
        with connection(), DATABASE.atomic() as tried:
            try:
                next_deed(shop, code)
            except (Refusal, StopIteration):
                pass
            except (peewee.PeeweeException, LookupError, ValueError, AssertionError, TypeError) as wrong:
                yield f"{type(wrong).__name__} {wrong} at the next deed, {stage}"
            tried.rollback()


def test_what_a_model_gains_is_tested_from_then_on_and_was_not_tested_on_arrival(
    desks: Sit, jobs: dict[str, str], plain: Raw
) -> None:
    save({**plain, "functions": [*plain["functions"], GAINED]})
    ines = desks("ines")
    for stage, code in jobs.items():
        with connection():
            model = schools.of_job(job.job_page(code, datetime.now(UTC)).job)
        asked = [one.id for one in model.functions]
        # it was opened by the model as it was then
        done = stage not in {"taken in", "quoted", "held"}
        assert asked == [*(one["id"] for one in plain["functions"]), *([] if done else ["compass"])], stage
        for page in ("", "/proof", "/ticket", "/handover", "/money"):
            assert ines.get(f"/jobs/{code}{page}").status_code < 500, (stage, page)
    code = jobs["held"]
    ines.get(f"/jobs/{code}")
    assert "not tested" in ines.page.partition("Compass")[2][:400]
    with connection(), DATABASE.atomic() as tried:
        shop = Shop(now=datetime.now(UTC))
        shop.open(code)
        shop.steps_until_proof(code)
        next_deed(shop, code)
        after = shop.job(code)
        assert after.stage is Stage.PROVED
        assert [one["id"] for one in after.arrival.functions][-1] == "compass"
        tried.rollback()


def test_a_job_is_worked_on_by_the_model_it_was_opened_by_until_somebody_takes_the_new_sheet(
    jobs: dict[str, str], plain: Raw
) -> None:
    where = "behind the little door"
    screws = [{**plain["screws"][0], "where": where}, *plain["screws"][1:]]
    save({**plain, "screws": screws})
    with connection(), DATABASE.atomic() as tried:
        shop = Shop(now=datetime.now(UTC))
        for stage, code in jobs.items():
            now = schools.of_job(shop.job(code)).screws[0].where
            assert (now == where) is (stage in {"taken in", "quoted", "held"}), stage
        code = jobs["half done"]
        assert bench.bench_page(code).is_older
        bench.take_new_sheet(code, shop.bram, shop.tick())
        assert schools.of_job(shop.job(code)).screws[0].where == where
        assert not bench.bench_page(code).is_older
        tried.rollback()


def test_what_a_model_loses_is_tested_all_the_same(jobs: dict[str, str], plain: Raw) -> None:
    lost = plain["functions"][-1]["id"]
    save({**plain, "functions": plain["functions"][:-1]})
    with connection():
        shop = Shop(now=datetime.now(UTC))
        for stage, code in jobs.items():
            model = schools.of_job(shop.job(code))
            assert model.functions[-1].id == lost, stage
            assert list(functions_kept(model.functions)) == list(shop.job(code).arrival.functions), stage

"""Signing in with its throttle, and changing people."""

from __future__ import annotations

import subprocess
import sys
from datetime import UTC, datetime, timedelta

import pytest
from argon2 import Type, extract_parameters
from builders import NOW, PASSWORD, Shop
from store.test_concurrency import at_once

from sutura.config import ROOT
from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, SignInRefused, StaleSave
from sutura.core.values import Role
from sutura.services import drafts, people
from sutura.services import shop as shop_service
from sutura.store import people as store
from sutura.store.database import raw
from sutura.words.speech import PLAIN


def wrong(login: str, times: int, address: str = "10.0.0.9", start: int = 0) -> None:
    for number in range(times):
        with pytest.raises(SignInRefused):
            people.sign_in(login, "not the password", address, NOW + timedelta(seconds=start + number))


def test_the_right_pair_opens_a_session_that_ends(shop: Shop) -> None:
    token = people.sign_in(" Ines ", PASSWORD, "10.0.0.1", NOW)
    found = people.session_of(token, NOW)
    assert found
    assert found.person.role is Role.MANAGER
    assert people.session_of(token, NOW + people.SESSION_LENGTH + timedelta(seconds=1)) is None
    people.sign_out(token, NOW)
    assert people.session_of(token, NOW) is None
    people.sign_out(token, NOW)
    kept = raw("select what, person_id from audit_event where what like 'signed%%' order by id").fetchall()
    assert kept == [("signed in", found.person.id), ("signed out", found.person.id)], "out once, not twice"


def test_neither_password_nor_token_is_kept_as_it_is(shop: Shop) -> None:
    token = people.sign_in("ines", PASSWORD, "10.0.0.1", NOW)
    assert store.load_person_by_login("ines").password_hash.startswith("$argon2id$")  # type: ignore[union-attr]
    assert raw("select count(*) from login_session where token_hash = %s", token).fetchone()[0] == 0


def test_five_wrong_tries_make_even_the_right_password_wait(shop: Shop) -> None:
    wrong("ines", 5)
    with pytest.raises(SignInRefused, match="Wait 15 minutes"):
        people.sign_in("ines", PASSWORD, "10.0.0.1", NOW + timedelta(seconds=6))
    assert people.sign_in("ines", PASSWORD, "10.0.0.1", NOW + timedelta(minutes=16))


def test_one_persons_mistyping_never_locks_the_shop(shop: Shop) -> None:
    wrong("bram", 5)
    with pytest.raises(SignInRefused, match="Too many"):
        people.sign_in("bram", PASSWORD, "10.0.0.9", NOW + timedelta(seconds=9))
    # the whole shop sits behind one address
    assert people.sign_in("pell", PASSWORD, "10.0.0.9", NOW + timedelta(seconds=9))


def test_many_names_from_one_address_are_throttled_too(shop: Shop) -> None:
    for number in range(40):
        wrong(f"guess{number}", 1, start=number)
    with pytest.raises(SignInRefused, match="Too many"):
        people.sign_in("pell", PASSWORD, "10.0.0.9", NOW + timedelta(seconds=50))
    assert people.sign_in("pell", PASSWORD, "10.0.0.2", NOW + timedelta(seconds=50))


def test_wrong_passwords_sent_at_once_are_counted_all_the_same(database: str) -> None:
    at = datetime.now(UTC)
    found = at_once([lambda: people.sign_in("bram", "not the password", "10.0.0.9", at)] * 12)
    waits = [hit.wait_minutes for hit in found if isinstance(hit, SignInRefused)]
    assert (len(waits), sum(wait > 0 for wait in waits)) == (12, 7), "five are looked at, the others wait"


def test_an_unknown_name_reads_the_same_as_a_wrong_password(shop: Shop) -> None:
    says = set()
    for login in ("ines", "nobody"):
        with pytest.raises(SignInRefused) as refused:
            people.sign_in(login, "wrong", "10.0.0.1", NOW)
        says.add(str(refused.value))
    assert len(says) == 1


def changed(shop: Shop, login: str, **changes: object) -> None:
    found = store.load_person_by_login(login)
    assert found
    given = {
        "name": found.name,
        "role": found.role,
        "active": found.active,
        "password": "",
        "factors": {},
        "version": found.version,
    }
    people.save_person(found.id, **{**given, **changes}, by=shop.manager, now=shop.tick())  # type: ignore[arg-type]


def test_only_a_manager_adds_and_changes_people(shop: Shop) -> None:
    for by in (shop.counter, shop.bram):
        with pytest.raises(NotAllowed):
            people.add_person(name="X", login="xx", role="manager", password="long enough 1", by=by, now=NOW)
        with pytest.raises(NotAllowed):
            people.save_person(
                by.id,
                name="X",
                role="manager",
                active=True,
                password="",
                factors={},
                version=1,
                by=by,
                now=NOW,
            )


def test_two_people_do_not_share_a_sign_in_name(shop: Shop) -> None:
    with pytest.raises(Invalid, match="someone has this sign-in name"):
        people.add_person(
            name="X", login="Ines", role="counter", password="long enough 1", by=shop.manager, now=NOW
        )


def test_the_last_manager_stays_one(shop: Shop) -> None:
    for change in ({"role": "counter"}, {"active": False}):
        with pytest.raises(Invalid, match="needs one active manager"):
            changed(shop, "ines", **change)


def test_leaving_or_a_new_password_ends_every_session(shop: Shop) -> None:
    for change in ({"active": False}, {"active": True, "password": "another long one"}, {"role": "counter"}):
        found = store.load_person_by_login("lio")
        assert found
        token = people.open_session(found.id, NOW)
        changed(shop, "lio", **change)
        assert people.session_of(token, NOW) is None


def test_a_stale_form_shows_both_versions(shop: Shop) -> None:
    with pytest.raises(StaleSave) as stale:
        changed(shop, "lio", name="Lio Two", version=1)
    assert (stale.value.yours["name"], stale.value.theirs["name"]) == ("Lio Two", "Lio")


@pytest.mark.parametrize("factor", ["0", "x", "9", "-1", "NaN"])
def test_a_factor_is_a_sensible_multiple(shop: Shop, factor: str) -> None:
    with pytest.raises(ManyInvalid) as refused:
        changed(shop, "lio", factors={"book-opening phones": factor})
    [problem] = refused.value.problems
    assert problem.field == "factor.book-opening phones"
    assert "0.3 to 5" in PLAIN.say(problem)


def test_an_empty_factor_takes_the_training_away(shop: Shop) -> None:
    changed(shop, "lio", factors={"book-opening phones": " "})
    assert store.load_person_by_login("lio").skills == {}  # type: ignore[union-attr]


def test_what_nobody_needs_any_more_is_thrown_away_and_the_rest_stays(shop: Shop) -> None:
    old, new = drafts.open_draft(shop.counter, NOW), drafts.open_draft(shop.counter, NOW + timedelta(days=20))
    wrong("bram", 1)
    wrong("lio", 1, start=86_400 * 20)
    token = people.open_session(shop.counter.id, NOW)
    supplier = raw("select id from supplier limit 1").fetchone()[0]
    for state, at in (("read", NOW), ("reading", NOW), ("failed", NOW + timedelta(days=20))):
        raw(
            "insert into price_list (supplier_id, name, state, person_id, at) "
            "values (%s, 'a list', %s, %s, %s)",
            *(supplier, state, shop.manager.id, at),
        )
    gone = shop_service.throw_away(30, 30, 30, NOW + timedelta(days=31))
    assert (gone["drafts"], gone["sessions"], gone["price lists"]) == (1, 1, 1)
    assert {state for (state,) in raw("select state from price_list").fetchall()} == {"reading", "failed"}
    assert {login for (login,) in raw("select login from sign_in_try").fetchall()} == {"lio"}
    assert [line.id for line in drafts.draft_lines()] == [new]
    assert old != new
    assert people.session_of(token, NOW) is None
    assert set(shop_service.throw_away(30, 30, 30, NOW + timedelta(days=31)).values()) == {0}


def test_passwords_are_hashed_as_dearly_as_is_asked_for() -> None:
    """Argon2id with at least 19 MiB in two rounds (OWASP Password Storage, from memory); the tests' own cheap
    one is none of the product.
    """
    shipped = subprocess.run(
        [sys.executable, "-c", "from sutura.services import people; print(people.hash_password('x' * 12))"],
        capture_output=True,
        text=True,
        check=True,
        env={"PYTHONPATH": str(ROOT / "src")},
    ).stdout
    asked = extract_parameters(shipped.strip())
    assert asked.type is Type.ID
    assert asked.memory_cost >= 19 * 1024
    assert asked.time_cost >= 2

"""A clock that was ahead for a while, and is right again (rule shop.clock): nothing of its times is believed,
and nothing stays as it left it. Common practice, no source.
"""

from __future__ import annotations

import secrets
from datetime import timedelta

import pytest
from builders import PLAIN, SLATE, Shop, told

from sutura.core.errors import Invalid, SignInRefused
from sutura.core.handover.ledger import ChargeState, PaidFor
from sutura.core.maths.money import amount_text
from sutura.core.people import TRIES, wait_minutes
from sutura.core.shop import AHEAD, is_believed, is_past
from sutura.devices import plug
from sutura.devices.simulated.card_terminal import SimulatedTerminal
from sutura.services import (
    bench,
    heat,
    invoices,
    ledger,
    messages,
    people,
    planning,
    plans,
    rails,
    schools,
    tills,
    waits,
)
from sutura.services import shop as shop_service
from sutura.services.job import job_page
from sutura.store import messages as messages_store
from sutura.store import plans as plans_store
from sutura.store import waits as waits_store

MONTH = timedelta(days=40)
PASSWORD = "a long enough password"


def test_what_is_ahead_by_minutes_is_believed_and_by_more_is_not(shop: Shop) -> None:
    now = shop.now
    assert is_believed(now + AHEAD, now)
    assert not is_believed(now + AHEAD + timedelta(seconds=1), now)
    for minutes in range(-60, 60):
        at = now - timedelta(minutes=minutes)
        assert is_past(at, now, timedelta(minutes=10)) is (minutes >= 10 or minutes < -5)


def test_wrong_tries_of_a_time_that_is_not_come_keep_nobody_out(shop: Shop) -> None:
    """Before, the right password was refused for weeks."""
    ahead = shop.now + MONTH
    people.create_person(name="Wyn", login="wyn", role="counter", password=PASSWORD, now=shop.now)
    for number in range(TRIES):
        with pytest.raises(SignInRefused):
            people.sign_in("wyn", "not the password", "10.0.0.1", ahead + timedelta(seconds=number))
    with pytest.raises(SignInRefused) as refused:
        people.sign_in("wyn", PASSWORD, "10.0.0.1", ahead + timedelta(minutes=1))
    assert refused.value.wait_minutes
    assert people.sign_in("wyn", PASSWORD, "10.0.0.1", shop.now)
    assert wait_minutes([ahead] * 50, shop.now) == 0
    # tries of now count as ever
    for _ in range(TRIES):
        with pytest.raises(SignInRefused):
            people.sign_in("wyn", "not the password", "10.0.0.1", shop.tick(0.1))
    with pytest.raises(SignInRefused):
        people.sign_in("wyn", PASSWORD, "10.0.0.1", shop.tick(0.1))


def test_a_session_of_a_time_that_is_not_come_is_none_and_is_forgotten(shop: Shop) -> None:
    """Before, it lasted until then."""
    token = people.open_session(shop.counter.id, shop.now + MONTH)
    assert people.session_of(token, shop.now + MONTH + timedelta(hours=1))
    assert people.session_of(token, shop.now) is None
    assert shop_service.heal_clock(shop.now)["sessions"] == 1
    assert people.session_of(token, shop.now + MONTH + timedelta(hours=1)) is None
    right = people.open_session(shop.counter.id, shop.now + timedelta(minutes=2))
    assert people.session_of(right, shop.now)
    assert shop_service.heal_clock(shop.now)["sessions"] == 0


def test_guesses_at_links_of_a_time_that_is_not_come_shut_nobody_out(shop: Shop) -> None:
    for _ in range(50):
        people.wrong_link("10.0.0.7", shop.now + MONTH)
    assert people.wrong_link("10.0.0.7", shop.now) == 1


def test_a_plan_of_a_time_that_is_not_come_is_shown_as_none_of_now_and_made_anew(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.held()
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    plans.make_plan(shop.now + MONTH)
    assert plans_store.load_plan()
    assert plans.is_stale(shop.now)
    time = rails.plan_page(shop.now).time
    assert time
    assert not any(job.kept for job in time.jobs)
    assert plans_store.told_between(shop.now - timedelta(minutes=20), shop.now + AHEAD) == {}
    plans.make_plan(shop.now)
    assert not plans.is_stale(shop.now)


def plated(shop: Shop) -> str:
    """A slate that is to lie on its plate now."""
    shop.receive("P-3001")
    code = shop.opened(SLATE)
    while (step := bench.bench_page(code).progress.step) and step.id != "plate":
        shop.step(code)
    return code


def test_what_was_put_on_the_plate_by_a_clock_that_was_ahead_is_timed_from_now(shop: Shop) -> None:
    code = plated(shop)
    waits.start_timer(code, "plate", shop.bram, shop.now + MONTH)
    heat.switch_on(code, "plate", shop.bram, shop.now + MONTH)
    assert waits.heal_clock(shop.now) == {"waits": 1, "heat": 1}
    [wait] = waits_store.waits_of(shop.job(code).id)
    assert (wait.started_at, wait.started_by) == (shop.now, "Bram")
    assert any("the clock was ahead" in told(event) for event in job_page(code, shop.now).events)
    assert waits.heal_clock(shop.now) == {"waits": 0, "heat": 0}
    shop.read_heat(code, bench.bench_page(code).progress.step)  # type: ignore[arg-type]
    with pytest.raises(Invalid, match="to run"):
        bench.do_step(code, "plate", "", "", shop.bram, shop.tick(19))
    shop.read_heat(code, bench.bench_page(code).progress.step)  # type: ignore[arg-type]
    bench.do_step(code, "plate", "", "", shop.bram, shop.tick(1))


def test_it_is_taken_off_all_the_same_before_anybody_healed_it(shop: Shop) -> None:
    """Before, that broke a rule of the database: what ends does not begin later."""
    code = plated(shop)
    waits.start_timer(code, "plate", shop.bram, shop.now + MONTH)
    heat.switch_on(code, "plate", shop.bram, shop.now + MONTH)
    shop.read_heat(code, bench.bench_page(code).progress.step)  # type: ignore[arg-type]
    bench.do_step(code, "plate", "", "it let go already", shop.bram, shop.tick())
    heat.switch_off(code, shop.bram, shop.tick())
    [wait] = waits_store.waits_of(shop.job(code).id)
    assert wait.waited == 0


def test_readings_of_a_time_that_is_not_come_warm_nothing(shop: Shop) -> None:
    code = plated(shop)
    step = bench.bench_page(code).progress.step
    assert step
    now, shop.now = shop.now, shop.now + MONTH
    shop.read_heat(code, step)
    shop.now = now
    job = shop.job(code)
    assert [edge.readings for edge in heat.edges_of(job, schools.of_job(job), step, now)] == [[]]


def test_a_message_of_a_clock_that_was_ahead_is_due_now(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.closed()
    shop.look_at_sealed(code)
    messages.tell(code, "ready", "", shop.counter, shop.now + MONTH)
    assert messages.send_due(shop.now) == 0
    assert shop_service.heal_clock(shop.now)["messages"] == 1
    [waiting] = messages_store.messages_of(shop.job(code).id)
    assert waiting.due_at == shop.now


def test_a_charge_that_was_asked_by_a_clock_that_was_ahead_is_asked_about_now(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    terminal = SimulatedTerminal()
    plug(terminal=terminal)
    shop.receive("P-1001")
    code = shop.closed()
    shop.look_at_sealed(code)

    def killed(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(terminal, "charge", killed)
        form = secrets.token_hex(12)
        with pytest.raises(KeyboardInterrupt):
            ledger.charge(code, "5", PaidFor.REST, form, shop.counter, shop.now + MONTH)
    assert ledger.reconcile_all(shop.now) == 1
    assert [one.state for one in ledger.charges_of(shop.job(code))] == [ChargeState.DECLINED]


def test_a_paper_of_a_day_that_was_not_come_is_said_and_stops_nothing(shop: Shop) -> None:
    shop.receive("P-2001", 3)
    first, second = shop.closed(PLAIN), shop.closed(PLAIN, name="Tobin Marsk", phone="555 0188")
    shop.now += MONTH
    tills.open_till({"float": "100"}, shop.counter, shop.tick())
    shop.hand_back(first, method="cash", cards=False)
    shop.now -= MONTH
    shop.hand_back(second, method="cash", cards=False)
    listed = invoices.papers_page(shop.now.year, 0, shop.manager)
    assert [one.paper.number for one in listed] == ["2031-00002", "2031-00001"]
    assert invoices.are_ahead(listed, shop.now) == [False, True]
    # each alone, and once its day has come all the same
    for now in (shop.now, shop.now + 2 * MONTH):
        assert [invoices.are_ahead([one], now) for one in listed] == [[False], [True]]
    # the till of that day holds what came by either clock, and is closed
    page = tills.till_page(0, shop.counter, shop.tick())
    assert [row.code for row in page.rows] == [first, second]
    assert page.till
    counted = {"counted": amount_text(page.expected.minor, "TAL"), "left": "0"}
    tills.close_till(page.till.id, counted, shop.counter, shop.tick())
    # it is taken back by a credit note of today and written anew
    buyer = {"buyer_name": "Orla Venn", "buyer_country": "DE"}
    anew = invoices.correct("2031-00001", buyer, "the clock was ahead", shop.manager, shop.tick())
    right = invoices.paper(anew).paper
    assert right.issued == right.supplied == right.paid[0].on == shop.now.date()
    assert invoices.are_ahead(invoices.papers_page(shop.now.year, 0, shop.manager), shop.now) == [
        False,
        False,
        False,
        True,
    ]

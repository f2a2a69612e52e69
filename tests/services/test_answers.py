"""What follows from an answer on the real database: held or ordered, promised, deposited, asked again."""

from __future__ import annotations

import email
import email.policy
from collections.abc import Iterator
from datetime import UTC, timedelta

import pytest
from builders import HERON, Shop, models, said

from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed, NotFound
from sutura.core.handover.ledger import PaidFor
from sutura.core.handover.telling import Sending
from sutura.core.job import EventKind, Stage
from sutura.core.quoting.answers import NONE, WITH, WITHOUT, NotOpen, QuoteState
from sutura.core.quoting.policy import policy_texts
from sutura.core.quoting.taxes import tax_lines, taxes_from
from sutura.devices import plug, plugged
from sutura.devices.simulated.messenger import SimulatedMessenger
from sutura.services import answers, comebacks, handover, ledger, messages, orders, quoting, routes
from sutura.services import job as job_service
from sutura.services import shop as shop_service
from sutura.store import job as job_store
from sutura.store import ledger as ledger_store
from sutura.store import orders as orders_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import DATABASE
from sutura.words.history import tell
from sutura.words.speech import Speech

ADDRESS = "https://shop.example/q/secret"


@pytest.fixture
def sender() -> Iterator[SimulatedMessenger]:
    before, sender = plugged().messenger, SimulatedMessenger()
    plug(messenger=sender)
    yield sender
    plug(messenger=before)


def policy(shop: Shop, **typed: str) -> None:
    the_shop = shop_service.shop()
    texts = policy_texts(the_shop.rates.policy, ())
    shop_service.change_policy({**texts, **typed}, the_shop.version, shop.manager, shop.now)


def offered(shop: Shop, model_id: str = HERON, **changes: object) -> tuple[str, str]:
    """A job with a quote of its first way, and the token of its link."""
    code = shop.take_in(model_id, **changes)
    page = routes.routes_page(code, shop.now)
    key = next(one.weighed.way.key for one in page.ways if not one.weighed.way.why_not)
    return code, answers.offer_ways(code, [key], shop.counter, shop.now)


def accept(shop: Shop, code: str, token: str) -> None:
    [quote] = [one for one in answers.quotes_of(code) if one.state is QuoteState.OPEN]
    answers.answer_by_link(token, quote.ways[0].key, shop.now, agreed=True)


def drafted() -> dict[str, int]:
    """Pieces by part in orders that are not sent yet."""
    found: dict[str, int] = {}
    for supplier in suppliers_store.suppliers_page():
        order = orders_store.draft_of(supplier.id)
        for line in orders_store.load_lines(order) if order else ():
            found[line.part] = line.quantity
    return found


def history(shop: Shop, code: str) -> str:
    speech = Speech(zone=UTC, now=shop.now)
    return " ".join(tell(event, speech) for event in job_store.events_page(shop.job(code).id))


def test_what_lies_on_the_shelf_is_held_and_nothing_is_ordered(shop: Shop) -> None:
    shop.receive("P-1001")
    code, token = offered(shop)
    accept(shop, code, token)
    assert shop.job(code).stage is Stage.PART_IN_HAND
    assert drafted() == {}


def test_what_has_to_come_is_written_into_the_next_order_and_the_promise_moves(shop: Shop) -> None:
    code, token = offered(shop)
    before = shop.job(code).promise_at
    [quote] = answers.quotes_of(code)
    accept(shop, code, token)
    job = shop.job(code)
    assert job.stage is Stage.QUOTED
    assert sum(drafted().values()) >= 1
    assert job.promise_at >= before
    assert job.promise_at >= shop.now + timedelta(days=quote.ways[0].wait_days)
    assert job.promise_at == max(before, quote.ways[0].ready_at or before)
    # the same part chosen for another job makes two of it, in one line
    one = drafted()
    other, link = offered(shop)
    accept(shop, other, link)
    assert drafted().keys() == one.keys()
    assert sum(drafted().values()) > sum(one.values())


def test_the_customer_is_told_what_options_says_now(shop: Shop) -> None:
    """The part lies there when the quote is made, and is another job's two days later."""
    shop.receive("P-1001")
    code, token = offered(shop)
    quote = answers.by_link(token)
    [here] = [way for way in quote.ways if not answers.current(code, [way], shop.now)[way.key].wait_days][:1]
    shop.held()
    later = shop.tick(48 * 60)
    page = {one.weighed.way.key: one for one in routes.routes_page(code, later).ways}
    seen = answers.current(code, quote.ways, later)
    assert {key: (one.ready, one.wait_days) for key, one in seen.items()} == {
        way.key: (page[way.key].ready, page[way.key].weighed.way.wait_days) for way in quote.ways
    }
    assert seen[here.key].wait_days
    assert all(one.ready and one.ready > later for one in seen.values())


def test_the_customer_s_own_yes_is_the_customer_s_in_the_history(shop: Shop) -> None:
    """By the link nobody of the shop chose the part, held it or moved the promise; at the counter somebody
    did.
    """
    code, token = offered(shop)
    made = {event.kind for event in job_service.job_page(code, shop.now).events}
    accept(shop, code, token)
    after = [event for event in job_service.job_page(code, shop.now).events if event.kind not in made]
    assert {event.kind for event in after} >= {EventKind.ANSWERED, EventKind.QUOTED}
    assert {event.who for event in after} == {"the customer"}
    assert all(
        event.who != "the customer"
        for event in job_service.job_page(code, shop.now).events
        if event.kind in made
    )
    other, _ = offered(shop)
    [quote] = answers.quotes_of(other)
    answers.answer_at_counter(other, quote.version, quote.ways[0].key, shop.counter, shop.tick(), agreed=True)
    assert "the customer" not in {event.who for event in job_service.job_page(other, shop.now).events}


def test_a_promise_that_can_be_kept_stays(shop: Shop) -> None:
    far = shop.now + timedelta(days=20)
    code, token = offered(shop)
    job_store.save_promise(shop.job(code).id, far, "the customer is away")
    accept(shop, code, token)
    assert shop.job(code).promise_at == far
    assert EventKind.PROMISED not in {event.kind for event in job_store.events_page(shop.job(code).id)}


def test_the_deposit_comes_before_the_order_and_off_the_rest(shop: Shop) -> None:
    policy(shop, deposit="30")
    code, token = offered(shop)
    accept(shop, code, token)
    job = shop.job(code)
    asked = routes.deposit_open(job)
    assert asked.minor > 0
    assert drafted() == {}
    for amount, method in (("0", "cash"), ("9999", "cash"), ("x", "cash"), ("5", "beads")):
        with pytest.raises(Invalid):
            handover.take_deposit(code, amount, method, shop.counter, shop.now)
    # a part of it orders nothing yet
    handover.take_deposit(code, "1", "cash", shop.counter, shop.now)
    assert routes.deposit_open(shop.job(code)).minor == asked.minor - 100
    assert drafted() == {}
    left = str(routes.deposit_open(shop.job(code))).split()[0]
    handover.take_deposit(code, left, "card", shop.counter, shop.now)
    assert routes.deposit_open(shop.job(code)).minor == 0
    assert drafted()
    assert "A deposit of" in history(shop, code)
    owed = ledger.balance(shop.job(code)).owed
    assert owed.minor == (job.chosen.price_minor or 0) - asked.minor
    # the part comes, the work is done: the rest is what is paid
    shop.receive("P-1001")
    routes.choose_way(code, routes_key(shop, code), shop.counter, shop.now, agreed=True)
    job = shop.job(code)
    assert job.stage is Stage.PART_IN_HAND


def routes_key(shop: Shop, code: str) -> str:
    page = routes.routes_page(code, shop.now)
    return next(one.weighed.way.key for one in page.ways if one.on_shelf and one.offer)


def paid_before(shop: Shop, amount: str) -> str:
    """A closed job with a deposit."""
    shop.receive("P-1001")
    code = shop.held()
    handover.take_deposit(code, amount, "cash", shop.counter, shop.now)
    return code


def finish(shop: Shop, code: str) -> None:
    from sutura.services import bench, planning

    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    bench.open_job(code, shop.bram, shop.tick())
    shop.steps_until_proof(code)
    shop.test(code)
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)


def test_the_rest_is_paid_at_handover(shop: Shop) -> None:
    code = paid_before(shop, "20")
    finish(shop, code)
    owed = ledger.balance(shop.job(code)).owed
    with pytest.raises(Invalid):
        shop.hand_back(code)  # the whole price again is too much
    shop.hand_back(code, amount=str(owed).split()[0])
    page = job_service.job_page(code, shop.now)
    assert page.job.stage is Stage.HANDED_BACK
    assert [(one.kind, one.amount_minor) for one in page.payments] == [
        (PaidFor.DEPOSIT, 2_000),
        (PaidFor.REST, owed.minor),
    ]
    assert page.had.minor == page.job.chosen.price_minor


def test_what_was_paid_too_much_goes_back_and_what_is_paid_already_needs_nothing(shop: Shop) -> None:
    code = paid_before(shop, "20")
    job = shop.job(code)
    quoting.change_job_price(code, "15", "a scratch on the new front", job.version, shop.manager, shop.now)
    finish(shop, code)
    with pytest.raises(Invalid):
        shop.hand_back(code, amount="15")
    shop.hand_back(code, amount="5", method="cash")
    payments = ledger_store.load_payments(job.id)
    assert (payments[-1].kind, payments[-1].amount_minor) == (PaidFor.REFUND, 500)
    other = paid_before(shop, "20")
    quoting.change_job_price(other, "20", "a regular", shop.job(other).version, shop.manager, shop.now)
    finish(shop, other)
    shop.hand_back(other, amount="", method="")
    assert shop.job(other).stage is Stage.HANDED_BACK
    assert len(ledger_store.load_payments(shop.job(other).id)) == 1


def test_none_of_them_declines_the_job_and_its_deposit_goes_back(shop: Shop) -> None:
    code = paid_before(shop, "30")
    handover.decline(code, "bought another one", shop.counter, shop.now)

    def back(refund: str, method: str = "cash", why: str = "") -> None:
        handover.return_unrepaired(
            code,
            returned=[],
            explanation="nothing came with it",
            by=shop.counter,
            now=shop.now,
            refund=refund,
            method=method,
            kept_because=why,
        )

    for refund, method in (("", "cash"), ("31", "cash"), ("30", ""), ("25", "cash")):
        with pytest.raises(Invalid):
            back(refund, method)
    back("25", why="the part cannot be sent back")
    payments = ledger_store.load_payments(shop.job(code).id)
    assert [(one.kind, one.amount_minor) for one in payments] == [
        (PaidFor.DEPOSIT, 3_000),
        (PaidFor.REFUND, 2_500),
        (PaidFor.KEPT, 500),
    ]
    told = history(shop, code)
    assert "Of the deposit 25.00" in told
    assert "The rest is kept: the part cannot be sent back." in told
    with pytest.raises(MoveRefused):
        handover.take_deposit(code, "1", "cash", shop.counter, shop.now)


def test_an_answer_at_the_counter_is_one_of_the_shop(shop: Shop) -> None:
    shop.receive("P-1001")
    code, _ = offered(shop)
    [quote] = answers.quotes_of(code)
    with pytest.raises(NotAllowed):
        answers.answer_at_counter(code, 1, quote.ways[0].key, shop.bram, shop.now, agreed=True)
    with pytest.raises(NotFound):
        answers.answer_at_counter(code, 2, quote.ways[0].key, shop.counter, shop.now, agreed=True)
    answers.answer_at_counter(code, 1, quote.ways[0].key, shop.counter, shop.now, agreed=True)
    [quote] = answers.quotes_of(code)
    assert (quote.state, quote.answered_by) == (QuoteState.ACCEPTED, "counter")
    assert "accepted quote 1 at the counter" in history(shop, code)
    with pytest.raises(NotOpen):
        answers.answer_at_counter(code, 1, NONE, shop.counter, shop.now, agreed=True)
    declined, _ = offered(shop)
    answers.answer_at_counter(declined, 1, NONE, shop.counter, shop.now, agreed=False)
    assert shop.job(declined).stage is Stage.DECLINED
    assert "do not repair it" in history(shop, declined)


def test_what_is_found_during_the_work_is_asked_about_first(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.opened()
    job = shop.job(code)
    agreed = job.chosen.price_minor or 0
    for found, extra in (("", "10"), ("cell", "10"), ("the battery is swollen", "0"), ("swollen cell", "no")):
        with pytest.raises(ManyInvalid):
            answers.ask_found(code, found, extra, shop.counter, shop.now)
    with pytest.raises(NotAllowed):
        answers.ask_found(code, "the battery is swollen", "35", shop.bram, shop.now)
    token = answers.ask_found(code, "the battery is swollen", "35", shop.counter, shop.now)
    quote = answers.by_link(token)
    assert [way.price.minor for way in quote.ways] == [agreed + 3_500, agreed]
    [changed] = answers.changed_since(quote)
    assert "the battery is swollen" in said(changed)
    asked = answers.asked_about(job.id, shop.now)
    assert asked
    assert asked.waits
    assert shop.job(code).chosen.price_minor == agreed
    answers.answer_by_link(token, WITH, shop.now, agreed=False)
    assert shop.job(code).chosen.price_minor == agreed + 3_500
    assert shop.job(code).stage is Stage.OPENED
    asked = answers.asked_about(job.id, shop.now)
    assert asked
    assert (asked.waits, asked.done) == (False, True)
    # asked again, and left as it is this time
    token = answers.ask_found(code, "the frame is bent", "20", shop.counter, shop.now)
    answers.answer_by_link(token, WITHOUT, shop.now, agreed=False)
    assert shop.job(code).chosen.price_minor == agreed + 3_500
    asked = answers.asked_about(job.id, shop.now)
    assert asked
    assert (asked.found, asked.done) == ("the frame is bent", False)


def test_a_question_is_overtaken_by_another_price_and_by_time(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened()
    token = answers.ask_found(code, "the battery is swollen", "35", shop.counter, shop.now)
    quoting.change_job_price(code, "90", "agreed by phone", shop.job(code).version, shop.manager, shop.now)
    with pytest.raises(NotOpen):
        answers.answer_by_link(token, WITH, shop.now, agreed=False)
    assert answers.asked_about(shop.job(code).id, shop.now) is None
    token = answers.ask_found(code, "the battery is swollen", "35", shop.counter, shop.now)
    with pytest.raises(NotOpen):
        answers.answer_by_link(token, WITH, shop.now + timedelta(days=8), agreed=False)
    assert answers.asked_about(shop.job(code).id, shop.now + timedelta(days=8)) is None
    waiting = shop.take_in(HERON)
    with pytest.raises(MoveRefused, match="asked about"):
        answers.ask_found(waiting, "the battery is swollen", "35", shop.counter, shop.now)


def test_the_link_is_sent_once_and_its_secret_is_kept_no_longer(
    shop: Shop, sender: SimulatedMessenger
) -> None:
    code, token = offered(shop)
    assert messages.quote_told(shop.job(code).id, 1) is None
    assert answers.send_link(code, token, ADDRESS, shop.counter, shop.now) == "waiting"
    assert answers.send_link(code, token, ADDRESS, shop.counter, shop.now) == "already"
    waiting = messages.quote_told(shop.job(code).id, 1)
    assert waiting
    assert (waiting.link, ADDRESS in waiting.body, ADDRESS in waiting.reads) == (ADDRESS, False, False)
    assert messages.send_due(shop.now) == 1
    [message] = sender.sent
    assert message.to == "555 0101"
    assert ADDRESS in message.text
    assert models()[HERON].name in message.text
    sent = messages.quote_told(shop.job(code).id, 1)
    assert sent
    assert (sent.state, sent.link) == (Sending.SENT, "")
    assert answers.send_link(code, token, ADDRESS, shop.counter, shop.now + timedelta(days=1)) == "already"
    assert "The customer is told: the quote" in history(shop, code)
    assert "555 0101" not in history(shop, code)
    with pytest.raises(NotAllowed):
        answers.send_link(code, token, ADDRESS, shop.bram, shop.now)
    other = shop.take_in(HERON)
    with pytest.raises(NotFound):
        answers.send_link(other, token, ADDRESS, shop.counter, shop.now)
    with pytest.raises(NotOpen):
        answers.send_link(code, token, ADDRESS, shop.counter, shop.now + timedelta(days=9))


@pytest.mark.parametrize("by", ["mail", "text"])
def test_a_quote_goes_the_way_and_in_the_language_of_its_customer(
    shop: Shop, sender: SimulatedMessenger, by: str
) -> None:
    code, token = offered(shop)
    DATABASE.execute_sql(
        "update customer set channel = %s, email = 'orla@venn.example', language = 'de' where id = %s",
        (by, shop.job(code).customer_id),
    )
    answers.send_link(code, token, ADDRESS, shop.counter, shop.now)
    messages.send_due(shop.now)
    [message] = sender.sent
    assert message.to == ("orla@venn.example" if by == "mail" else "555 0101")
    assert bool(message.mail) is (by == "mail")
    assert f"hier: {ADDRESS}" in message.text
    mail = email.message_from_bytes(message.mail, policy=email.policy.default)
    assert by == "text" or ADDRESS in mail.get_content()


def test_in_the_night_a_quote_waits_and_one_that_was_answered_is_not_sent(
    shop: Shop, sender: SimulatedMessenger
) -> None:
    shop.now = shop.now.replace(hour=22, minute=0)
    (code, token), (_, other) = offered(shop), offered(shop)
    answers.send_link(code, token, ADDRESS, shop.counter, shop.now)
    answers.send_link(answers.by_link(other).code, other, ADDRESS, shop.counter, shop.now)
    assert messages.send_due(shop.now + timedelta(hours=1)) == 0
    answers.answer_by_link(token, "none", shop.now + timedelta(hours=2), agreed=False)
    assert messages.send_due(shop.now + timedelta(hours=11)) == 1, "the other one alone"
    told = messages.quote_told(shop.job(code).id, 1)
    assert told
    assert (told.state, told.link) == (Sending.DROPPED, "")
    assert len(sender.sent) == 1


def test_a_sender_that_fails_is_told_and_the_quote_is_sent_again(
    shop: Shop, sender: SimulatedMessenger
) -> None:
    sender.faults = frozenset({"refuses"})
    code, token = offered(shop)
    answers.send_link(code, token, ADDRESS, shop.counter, shop.now)
    messages.send_due(shop.now)
    told = messages.quote_told(shop.job(code).id, 1)
    assert told
    assert (told.state, told.link) == (Sending.GIVEN_UP, "")
    sender.faults = frozenset()
    assert answers.send_link(code, token, ADDRESS, shop.counter, shop.now) == "waiting"
    assert messages.send_due(shop.now) == 1
    assert ADDRESS in sender.sent[0].text


def test_the_warranty_that_was_told_holds(shop: Shop) -> None:
    shop.receive("P-1001")
    grade = "genuine pulled"
    terms = {f"grade.{grade}": "400", "voids": "Opened by others."}
    comebacks.change_terms(terms, comebacks.newest_terms(), shop.manager, shop.tick())
    page = routes.routes_page(shop.take_in(HERON), shop.now)
    gets = [said(gets) for one in page.ways if one.on_shelf for gets in one.weighed.way.gets]
    assert any("400" in line for line in gets)
    code = shop.closed()
    comebacks.change_terms(
        {**terms, f"grade.{grade}": "30"}, comebacks.newest_terms(), shop.manager, shop.tick()
    )
    shop.hand_back(code)
    assert shop.job(code).closing.warranty_end == shop.now.date() + timedelta(days=400)


def test_a_price_of_two_rates_leaves_what_is_left_after_both(shop: Shop) -> None:
    policy(shop, part_tax="7")
    shop.receive("P-1001")
    code = shop.closed()
    shop.hand_back(code)
    job = shop.job(code)
    lines = tax_lines(job_service.job_page(code, shop.now).had, taxes_from(job.chosen.taxes, 2_000))
    assert [line.bps for line in lines] == [2_000, 700]
    left = quoting.job_margin(job, shop.manager)
    assert left
    assert left.net.minor == (job.chosen.price_minor or 0) - sum(line.tax.minor for line in lines)
    assert quoting.book_page(shop.manager).lines[0].margin == left


def test_ordering_writes_nothing_twice(shop: Shop) -> None:
    code, token = offered(shop)
    accept(shop, code, token)
    first = drafted()
    assert orders.order_chosen(shop.job(code), shop.counter, shop.now) == ()
    assert drafted() == first

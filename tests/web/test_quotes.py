"""A quote by its link: seen without signing in, answered once, told nothing else, not to be guessed."""

from __future__ import annotations

import html
import re
from datetime import timedelta

import pytest
from builders import HERON, Shop
from starlette.testclient import TestClient
from structlog.testing import capture_logs
from web.desk import Sit

from sutura.core.job import Stage
from sutura.core.quoting.answers import QuoteState
from sutura.services import answers, routes
from sutura.store.database import connection, raw
from sutura.web import limits
from sutura.web.app import told_path


@pytest.fixture(autouse=True)
def patient(database: str) -> None:
    with connection():
        raw("delete from link_try")


def offered(floor: Shop, keys: int = 1, **changes: object) -> tuple[str, str]:
    """A job with a quote of some of its ways, and the token of its link."""
    with connection():
        code = floor.take_in(HERON, **changes)
        page = routes.routes_page(code, floor.now)
        can = [one.weighed.way.key for one in page.ways if not one.weighed.way.why_not]
        return code, answers.offer_ways(code, can[:keys], floor.counter, floor.now)


def text_of(answer: object) -> str:
    return html.unescape(re.sub(r"\s+", " ", answer.text))  # type: ignore[attr-defined]


def send(client: TestClient, token: str, **fields: str) -> object:
    page = client.get(f"/q/{token}")
    csrf = re.search(r'name="csrf" value="([^"]+)"', page.text)
    return client.post(f"/q/{token}", data={"csrf": csrf[1] if csrf else "", **fields})


def test_a_customer_sees_the_ways_and_accepts_one(client: TestClient, floor: Shop) -> None:
    floor.receive("P-1001")
    code, token = offered(floor)
    seen = client.get(f"/q/{token}")
    assert seen.status_code == 200
    page = text_of(seen)
    assert "Yes, repair it this way" in page
    assert "When the price changes" in page
    assert seen.headers["cache-control"] == "no-store"
    assert seen.headers["referrer-policy"] == "no-referrer"
    # nothing but the quote: no customer, no job, no way into the shop
    assert "Orla" not in page
    assert "555" not in page
    assert code not in page
    assert "Sign out" not in page
    with connection():
        [quote] = answers.quotes_of(code)
    done = send(client, token, _way=quote.ways[0].key, agreed="yes")
    assert "Thank you." in text_of(done)
    job = floor.job(code)
    assert job.stage is Stage.PART_IN_HAND
    assert job.chosen.price_minor == quote.ways[0].price.minor
    # the same once more changes nothing; another answer comes too late
    twice = {"csrf": client.cookies["sutura_before"], "_way": quote.ways[0].key, "agreed": "yes"}
    again = client.post(f"/q/{token}", data=twice)
    assert "Thank you." in text_of(again)
    with connection():
        assert (
            answers.answer_by_link(token, quote.ways[0].key, floor.now, agreed=True).state
            is QuoteState.ACCEPTED
        )
    assert "cannot be answered any more" in text_of(
        client.post(f"/q/{token}", data={"csrf": client.cookies["sutura_before"], "_way": "none"})
    )
    assert floor.job(code).stage is Stage.PART_IN_HAND


def test_the_price_that_was_quoted_stands(client: TestClient, floor: Shop) -> None:
    from sutura.core.quoting.policy import policy_texts
    from sutura.services import shop as shop_service

    floor.receive("P-1001")
    code, token = offered(floor)
    with connection():
        [quote] = answers.quotes_of(code)
        typed = {**policy_texts(shop_service.shop().rates.policy, ()), "minimum": "900"}
        shop_service.change_policy(typed, shop_service.shop().version, floor.manager, floor.now)
    send(client, token, _way=quote.ways[0].key, agreed="yes")
    assert floor.job(code).chosen.price_minor == quote.ways[0].price.minor


def test_none_of_them_declines(client: TestClient, floor: Shop) -> None:
    code, token = offered(floor)
    assert "You chose not to repair it" in text_of(send(client, token, _way="none"))
    with connection():
        assert answers.quotes_of(code)[0].state is QuoteState.DECLINED
    assert floor.job(code).stage is Stage.DECLINED


def test_a_newer_quote_and_a_choice_at_the_counter_take_its_place(
    client: TestClient, desks: Sit, floor: Shop
) -> None:
    floor.receive("P-1001")
    code, first = offered(floor)
    with connection():
        keys = [way.key for way in answers.quotes_of(code)[0].ways]
        second = answers.offer_ways(code, keys, floor.counter, floor.now)
    assert "replaced by a newer one" in text_of(client.get(f"/q/{first}"))
    assert "cannot be answered any more" in text_of(
        client.post(f"/q/{first}", data={"csrf": client.cookies["sutura_before"], "_way": keys[0]})
    )
    pell = desks("pell")
    pell.get(f"/jobs/{code}/routes")
    assert "Quotes" in pell.page
    pell.post(f"/jobs/{code}/routes", way=keys[0], agreed="yes")
    assert floor.job(code).stage is Stage.PART_IN_HAND
    assert "replaced by a newer one" in text_of(client.get(f"/q/{second}"))


def test_one_that_is_over_cannot_be_accepted(client: TestClient, floor: Shop) -> None:
    code, token = offered(floor)
    with connection():
        [quote] = answers.quotes_of(code)
        late = quote.valid_until + timedelta(seconds=1)
        with pytest.raises(Exception, match="any more: it is"):
            answers.answer_by_link(token, quote.ways[0].key, late, agreed=True)
    assert floor.job(code).stage is Stage.IDENTIFIED


def test_a_link_is_not_guessed_and_asking_for_many_is_slow(client: TestClient, floor: Shop) -> None:
    _, token = offered(floor)
    assert len(token) >= 32
    for wrong in (token[:-1] + ("A" if token[-1] != "A" else "B"), "x", "a" * 64, "..%2f"):
        assert client.get(f"/q/{wrong}").status_code == 404
    codes = {client.get(f"/q/{'a' * 32}").status_code for _ in range(limits.PER_MINUTE + 2)}
    assert codes == {404, 429}
    # behind the same address sit customers whose links are right
    assert client.get(f"/q/{token}").status_code == 200


def test_a_quote_is_answered_though_its_author_does_other_work(client: TestClient, floor: Shop) -> None:
    with connection():
        code, token = offered(floor)
        raw("update person set role = 'technician' where login = 'pell'")
    try:
        page = client.get(f"/q/{token}").text
        csrf, way = (re.search(rf'name="{name}" value="([^"]+)"', page)[1] for name in ("csrf", "_way"))  # type: ignore[index]
        answer = client.post(f"/q/{token}", data={"csrf": csrf, "_way": way, "agreed": "yes"})
        assert answer.status_code == 200
        assert "Thank you." in answer.text
    finally:
        with connection():
            raw("update person set role = 'counter' where login = 'pell'")
    with connection():
        assert floor.job(code).stage is not Stage.IDENTIFIED


def test_a_forged_answer_is_refused(client: TestClient, floor: Shop) -> None:
    code, token = offered(floor)
    assert client.post(f"/q/{token}", data={"csrf": "mine", "_way": "none"}).status_code == 403
    with connection():
        assert answers.quotes_of(code)[0].state is QuoteState.OPEN


def test_no_log_tells_the_secret(client: TestClient, floor: Shop) -> None:
    _, token = offered(floor)
    with capture_logs() as lines:
        client.get(f"/q/{token}")
    assert [line["path"] for line in lines if line["event"] == "request"] == ["/q/…"]
    assert token not in str(lines)
    assert told_path(f"/q/{token}") == "/q/…"
    assert told_path(f"/jobs/7A-QQQ/quote/{token}") == "/jobs/7A-QQQ/quote/…"


def test_a_quote_is_made_at_the_counter_of_at_most_three_ways(desks: Sit, floor: Shop) -> None:
    code = floor.take_in(HERON)
    pell = desks("pell")
    pell.get(f"/jobs/{code}/routes")
    assert pell.post(f"/jobs/{code}/quote").status_code == 422
    ways = re.findall(r'name="ways" value="([^"]+)"', pell.page)
    pell.post(f"/jobs/{code}/quote", ways=html.unescape(ways[0]))
    link = re.search(r"/q/([A-Za-z0-9_-]+)", pell.page)
    assert link
    assert "Send this link" in pell.page
    # the secret stands nowhere in the database
    with connection():
        tables = [table for (table,) in raw("select tablename from pg_tables where schemaname = 'public'")]
        for table in tables:
            (count,) = raw(
                f'select count(*) from "{table}" row where row::text like %s', f"%{link[1]}%"
            ).fetchone()
            assert count == 0, table
    other = floor.take_in(HERON)
    assert pell.get(f"/jobs/{other}/quote/{link[1]}").status_code == 404
    bram = desks("bram")
    assert bram.get(f"/jobs/{code}/quote/{link[1]}").status_code == 403


def test_what_changed_since_the_quote_before_is_said(client: TestClient, floor: Shop) -> None:
    code, first = offered(floor, keys=2)
    with connection():
        both = [way.key for way in answers.quotes_of(code)[0].ways]
        second = answers.offer_ways(code, both[1:], floor.counter, floor.now)
    assert "different from the quote before" not in text_of(client.get(f"/q/{first}"))
    page = text_of(client.get(f"/q/{second}"))
    assert "What is different from the quote before:" in page
    assert "no longer offered:" in page


def test_a_part_chosen_in_match_overtakes_an_open_quote(client: TestClient, desks: Sit, floor: Shop) -> None:
    code, token = offered(floor)
    with connection():
        floor.choose(code)
    assert "replaced by a newer one" in text_of(client.get(f"/q/{token}"))


def test_the_very_part_that_was_offered_is_chosen_though_a_better_one_came(
    client: TestClient, floor: Shop
) -> None:
    code, token = offered(floor)
    with connection():
        [quote] = answers.quotes_of(code)
        raw("update offer set price_minor = 1 where id <> all(%s)", list(quote.ways[0].offers))
    send(client, token, _way=quote.ways[0].key, agreed="yes")
    chosen = floor.job(code).chosen
    assert (chosen.offer_id, *chosen.more_offers) == quote.ways[0].offers
    assert chosen.price_minor == quote.ways[0].price.minor
    # nothing of it lies here: it is chosen all the same, and waits
    assert floor.job(code).stage is Stage.QUOTED


@pytest.mark.parametrize("state", ["given_up", "dropped"])
def test_a_quote_that_was_not_sent_says_so_and_can_be_sent_again(desks: Sit, floor: Shop, state: str) -> None:
    code, token = offered(floor)
    pell, here = desks("pell"), f"/jobs/{code}/quote/{token}"
    assert "Send it by message" in pell.get(here).text
    pell.post(f"{here}/send")
    assert "waits until" in pell.page.lower()
    assert "Send it by message" not in pell.page
    with connection():
        raw("update message set state = %s, link = '' where link like %s", state, f"%{token}")
    assert "Not sent" in pell.get(here).text
    assert "comes into the job by itself" not in pell.page
    pell.post(f"{here}/send")
    assert "waits until" in pell.page.lower()

"""Messages through the services: once, quiet, tried again, to nobody erased; mail as MIME; the status
page."""

from __future__ import annotations

import email
import email.policy
from collections.abc import Iterator
from datetime import datetime, time, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pypdfium2
import pytest
from builders import HERON, Shop, said

from sutura.core.errors import Invalid, MoveRefused, NotAllowed, NotFound, StaleSave
from sutura.core.handover.telling import Sending, Told
from sutura.core.job import JobRecord
from sutura.devices import plug
from sutura.devices.ports import Message
from sutura.devices.simulated.messenger import SimulatedMessenger
from sutura.formats.mail import make_mail
from sutura.services import customers, handover, invoices, looks, messages
from sutura.services import shop as shop_service
from sutura.store.database import DATABASE


@pytest.fixture(autouse=True)
def outbox() -> Iterator[SimulatedMessenger]:
    made = SimulatedMessenger()
    plug(messenger=made)
    messages.reached_at("https://shop.example/")
    yield made
    plug(messenger=SimulatedMessenger())
    messages.reached_at("")


@pytest.fixture
def ready(shop: Shop) -> str:
    shop.receive("P-1001", 1)
    code = shop.closed(HERON)
    shop.look_at_sealed(code)
    return code


def wants(shop: Shop, code: str, channel: str, mail: str = "") -> None:
    DATABASE.execute_sql(
        "update customer set channel = %s, email = %s where id = %s",
        (channel, mail, shop.job(code).customer_id),
    )


def test_ready_is_told_once_however_often_it_is_pressed(
    shop: Shop, ready: str, outbox: SimulatedMessenger
) -> None:
    assert messages.tell(ready, "ready", "", shop.counter, shop.tick()) == "waiting"
    assert messages.tell(ready, "ready", "", shop.counter, shop.tick()) == "already"
    assert messages.send_due(shop.tick()) == 1
    assert messages.send_due(shop.tick()) == 0
    [sent] = outbox.sent
    assert sent.to == "555 0101"
    assert f"({ready})" in sent.text
    assert "https://shop.example/s/" in sent.text
    assert messages.messages_of(shop.job(ready))[0].state == "sent"


def test_what_is_not_so_is_not_told(shop: Shop, ready: str) -> None:
    open_ = shop.take_in()
    with pytest.raises(MoveRefused):
        messages.tell(open_, "ready", "", shop.counter, shop.tick())
    with pytest.raises(MoveRefused):
        messages.tell(ready, "receipt", "", shop.counter, shop.tick())
    with pytest.raises(Invalid):
        messages.tell(open_, "delayed", "no", shop.counter, shop.tick())
    with pytest.raises(Invalid):
        messages.tell(open_, "reminder", "", shop.counter, shop.tick())
    assert messages.tell(open_, "delayed", "the part came late", shop.counter, shop.tick()) == "waiting"


def test_in_the_quiet_hours_it_waits(shop: Shop, ready: str, outbox: SimulatedMessenger) -> None:
    shop.now = shop.now.replace(hour=22, minute=0)
    messages.tell(ready, "ready", "", shop.counter, shop.now)
    assert messages.send_due(shop.now + timedelta(hours=3)) == 0
    assert messages.send_due(shop.now + timedelta(hours=11)) == 1
    assert len(outbox.sent) == 1


def test_one_that_cannot_be_sent_is_tried_again_and_stops_none(shop: Shop, ready: str) -> None:
    away = SimulatedMessenger(["away"])
    plug(messenger=away)
    messages.tell(ready, "ready", "", shop.counter, shop.tick())
    assert messages.send_due(shop.now) == 0
    row = messages.messages_of(shop.job(ready))[0]
    assert (row.state, row.tries) == ("waiting", 1)
    assert "does not answer" in row.why
    away.faults = frozenset()
    assert messages.send_due(shop.now) == 0, "not before its time"
    assert messages.send_due(shop.now + timedelta(minutes=2)) == 1


def test_a_number_that_is_none_is_given_up(shop: Shop, ready: str) -> None:
    plug(messenger=SimulatedMessenger(["refuses"]))
    messages.tell(ready, "ready", "", shop.counter, shop.tick())
    messages.send_due(shop.now)
    assert messages.messages_of(shop.job(ready))[0].state == "given_up"


def test_a_mail_is_mime_that_the_standard_library_reads(
    shop: Shop, ready: str, outbox: SimulatedMessenger, tmp_path: Path
) -> None:
    wants(shop, ready, "mail", "orla@venn.example")
    messages.tell(ready, "ready", "", shop.counter, shop.tick())
    messages.send_due(shop.now)
    [sent] = outbox.sent
    read = email.message_from_bytes(sent.mail, policy=email.policy.default)
    assert read["To"] == "orla@venn.example"
    assert read["From"].addresses[0].addr_spec == "no-reply@sutura.invalid"
    assert "is ready" in str(read["Subject"])
    assert read["Message-ID"]
    assert read.get_content_type() == "text/plain"
    assert f"({ready})" in read.get_content()
    kept = SimulatedMessenger(outbox=tmp_path)
    kept.send(sent)
    kept.send(Message(to="555", text="short"))
    assert [file.suffix for file in sorted(tmp_path.iterdir())] == [".eml", ".txt"]
    assert (tmp_path / "000001.eml").read_bytes() == sent.mail


def test_a_subject_cannot_begin_another_header(shop: Shop) -> None:
    mail = make_mail(
        sender="Screens",
        to="a@b.example",
        subject="Hi\r\nBcc: x@y.example",
        text="Grüße\n",
        number="1",
        at=shop.now,
    )
    read = email.message_from_bytes(mail, policy=email.policy.default)
    assert read["Bcc"] is None
    assert read.get_content().strip() == "Grüße"


def test_who_wants_nothing_hears_nothing(shop: Shop, ready: str) -> None:
    wants(shop, ready, "none")
    with pytest.raises(Invalid, match="no messages"):
        messages.tell(ready, "ready", "", shop.counter, shop.tick())
    assert messages.remind(shop.now + timedelta(days=2)) == 0
    wants(shop, ready, "mail")
    with pytest.raises(Invalid):
        messages.tell(ready, "ready", "", shop.counter, shop.tick())


def test_nothing_is_sent_to_an_erased_customer(shop: Shop, ready: str, outbox: SimulatedMessenger) -> None:
    shop.hand_back(ready)
    messages.tell(ready, "receipt", "", shop.counter, shop.tick())
    link = messages.status_link(shop.job(ready), shop.now)
    customers.erase_customer(shop.job(ready).customer_id, "Orla Venn", shop.manager, shop.tick())
    messages.send_due(shop.tick())
    assert outbox.sent == []
    row = messages.messages_of(shop.job(ready))[0]
    assert (row.state, row.receiver, row.body) == ("dropped", "", "")
    with pytest.raises(NotFound):
        messages.status_page(link, shop.now)


def test_reminders_go_out_once_each_and_the_rest_is_to_be_decided(shop: Shop, ready: str) -> None:
    assert messages.remind(shop.now) == 0
    assert messages.remind(shop.now + timedelta(days=2)) == 1
    assert messages.remind(shop.now + timedelta(days=2)) == 0
    assert messages.remind(shop.now + timedelta(days=40)) == 1, "the last one alone"
    assert [row.occasion for row in messages.messages_of(shop.job(ready))] == ["30", "1"]
    assert messages.to_decide(shop.now + timedelta(days=59)) == []
    assert [one.code for one in messages.to_decide(shop.now + timedelta(days=61))] == [ready]
    shop.hand_back(ready)
    assert messages.to_decide(shop.now + timedelta(days=61)) == []


def test_the_words_are_the_shops_and_read_for_a_real_job(shop: Shop, ready: str) -> None:
    typed = {**messages.texts_in("en"), "text.ready": "Come, {job}: {open}"}
    with pytest.raises(NotAllowed):
        messages.change_telling(typed, "en", shop_service.shop().version, shop.counter, shop.tick())
    with pytest.raises(Invalid):
        messages.change_telling(typed, "xx", shop_service.shop().version, shop.manager, shop.tick())
    assert messages.preview(ready, typed, "en", shop.now)[Told.READY].text.startswith(f"Come, {ready}: ")
    messages.change_telling(typed, "en", shop_service.shop().version, shop.manager, shop.tick())
    assert messages.preview(ready, {}, "en", shop.now)[Told.READY].text.startswith("Come, ")
    with pytest.raises(StaleSave):
        messages.change_telling(typed, "en", shop_service.shop().version - 1, shop.manager, shop.tick())


def test_a_customer_hears_the_shops_words_in_their_language(
    shop: Shop, ready: str, outbox: SimulatedMessenger
) -> None:
    """The shop wrote its own in German and in English; who speaks neither hears English."""
    for language, words in (("de", "Fertig: {job}, {open}"), ("en", "Come, {job}")):
        typed = {**messages.texts_in(language), "text.ready": words}
        messages.change_telling(typed, language, shop_service.shop().version, shop.manager, shop.tick())
    customer = shop.job(ready).customer_id
    DATABASE.execute_sql("update customer set language = 'de' where id = %s", (customer,))
    messages.tell(ready, "ready", "", shop.counter, shop.tick())
    messages.send_due(shop.now)
    assert outbox.sent[-1].text.startswith(f"Fertig: {ready}, ")
    # what it did not write in German is said in the usual German words
    messages.tell(ready, "question", "which code opens it", shop.counter, shop.tick())
    messages.send_due(shop.now)
    assert outbox.sent[-1].text.startswith("Eine Frage zu Ihrem ")
    assert shop_service.language_of(shop.job(ready).id) == "de"
    DATABASE.execute_sql("update customer set language = 'fr' where id = %s", (customer,))
    assert shop_service.language_of(shop.job(ready).id) == "en"


def test_one_that_was_given_up_is_sent_when_it_is_asked_for_again(
    shop: Shop, ready: str, outbox: SimulatedMessenger
) -> None:
    """The number was wrong: it is put right, and pressed again."""
    outbox.faults = frozenset({"refuses"})
    messages.tell(ready, "ready", "", shop.counter, shop.tick())
    messages.send_due(shop.now)
    assert messages.messages_of(shop.job(ready))[0].state is Sending.GIVEN_UP
    outbox.faults = frozenset()
    wants(shop, ready, "mail", "orla@venn.example")
    assert messages.tell(ready, "ready", "", shop.counter, shop.tick()) == "waiting"
    [row] = messages.messages_of(shop.job(ready))
    assert (row.state, row.tries, row.why, row.receiver) == (Sending.WAITING, 0, "", "orla@venn.example")
    assert messages.send_due(shop.now) == 1
    assert messages.tell(ready, "ready", "", shop.counter, shop.tick()) == "already"


def test_what_is_no_longer_so_is_not_sent_in_the_morning(
    shop: Shop, ready: str, outbox: SimulatedMessenger
) -> None:
    """Ready in the evening, collected before the quiet hours are over."""
    shop.now = shop.now.replace(hour=22, minute=0)
    messages.tell(ready, "ready", "", shop.counter, shop.now)
    shop.hand_back(ready)
    assert messages.send_due(shop.now + timedelta(hours=11)) == 0
    assert outbox.sent == []
    assert messages.messages_of(shop.job(ready))[0].state is Sending.DROPPED


def test_nobody_is_told_to_expect_it_at_a_time_that_is_over(shop: Shop, outbox: SimulatedMessenger) -> None:
    """The new promise comes first; one that is over by the morning, or was changed, is not sent."""
    shop.receive("P-1001", 1)
    code = shop.opened(HERON)
    promised = shop.job(code).promise_at
    with pytest.raises(Invalid) as refused:
        messages.tell(code, "delayed", "the part came late", shop.counter, promised)
    assert "a time that is still to come" in said(refused.value.said)
    assert messages.tell(code, "delayed", "the part came late", shop.counter, shop.tick()) == "waiting"
    assert messages.send_due(promised) == 0
    assert outbox.sent == []
    assert messages.messages_of(shop.job(code))[0].state is Sending.DROPPED


def test_a_message_that_cannot_be_made_stops_no_other(
    shop: Shop, ready: str, outbox: SimulatedMessenger, monkeypatch: pytest.MonkeyPatch
) -> None:
    wants(shop, ready, "mail", "orla@venn.example")
    open_ = shop.take_in()
    messages.tell(ready, "ready", "", shop.counter, shop.tick())
    DATABASE.execute_sql("update customer set channel = '' where id = %s", (shop.job(open_).customer_id,))
    messages.tell(open_, "question", "which code opens it", shop.counter, shop.tick())

    def broken(**_: object) -> bytes:
        raise ValueError("no such letter")

    monkeypatch.setattr(messages, "make_mail", broken)
    assert messages.send_due(shop.now) == 1
    assert len(outbox.sent) == 1
    row = messages.messages_of(shop.job(ready))[0]
    assert (row.state, row.tries, row.why) == (Sending.WAITING, 1, "no such letter")
    monkeypatch.undo()
    assert messages.send_due(shop.now + timedelta(minutes=2)) == 1


def test_a_job_that_cannot_be_reminded_of_stops_no_other(
    shop: Shop, ready: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    shop.receive("P-1001", 1)
    other = shop.closed(HERON)
    shop.look_at_sealed(other)
    sound = looks.not_ready

    def broken(job: JobRecord, *rest: object) -> object:
        if job.code == ready:
            raise KeyError("nothing known of it")
        return sound(job, *rest)  # type: ignore[arg-type]

    monkeypatch.setattr(looks, "not_ready", broken)
    assert messages.remind(shop.now + timedelta(days=2)) == 1
    assert [row.kind for row in messages.messages_of(shop.job(other))] == [Told.REMINDER]


def test_what_was_not_so_is_told_when_it_is_so_again(
    shop: Shop, ready: str, outbox: SimulatedMessenger
) -> None:
    messages.tell(ready, "ready", "", shop.counter, shop.tick())
    DATABASE.execute_sql("update message set state = 'dropped'")
    assert messages.tell(ready, "ready", "", shop.counter, shop.tick()) == "waiting"
    assert messages.send_due(shop.now) == 1
    assert len(outbox.sent) == 1


def test_a_receipt_by_mail_brings_the_invoice(shop: Shop, ready: str, outbox: SimulatedMessenger) -> None:
    """The mail is taken apart by the standard library, its paper read by another than made it."""
    wants(shop, ready, "mail", "orla@venn.example")
    shop.hand_back(ready)
    messages.tell(ready, "receipt", "", shop.counter, shop.tick())
    messages.send_due(shop.now)
    read = email.message_from_bytes(outbox.sent[-1].mail, policy=email.policy.default)
    [paper] = read.iter_attachments()
    [kept] = invoices.papers_of(shop.job(ready))
    assert paper.get_filename() == f"{kept.paper.number}.pdf"
    assert paper.get_content_type() == "application/pdf"
    text = "".join(
        page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(paper.get_content())
    )
    assert kept.paper.number in text
    body = read.get_body(("plain",))
    assert body
    warranty = shop.job(ready).closing.warranty_end
    assert warranty
    assert f"{warranty:%d.%m.%Y}" in body.get_content()


def test_what_goes_back_unrepaired_brings_its_papers(shop: Shop, outbox: SimulatedMessenger) -> None:
    """A deposit of which a part goes back: its invoice and the credit note."""
    shop.receive("P-1001", 1)
    code = shop.quoted()
    wants(shop, code, "mail", "orla@venn.example")
    handover.take_deposit(code, "30", "cash", shop.counter, shop.tick())
    handover.decline(code, "too dear", shop.counter, shop.tick())
    with pytest.raises(MoveRefused):
        messages.tell(code, "returned", "", shop.counter, shop.tick())
    shop.return_unrepaired(code, refund="25")
    with pytest.raises(MoveRefused):
        messages.tell(code, "receipt", "", shop.counter, shop.tick())
    assert messages.tell(code, "returned", "", shop.counter, shop.tick()) == "waiting"
    messages.send_due(shop.now)
    read = email.message_from_bytes(outbox.sent[-1].mail, policy=email.policy.default)
    names = [paper.get_filename() for paper in read.iter_attachments()]
    assert names == [f"{kept.paper.number}.pdf" for kept in invoices.papers_of(shop.job(code))]
    assert len(names) == 2
    body = read.get_body(("plain",))
    assert body
    assert "without a repair" in body.get_content()


def test_a_status_page_ends_and_cannot_be_guessed(shop: Shop, ready: str) -> None:
    link = messages.status_link(shop.job(ready), shop.now)
    assert messages.status_link(shop.job(ready), shop.now) == link
    page = messages.status_page(link, shop.now)
    assert page.says.id == "status.ready"
    assert page.code == ready
    for wrong in ("", "x" * 24, link[:-1], link + "a", "'; drop table job; --------"):
        with pytest.raises(NotFound):
            messages.status_page(wrong, shop.now)
    shop.hand_back(ready)
    messages.status_page(link, shop.now + timedelta(days=29))
    with pytest.raises(NotFound):
        messages.status_page(link, shop.now + timedelta(days=31))


def test_a_parcel_is_written_down_with_its_label(shop: Shop, ready: str) -> None:
    with pytest.raises(NotFound):
        handover.print_parcel_label(ready, shop.counter)
    shop.hand_back(
        ready, how="post", address="4 Ropewalk, Port Averil", carrier="Post", way_back="P-7788", insured="150"
    )
    out = handover.handed_out(shop.job(ready))
    assert out
    assert (out.how, out.tracking, out.insured_minor, out.cards) == ("post", "P-7788", 15_000, True)
    handover.print_parcel_label(ready, shop.counter)


def test_nothing_is_sent_in_quiet_hours_by_a_worker_that_comes_back(
    shop: Shop, ready: str, outbox: SimulatedMessenger
) -> None:
    """It was due in the afternoon, the worker was away until night; a try that is repeated waits likewise."""
    messages.tell(ready, Told.READY.value, "", shop.counter, shop.tick())
    zone = ZoneInfo(shop_service.shop().timezone)
    night = datetime.combine(shop.now.astimezone(zone).date(), time(23, 30), zone)
    assert messages.send_due(night) == 0
    assert outbox.sent == []
    [row] = messages.messages_of(shop.job(ready))
    assert row.state is Sending.WAITING
    morning = datetime.combine(night.date() + timedelta(days=1), time(8), zone)
    assert messages.send_due(morning - timedelta(minutes=1)) == 0
    assert messages.send_due(morning) == 1
    assert len(outbox.sent) == 1


def test_what_a_killed_worker_had_taken_is_sent_once_more_and_nothing_is_sent_twice_meanwhile(
    shop: Shop, ready: str, outbox: SimulatedMessenger, monkeypatch: pytest.MonkeyPatch
) -> None:
    messages.tell(ready, Told.READY.value, "", shop.counter, shop.tick())
    with monkeypatch.context() as patch:

        def killed(message: object) -> None:
            raise KeyboardInterrupt

        patch.setattr(outbox, "send", killed)
        with pytest.raises(KeyboardInterrupt):
            messages.send_due(shop.now)
    assert messages.send_due(shop.tick()) == 0
    assert messages.send_due(shop.tick(6)) == 1
    assert messages.send_due(shop.tick(6)) == 0
    assert len(outbox.sent) == 1

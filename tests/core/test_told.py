"""What customers are told: templates, quiet hours, reminders, by which way. Common practice, no source."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from builders import examples, said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import AccessoriesMissing, Invalid, ManyInvalid
from sutura.core.handover.giving import (
    Accessory,
    Collects,
    cards_in_tray,
    check_cards,
    places_of,
    read_hands_out,
    scanned,
)
from sutura.core.handover.telling import (
    NAMES,
    USUAL,
    USUAL_TELLING,
    Telling,
    Template,
    Told,
    Way,
    check_template,
    check_way,
    fill,
    is_stored_too_long,
    next_try,
    read_telling,
    reminders_due,
    status_of,
    tellable,
    telling_from,
    telling_kept,
    telling_texts,
    template_of,
    way_of,
    when_to_send,
)
from sutura.core.job import Stage

ZONE = ZoneInfo("Europe/Vienna")
NOW = datetime(2031, 3, 3, 9, tzinfo=UTC)


TEXTS = telling_texts(USUAL_TELLING, "en", USUAL)


def read(typed: Mapping[str, str], before: Telling = USUAL_TELLING, language: str = "en") -> Telling:
    return read_telling(typed, before, language, USUAL)


def test_every_usual_message_names_only_what_there_is() -> None:
    for told, template in USUAL.items():
        assert check_template(told, template.subject, template.text) == template
        filled = fill(template, dict.fromkeys(NAMES, "X"))
        assert "{" not in filled.text + filled.subject
        assert "  " not in filled.text


@pytest.mark.parametrize(
    "text", ["{name}", "{shop!r}", "{shop:>9}", "{shop", "{0}", "{}", "{shop.__class__}", "ab", "x" * 601]
)
def test_words_that_cannot_be_filled_are_refused_in_their_place(text: str) -> None:
    with pytest.raises(ManyInvalid) as refused:
        check_template(Told.READY, "All right", text)
    assert [one.field for one in refused.value.problems] == ["text.ready"]


def test_what_has_nothing_to_say_leaves_no_gap() -> None:
    filled = fill(Template(subject="{shop}", text="Ready: {device} {status} {open}"), {"device": "Heron"})
    assert filled == Template(subject="", text="Ready: Heron")


def quiet(begin: str, end: str) -> Telling:
    return read({**TEXTS, "quiet_from": begin, "quiet_to": end})


def test_the_quiet_hours_begin_and_end_at_their_minute() -> None:
    at = datetime(2031, 3, 3, tzinfo=UTC)
    for telling, begin, end, over in (
        (quiet("20:00", "08:00"), 20, 8, 32),
        (quiet("12:00", "14:00"), 12, 14, 14),
    ):
        assert when_to_send(at.replace(hour=begin), telling, ZoneInfo("UTC")) == at + timedelta(hours=over)
        assert when_to_send(at.replace(hour=end), telling, ZoneInfo("UTC")) == at.replace(hour=end)


@examples(300)
@given(
    st.datetimes(datetime(2031, 1, 1), datetime(2032, 1, 1), timezones=st.just(UTC)),
    st.integers(0, 95),
    st.integers(0, 95),
)
def test_nothing_goes_out_in_the_quiet_hours(now: datetime, begin: int, end: int) -> None:
    """The judge steps through the minutes by the clock on the wall."""

    def clock(quarter: int) -> str:
        return f"{quarter // 4:02d}:{quarter % 4 * 15:02d}"

    telling = quiet(clock(begin), clock(end))
    at = when_to_send(now, telling, ZONE)

    def is_quiet(moment: datetime) -> bool:
        minute = moment.astimezone(ZONE).hour * 60 + moment.astimezone(ZONE).minute
        first, last = begin * 15, end * 15
        return first <= minute < last if first <= last else minute >= first or minute < last

    assert at >= now
    assert not is_quiet(at)
    if not is_quiet(now):
        assert at == now
    else:
        assert at - now <= timedelta(hours=25)
        assert is_quiet(at - timedelta(minutes=1)) or is_quiet(at - timedelta(minutes=61))


def test_a_message_that_fails_is_tried_again_and_then_given_up() -> None:
    waits = [next_try(tries, NOW) for tries in range(1, 8)]
    assert [None if at is None else (at - NOW).seconds // 60 for at in waits] == [
        1,
        5,
        15,
        60,
        240,
        720,
        None,
    ]


@pytest.mark.parametrize(
    ("hours", "due"), [(23, ()), (24, (1,)), (24 * 7 - 1, (1,)), (24 * 7, (1, 7)), (24 * 90, (1, 7, 30))]
)
def test_reminders_by_their_days(hours: int, due: tuple[int, ...]) -> None:
    assert reminders_due(NOW, (30, 1, 7), NOW + timedelta(hours=hours)) == due


def test_what_lies_too_long_is_to_be_decided() -> None:
    assert not is_stored_too_long(NOW, USUAL_TELLING, NOW + timedelta(days=60, seconds=-1))
    assert is_stored_too_long(NOW, USUAL_TELLING, NOW + timedelta(days=60))
    never = read({**TEXTS, "storage_days": "0"})
    assert not is_stored_too_long(NOW, never, NOW + timedelta(days=9_999))


@pytest.mark.parametrize(
    ("wanted", "phone", "email", "way"),
    [
        ("", "555", "a@b.example", (Way.TEXT, "555")),
        ("", " ", "a@b.example", (Way.MAIL, "a@b.example")),
        ("mail", "555", "a@b.example", (Way.MAIL, "a@b.example")),
        ("mail", "555", "", (Way.MAIL, "")),
        ("text", "", "a@b.example", (Way.TEXT, "")),
        ("none", "555", "a@b.example", (Way.NONE, "")),
        ("", "", "", (Way.MAIL, "")),
    ],
)
def test_a_message_goes_the_way_its_customer_wants(
    wanted: str, phone: str, email: str, way: tuple[Way, str]
) -> None:
    assert way_of(wanted, phone, email) == way
    assert check_way(wanted) == wanted


def test_a_way_that_nobody_goes_is_refused() -> None:
    with pytest.raises(Invalid):
        check_way("pigeon")


def test_what_is_typed_is_kept_and_read_back() -> None:
    typed = {**TEXTS, "quiet_from": "21:30", "quiet_to": "7:15", "reminders": "14, 3,3"}
    kept = read(typed)
    assert (kept.quiet_from, kept.quiet_to, kept.reminders) == (time(21, 30), time(7, 15), (3, 14))
    assert read({**TEXTS, "storage_days": "45"}).storage_days == 45
    assert kept.words == {}, "the usual words are not the shop's own"
    assert telling_from(telling_kept(kept)) == kept
    assert telling_from({}) == USUAL_TELLING


def test_the_words_of_each_language_are_the_shops_own() -> None:
    """What is written in one language stays where another is written; the usual words again are none."""
    german = read({**TEXTS, "text.ready": "Fertig: {job}"}, language="de")
    assert template_of(german, Told.READY, "de", USUAL[Told.READY]).text == "Fertig: {job}"
    assert template_of(german, Told.READY, "en", USUAL[Told.READY]) == USUAL[Told.READY]
    assert template_of(german, Told.QUOTE, "de", USUAL[Told.QUOTE]) == USUAL[Told.QUOTE]
    both = read({**TEXTS, "text.ready": "Come: {job}"}, german)
    assert {language: set(own) for language, own in both.words.items()} == {
        "de": {Told.READY},
        "en": {Told.READY},
    }
    assert telling_from(telling_kept(both)) == both
    assert telling_texts(both, "de", USUAL)["text.ready"] == "Fertig: {job}"
    assert read(TEXTS, both, "de").words == {"en": both.words["en"]}


@pytest.mark.parametrize(
    ("told", "text", "taken"),
    [
        (Told.QUOTE, "Here: {link}, until {until}", True),
        (Told.QUOTE, "Your quote holds until {until}", False),
        (Told.READY, "Ready until {until}", False),
        (Told.READY, "Ready: {link}", False),
        (Told.RECEIPT, "Warranty until {warranty}", True),
    ],
)
def test_a_quote_is_told_with_its_address_and_nothing_else_is(told: Told, text: str, taken: bool) -> None:
    if taken:
        assert check_template(told, "A subject", text).text == text
        return
    with pytest.raises(ManyInvalid) as refused:
        check_template(told, "A subject", text)
    assert [one.field for one in refused.value.problems] == [f"text.{told.value}"]


def test_every_problem_is_said_at_once() -> None:
    bad = {
        "quiet_from": "25:00",
        "quiet_to": "8",
        "reminders": "0",
        "storage_days": "x",
        "text.ready": "{who}",
    }
    with pytest.raises(ManyInvalid) as refused:
        read({**TEXTS, **bad})
    assert {one.field for one in refused.value.problems} == set(bad)


# -- who takes it, and cards ------------------------------------------------------------------------


CAME = [
    Accessory(id=1, name="Case", kept=""),
    Accessory(id=2, name="SIM card", kept="Envelope 7"),
    Accessory(id=3, name="Memory card", kept="envelope  7"),
    Accessory(id=4, name="Charger", kept="its tray"),
    Accessory(id=5, name="Stylus", kept="drawer 2"),
]


@pytest.mark.parametrize(
    ("text", "ticked"),
    [
        ("K7-4QX", {1, 4}),
        (" k74qx ", {1, 4}),
        ("K7-4QX/1", {2, 3}),
        ("K7-4QX/2", {5}),
        ("K7-4QX/3", None),
        ("A1-AAA", None),
        ("", None),
    ],
)
def test_a_label_ticks_what_is_kept_there_and_one_of_another_job_nothing(
    text: str, ticked: set[int] | None
) -> None:
    if ticked is None:
        with pytest.raises(Invalid) as refused:
            scanned("K7-4QX", CAME, text)
        assert refused.value.field == "scan"
        assert "K7-4QX/2" in said(refused.value)
    else:
        assert scanned("K7-4QX", CAME, text) == ticked


def test_where_nothing_lies_in_the_tray_its_label_ticks_nothing() -> None:
    with pytest.raises(Invalid):
        scanned("K7-4QX", CAME[1:2], "K7-4QX")
    assert list(places_of("K7-4QX", [])) == []


def test_cards_that_came_out_at_the_bench_are_ticked_at_the_counter() -> None:
    assert cards_in_tray(["warm", "cards-out"], [])
    assert not cards_in_tray(["warm"], [])
    assert not cards_in_tray(["cards-out"], [Accessory(id=1, name="SIM card", kept="tray 1")])
    assert cards_in_tray(["cards-out"], [Accessory(id=1, name="Case", kept="")])
    check_cards(True, True, "")
    check_cards(True, False, "in the envelope with the ticket")
    check_cards(False, False, "")
    with pytest.raises(AccessoriesMissing):
        check_cards(True, False, " ")


@pytest.mark.parametrize(
    ("typed", "wrong"),
    [
        ({}, set()),
        ({"how": "customer"}, set()),
        ({"how": "other", "name": "Ola Venn", "ticket": "k74qx"}, set()),
        ({"how": "other", "name": "O", "ticket": "K7-4QY"}, {"name", "ticket"}),
        ({"how": "post"}, {"address", "carrier", "way_back"}),
        (
            {"how": "post", "address": "4 Ropewalk", "carrier": "Post", "way_back": "P-77", "insured": "x"},
            {"insured"},
        ),
        ({"how": "post", "address": "12345678", "carrier": "Po", "way_back": "P-7"}, set()),
        (
            {"how": "post", "address": "1234567", "carrier": "P", "way_back": "P7"},
            {"address", "carrier", "way_back"},
        ),
        (
            {"how": "post", "address": "x" * 401, "carrier": "x" * 61, "way_back": "x" * 61},
            {"address", "carrier", "way_back"},
        ),
        ({"how": "post", "address": "x" * 400, "carrier": "x" * 60, "way_back": "x" * 60}, set()),
        ({"how": "other", "name": "Ol", "ticket": "K7-4QX"}, set()),
        ({"how": "other", "name": "x" * 121, "ticket": "K7-4QX"}, {"name"}),
        ({"how": "pigeon"}, {"how"}),
    ],
)
def test_who_takes_it_is_written_down(typed: dict[str, str], wrong: set[str]) -> None:
    if wrong:
        with pytest.raises(ManyInvalid) as refused:
            read_hands_out(typed, "K7-4QX", "TAL")
        assert {one.field for one in refused.value.problems} == wrong
    else:
        assert read_hands_out(typed, "K7-4QX", "TAL").how in Collects


def test_a_parcel_has_all_that_belongs_to_it() -> None:
    typed = {
        "how": "post",
        "address": "4 Ropewalk",
        "carrier": "Post",
        "way_back": " P-77 ",
        "insured": "120,50",
    }
    out = read_hands_out(typed, "K7-4QX", "TAL")
    assert (out.tracking, out.insured_minor, out.name) == ("P-77", 12_050, "")


def test_each_stage_says_how_far_it_is_and_what_comes_next() -> None:
    for stage in Stage:
        says, then = status_of(stage, NOW, NOW - timedelta(minutes=1), ready=False)
        assert said(says).endswith(".")
        over = stage in (Stage.HANDED_BACK, Stage.RETURNED, Stage.DECLINED)
        assert (then is None) is over
        assert over or "03.03." in said(then)
    says, then = status_of(Stage.CLOSED, NOW, NOW, ready=True)
    assert (said(says), "Bring the ticket" in said(then)) == ("It is ready.", True)


def test_what_may_be_told_when() -> None:
    assert tellable(Stage.OPENED) == (Told.DELAYED, Told.QUESTION)
    assert tellable(Stage.CLOSED) == (Told.READY, Told.DELAYED, Told.QUESTION)
    assert tellable(Stage.HANDED_BACK) == (Told.RECEIPT,)
    assert tellable(Stage.RETURNED) == (Told.RETURNED,)


def test_a_time_that_is_over_is_not_told_as_coming() -> None:
    _, before = status_of(Stage.OPENED, NOW, NOW - timedelta(seconds=1), ready=False)
    _, over = status_of(Stage.OPENED, NOW, NOW, ready=False)
    assert "We expect to have it ready by" in said(before)
    assert "longer than we said" in said(over)

"""Customers made one, forgotten and handed out: whoever does it at once, wherever something of them
stands.
"""

from __future__ import annotations

import itertools
import json
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

import peewee
import pytest
from builders import HERON, Shop, all_work, impact, models
from store.test_concurrency import at_once

from sutura.core.errors import Invalid, ManyInvalid, NotFound
from sutura.core.intake.customers import ERASED
from sutura.core.intake.personal import PLACES, known_columns
from sutura.core.job import Stage
from sutura.core.quoting.answers import WITH
from sutura.devices import plug
from sutura.devices.ports import Message
from sutura.devices.simulated.messenger import SimulatedMessenger
from sutura.services import answers, bench, customers, drafts, handover, intake, ledger, messages, proof
from sutura.store import customers as customers_store
from sutura.store.database import DATABASE, connection, first_value, raw

MARK = "Zedmark"


def text_columns() -> set[str]:
    """Every column of our tables that can hold words: texts and JSON."""
    found = raw(
        "select table_name, column_name from information_schema.columns join information_schema.tables "
        "using (table_schema, table_name) where table_schema = 'public' and table_type = 'BASE TABLE' "
        "and data_type in ('text', 'character varying', 'jsonb', 'json') "
        "and table_name not like 'procrastinate%%' and table_name <> 'schema_migration'"
    ).fetchall()
    return {f"{table}.{column}" for table, column in found}


def where_stands(*words: str) -> set[str]:
    """The columns in which one of some words stands anywhere."""
    return {
        place
        for place in text_columns()
        if first_value(
            f"select count(*) from {place.split('.')[0]} where {place.split('.')[1]}::text ilike any(%s)",
            [f"%{word}%" for word in words],
        )
    }


def a_life(shop: Shop) -> tuple[int, str]:
    """A customer of whom something stands in every place where it can, and the code of the job."""
    shop.receive("P-1001", 3)
    code = shop.closed(
        name=f"{MARK} Orla",
        phone="555 0177",
        email=f"{MARK}@venn.example",
        serial=f"SN-{MARK}",
        read_number="FH-2107",
        complaint=f"{MARK} dropped it",
        promise_reason=f"{MARK} waits",
        accessories=[(f"strap of {MARK}", f"tray {MARK}")],
        marks=[impact()],
        channel="mail",
        how={
            "data": "backed_up",
            "return_address": f"{MARK} Lane 4",
            "parcel_number": f"P-{MARK}",
            "parcel_state": "whole",
        },
    )
    bench.reopen(code, f"{MARK} says it flickers", shop.bram, shop.tick())
    shop.steps_until_proof(code)
    shop.test(code)
    while shop.job(code).stage == "proved":
        shop.step(code)
    customer = shop.job(code).customer_id
    record = customers_store.load_customer(customer)
    assert record
    customers.save_customer(
        customer,
        name=record.name,
        phone=record.phone,
        email=record.email,
        note=f"{MARK} likes it quiet",
        version=record.version,
        by=shop.counter,
        now=shop.tick(),
    )
    shop.hand_back(code, explanation=f"the strap stays with {MARK}", way_back=f"to {MARK}")
    ledger.give_back(code, "5.00", "cash", f"{MARK} waited", shop.manager, shop.tick())
    messages.status_link(shop.job(code), shop.tick())
    a_hard_life(shop, code)
    # one was begun for them before they were found, and one with their number alone
    for begun in ({"name": [f"{MARK} orla "]}, {"phone": ["555 0177"], "name": ["M. Orla"]}):
        draft = drafts.open_draft(shop.counter, shop.tick())
        drafts.keep_draft(draft, begun, shop.counter, shop.tick())
    draft = drafts.open_draft(shop.counter, shop.tick())
    drafts.keep_draft(draft, {"customer_id": [str(customer)], "complaint": [MARK]}, shop.counter, shop.tick())
    return customer, code


def a_hard_life(shop: Shop, other: str) -> None:
    """The same customer's second device: faulty on arrival, asked about, proved with a word of the manager's,
    let go early.
    """
    customer = shop.job(other).customer_id
    model = models()[HERON]
    first = model.functions[0].id
    faulty = {**all_work(model), first: ("faulty", f"{MARK} saw lines")}
    code = shop.held(
        customer_id=customer,
        name=f"{MARK} Orla",
        phone="555 0177",
        functions=faulty,
        marks=[replace(impact(), note=f"{MARK} did it")],
    )
    shop.open(code)
    answers.ask_found(code, f"a bent frame, says {MARK}", "20.00", shop.counter, shop.tick())
    token = answers.ask_found(code, f"a bent frame, {MARK} says", "25.00", shop.counter, shop.tick())
    answers.answer_by_link(token, WITH, shop.tick(), agreed=True)
    shop.steps_until_proof(code)
    wrong = {**all_work(model), first: ("faulty", f"{MARK} sees lines")}
    proof.record_proof(code, wrong, shop.manager, shop.tick(), all_the_same=f"{MARK} takes it so")
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    price = shop.job(code).chosen.price_minor or 0
    handover.hand_back(
        code,
        returned=[],
        explanation="",
        amount=f"{price // 100}.{price % 100:02d}",
        method="cash",
        cards=True,
        let_go=f"{MARK} has to catch a train",
        today=shop.tick().date(),
        by=shop.manager,
        now=shop.now,
    )


def test_every_column_that_can_hold_words_says_whether_it_tells_of_a_customer(shop: Shop) -> None:
    assert text_columns() - known_columns() == set(), "say in core/intake/personal.py what these may hold"
    assert known_columns() - text_columns() == set(), "these are gone"
    raw("alter table job add column planted text")
    assert text_columns() - known_columns() == {"job.planted"}


def test_an_erased_customer_stands_nowhere(shop: Shop) -> None:
    customer, code = a_life(shop)
    stood = where_stands(MARK)
    assert stood <= {place.name for place in PLACES}, "something of a customer stands outside the list"
    assert len(stood) >= 20, stood
    customers.erase_customer(customer, f"{MARK} Orla", shop.manager, shop.tick())
    left = raw("select kind, detail from job_event where detail::text ilike %s", f"%{MARK}%").fetchall()
    assert left == []
    assert where_stands(MARK) == set()
    assert first_value("select count(*) from job_event where job_id = %s", shop.job(code).id) > 5
    assert shop.job(code).chosen.price_minor, "the figures stay"
    with pytest.raises(peewee.DatabaseError, match="append-only"), DATABASE.atomic():
        raw("update job_event set says = 'x'")


def test_what_was_sent_to_an_erased_customer_lies_in_no_outbox_and_no_log(
    shop: Shop, tmp_path: Path, caplog: pytest.LogCaptureFixture, capsys: pytest.CaptureFixture[str]
) -> None:
    sender = SimulatedMessenger(outbox=tmp_path)
    plug(messenger=sender)
    shop.receive("P-1001")
    code = shop.closed(name=f"{MARK} Orla", phone="555 0177")
    shop.look_at_sealed(code)
    messages.tell(code, "ready", "", shop.counter, shop.tick())
    sender.send(Message(to="555 0111", text="to somebody else"))
    messages.send_due(shop.tick(5))
    assert any("555 0177" in file.read_text("utf-8") for file in tmp_path.iterdir())
    customer = shop.job(code).customer_id
    assert customer
    shop.hand_back(code)
    sender.faults = frozenset({"away"})
    with pytest.raises(Invalid, match="does not answer"):
        customers.erase_customer(customer, f"{MARK} Orla", shop.manager, shop.tick())
    sender.faults = frozenset()
    customers.erase_customer(customer, f"{MARK} Orla", shop.manager, shop.tick())
    left = "".join(file.read_text("utf-8") for file in tmp_path.iterdir())
    said = left + caplog.text + "".join(capsys.readouterr())
    assert "somebody else" in left
    assert MARK not in said
    assert "555 0177" not in said


def test_what_is_handed_out_holds_everything_that_stands_of_a_customer(shop: Shop) -> None:
    customer, _ = a_life(shop)
    handed = json.dumps(customers.export_customer(customer, shop.manager, shop.now), default=str)
    kept: Any = customers.export_customer(customer, shop.manager, shop.now)["kept"]
    assert where_stands(MARK) <= set(kept)
    assert handed.count(MARK) >= 12


def test_reading_handing_out_merging_and_erasing_are_kept_with_who_and_when(shop: Shop) -> None:
    keep, other = (shop.job(shop.take_in(name=name)).customer_id for name in ("Ada Moor", "Ada M."))
    customers.read_customer(keep, shop.bram, shop.tick())
    customers.read_customer(keep, shop.bram, shop.tick(50))
    customers.export_customer(keep, shop.manager, shop.tick())
    customers.merge_customers(keep, other, shop.counter, shop.tick())
    lines = raw("select what, person_id from audit_event where what like 'customer%%' order by id").fetchall()
    assert lines == [
        ("customer read", shop.bram.id),
        ("customer exported", shop.manager.id),
        ("customers made one", shop.counter.id),
    ]


def test_a_look_is_kept_once_an_hour_for_each_who_looks(shop: Shop) -> None:
    one, two = (shop.job(shop.take_in(name=name)).customer_id for name in ("Ada Moor", "Bo Finn"))
    for customer, by, minutes in (
        (one, shop.bram, 0),
        (one, shop.bram, 59),
        (one, shop.counter, 1),
        (two, shop.bram, 0),
        (one, shop.bram, 1),
    ):
        customers.read_customer(customer, by, shop.tick(minutes))
    lines = raw("select detail, person_id from audit_event where what = 'customer read' order by id")
    assert [(detail["customer"], who) for detail, who in lines.fetchall()] == [
        (one, shop.bram.id),
        (one, shop.counter.id),
        (two, shop.bram.id),
        (one, shop.bram.id),
    ]


def test_a_draft_begun_before_two_became_one_lands_on_the_one_that_is_kept(shop: Shop) -> None:
    keep, other = (shop.job(shop.take_in(name=name)).customer_id for name in ("Ada Moor", "Ada M."))
    draft = drafts.open_draft(shop.counter, shop.tick())
    customers.merge_customers(keep, other, shop.counter, shop.tick())
    code = intake.take_in(draft, shop.arrival(customer_id=other), shop.counter, shop.tick())
    assert shop.job(code).customer_id == keep


def test_nothing_is_taken_in_for_someone_who_was_erased(shop: Shop) -> None:
    code = shop.take_in(name="Ada Moor")
    customer = shop.job(code).customer_id
    handover.decline(code, "too dear", shop.counter, shop.tick())
    handover.return_unrepaired(code, returned=[], explanation="", by=shop.counter, now=shop.tick())
    draft = drafts.open_draft(shop.counter, shop.tick())
    customers.erase_customer(customer, "Ada Moor", shop.manager, shop.tick())
    with pytest.raises(ManyInvalid) as refused:
        intake.take_in(draft, shop.arrival(customer_id=customer), shop.counter, shop.tick())
    assert [problem.field for problem in refused.value.problems] == ["name"]
    with pytest.raises(peewee.IntegrityError, match="not a living record"), DATABASE.atomic():
        raw("update job set customer_id = %s where code = %s", customer, shop.take_in())
    record = customers_store.load_customer(customer)
    assert record
    assert record.name == ERASED


def test_only_living_records_become_one(shop: Shop) -> None:
    first, second, third = (shop.job(shop.take_in(name=f"Ada {n}")).customer_id for n in "abc")
    customers.merge_customers(first, second, shop.counter, shop.tick())
    for keep, other in ((second, first), (second, third), (third, second), (first, second)):
        with pytest.raises(NotFound):
            customers.merge_customers(keep, other, shop.counter, shop.tick())
    customers.merge_customers(third, first, shop.counter, shop.tick())
    assert {customers_store.living_of(number).id for number in (first, second, third)} == {third}  # type: ignore[union-attr]


@pytest.mark.parametrize(
    "statement",
    [
        "update customer set merged_into_id = {0} where id = {0}",
        # a ring, a chain from below, a chain from above
        "update customer set merged_into_id = {1} where id = {0}",
        "update customer set merged_into_id = {1} where id = {2}",
        "update customer set merged_into_id = {2} where id = {0}",
    ],
)
def test_the_database_takes_no_ring_and_no_chain_of_customers(shop: Shop, statement: str) -> None:
    first, second, third = (shop.job(shop.take_in(name=f"Ada {n}")).customer_id for n in "abc")
    customers.merge_customers(first, second, shop.counter, shop.tick())
    with pytest.raises(peewee.IntegrityError), DATABASE.atomic():
        raw(statement.format(first, second, third))


def test_many_merges_at_once_lose_nobody_and_never_stop_each_other(database: str) -> None:
    shop = Shop(now=datetime.now(UTC))
    for _ in range(3):
        numbers = [shop.job(shop.take_in(name=f"Ada {n}")).customer_id for n in "abc"]

        def merge(keep: int, other: int) -> None:
            customers.merge_customers(keep, other, shop.counter, shop.now)

        found = at_once([partial(merge, *pair) for pair in itertools.permutations(numbers, 2)])
        assert all(hit is None or isinstance(hit, NotFound) for hit in found)
        kept = {customers_store.living_of(number) for number in numbers}
        assert len(kept) == 1
        [living] = kept
        assert living
        with connection():
            assert first_value("select count(*) from job where customer_id = %s", living.id) == 3

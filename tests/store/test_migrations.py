"""Migrating from nothing equals the models; migrations are frozen; what happened cannot be rewritten."""

from __future__ import annotations

import hashlib

import peewee
import psycopg
import pytest
from builders import NOW, Shop
from playhouse.migrations import Runner
from playhouse.schema_diff import diff_models

from sutura import wiring
from sutura.cluster import Cluster
from sutura.config import MIGRATIONS, ROOT
from sutura.core.handover.telling import Template, Told, telling_from
from sutura.core.handover.warranties import Terms
from sutura.core.stock.levels import move_value
from sutura.services import orders
from sutura.store import catalogue as store_catalogue
from sutura.store import comebacks as comebacks_store
from sutura.store import handover_tables
from sutura.store import orders as orders_store
from sutura.store import shop as shop_store
from sutura.store.database import DATABASE, connection, first_value, raw

FROZEN = {
    "0001_foundation.py": "f85179a7aaf7224c0a1ed86efead71184bda8b7d8faabb2f3e8bbe664057467d",
    "0002_catalogue.py": "da68d0f128c44d6ebc59c5de2873f2df853aa6a98d28b6495bc115bfb845960c",
    "0003_intake.py": "73e04194e397d7bbfae5d84c9c48f8d7bc9526da9f22a5b6d49c73e313c53bf8",
    "0004_customers.py": "75b7b9400a8cc6809dd0c3801b701f9bb5046bc8c26520dbab518827cac7b022",
    "0006_matching.py": "42b73a00bba39b0085c9e7103cf54b3152430cb6e25466f4ea3088ddf0a58862",
    "0007_queue.py": "648a7ad3b6151f4a87c4be5f0aaccdbb46de52b850de852a6c95b6a371367e56",
    "0008_job_in_parts.py": "7b133188705553c1e58e46e48601724f4a2368070682f1936fe4189878c02b4c",
    "0009_ways_out.py": "2460d5d902885ce58aa88fae016b05c8f52f7f07d3aada033501011d2314a1ff",
    "0010_consents_follow.py": "29eb3286157e8f46e3af47dffdf545cce8260f98d6f7241f7d0eef35b54be27d",
    "0011_supervised.py": "f2b5b193528cfb62a66e8f467fb3f770959f639211c966eccad878d0b10825b0",
    "0014_orders.py": "5d8397593219900a6869fb8924d5d7c0a0c33d0047f4b26d294aa3b3938da6fd",
    "0015_pieces.py": "5914aee398e05765fe980edc3f5157593215a293b181635425078e02b04af024",
    "0016_cores.py": "b22f11b9b8e33b11cbf07ca20ff83cb912859dcb027c88d5c420d63c44dd6b51",
    "0017_consumables.py": "42af9515b2502464211084431c1268ecc1a75a3c2119b80d2e89c32a8db2e1aa",
    "0018_packs_words.py": "a14ea648122e89d1adb0ea08a93a1f0ccf64bb8c47ba30507025550f363fa36f",
    "0021_serials.py": "e594cb2e8257696445abb69dedcc54dccdcc17162e0d2883728f975634617b21",
    "0022_hands.py": "b36b9cda55743f405d96f6aed78f33bdc2f17f20d5f6f7a7ce2d7b015b42ec92",
    "0023_quotes.py": "54142490700f8ebccd1868f2b4e0aa6b854dd441ae0c2a361bd631d54508cc01",
    "0024_answered.py": "fa434aeab37ba4e19c4e57792649166581017e0411defaf4f1fe029a52b54129",
    "0025_plan.py": "446b3234039edd07c69f7963a9e416ab90b735b8be905bae5ab8643e69873003",
    "0031_words.py": "16bac3f261610dba41e2b416750c047dca179daf771a39d7ad12ae717b6dee8c",
    "0034_rush.py": "0a1eff40749525f0e1f205995388821e084dc669b481e2bc72cf5cc12b6149a1",
    "0036_card_refunds.py": "1dc651b3b5d833b95ccfe4dc9da96190516b2308ce078ded47458b1429cc907e",
    "0037_streamed_lists.py": "ab007a2c3e5ada20c4d159ae6fa6d219391f6a483cb5d1d686185c4988cd9a8c",
    "0038_asked_outside.py": "d82b2e43d40c2165831171151427ea0df51755b00c2374eaa5801113815fbff5",
    "0035_of_its_day.py": "29c89002d1c5fbafb701635eec7b5fd7328069274a16684af05a58fbf680fd94",
    "0033_binding_bench.py": "82c5f849d1f5f9c5c39ff6e21bb3f237146febbc3a1effe641d0e4f2cb25fb25",
    "0032_returned.py": "1ad59dbfc284b3497e660671ebd5429ec3cb4123b20ba24c3ad6b8a3a5abcf7d",
    "0027_device_tests.py": "19226dc1422007c96d5c531366e6cad292b62d24385972c94a1f92bbccbf30d0",
    "0030_told.py": "6c75ae5888327b37df6ea04804313f19fe21c7f6bfd1deb5144ef25e7548cdbd",
    "0029_comebacks.py": "f291b98a712cf8a57f771de0f468f89f3dc38afa3d580f83c2ed6944b3763304",
    "0028_money.py": "1a5474916660395014fcb3a26485e9404b407edcfd5e25c0e9fdf0adf6a66474",
    "0026_own_times.py": "cccccddf5740d638d91061ce11d9cd28245075ace8f8a9a45e6379a5c56ace0c",
    "0020_heat.py": "ffe83892979977b6597727a4ce88db677b56a6b2a4fe8984785e9357841c5958",
    "0019_sheets.py": "ddf3b3c90e60ae735da4a7ea8a776b66258b0aed4db17248f5ffa9439bbf9753",
    "0013_holds.py": "a4d37620d8e728da92eeeaf4ef8c9a6277a36b60ee5625b29fb0b67c2ed56340",
    "0012_opening_hours.py": "bb5d0a469e26619f1633125861787aa8ff096bcfd54d0b84e6418bda83321924",
    "0005_counter.py": "fab85a5759b03cf26ca7640fbe8bf03a413af01f005e6722af5155e9f9bb95ca",
}

# expression and partial indexes: made by the migrations, unknown to the models
SQL_INDEXES = frozenset(
    {
        "photo_note_id",
        "quote_open",
        "payment_till_day_id",
        "payment_card_charge",
        "till_day_open",
        "message_due",
        "card_charge_open",
        "customer_name",
        "customer_phone_plain",
        "job_measured",
        "job_open",
        "job_serial",
        "job_technician_open",
        "reservation_one_per_job",
        "reservation_part_held",
        "model_number_plain",
        "part_gtin",
        "part_of_the_shelf",
        "part_printed",
        "consumable_move_consumable_id",
        "consumable_move_used_once",
        "old_screen_kept",
        "job_waits_until",
        "bench_wait_runs",
        "heat_source_plate",
        "heat_source_on",
        "piece_here",
        "piece_less",
        "piece_move_id",
        "purchase_order_one_draft",
        "reservation_one_per_piece",
        "reservation_piece_id",
        "stock_move_piece_id",
        "stock_take_one_open",
    }
)


APPEND_ONLY = (
    "job_event",
    "stock_move",
    "function_result",
    "payment",
    "audit_event",
    "bench_step",
    "consent",
    "purchase_arrival",
    "piece_event",
    "part_moved",
    "job_sheet",
    "heat_reading",
    "display_serial",
    "bench_note",
    "bench_screw",
    "route_try",
    "device_test",
    "dust_look",
    "sealed_look",
    "proof_override",
    "let_go",
    "limit_passed",
    "comeback",
    "comeback_cause",
    "warranty_terms",
    "handed_out",
)


def differences() -> list[str]:
    found = [str(one) for part in diff_models(DATABASE, handover_tables.ALL) for one in part]
    return [hit for hit in found if not any(name in hit for name in SQL_INDEXES)]


def test_migrating_from_nothing_equals_the_models(shop: Shop) -> None:
    assert differences() == []


def test_a_column_the_models_do_not_know_would_be_noticed(shop: Shop) -> None:
    DATABASE.execute_sql("alter table job add column planted integer")
    assert differences()


def test_released_migrations_are_never_edited() -> None:
    found = {
        file.name: hashlib.sha256(file.read_bytes()).hexdigest() for file in MIGRATIONS.glob("[0-9]*.py")
    }
    assert found == FROZEN


def test_migrating_twice_changes_nothing(database: str) -> None:
    assert wiring.migrate() == []
    assert wiring.ready() == []


def test_a_database_without_tables_is_not_ready(cluster: Cluster, database: str) -> None:
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute("create database bare")
    wiring.connect(cluster.url_of("bare"))
    try:
        assert any("0001_foundation" in reason for reason in wiring.ready())
    finally:
        wiring.connect(database)


def test_what_happened_is_append_only(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    shop.hand_back(shop.closed())
    order = shop.ordered("P-1001", 2)
    orders.receive_parcel(order, {orders_store.load_lines(order)[0].id: {"good": "1"}}, shop.manager, NOW)
    DATABASE.execute_sql(
        "insert into audit_event (at, person_id, what, detail) values (now(), %s, 'x', '{}')",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into piece_event (piece_id, kind, person_id, at) select id, 'film_off', %s, now() from piece",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into part_moved (part_id, from_bin, to_bin, person_id, at) "
        "select min(id), 'A1', 'Z9', %s, now() from part",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into heat_reading (job_id, attempt, step, edge, surface, read_c, true_c, source, "
        "person_id, at) select min(id), 1, 'warm', '', 'glass', 60, 62.7, 'typed', %s, now() from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into route_try (job_id, attempt, route, model_id, succeeded, at) select id, 9, 'glass', "
        "model_id, true, now() from job"
    )
    DATABASE.execute_sql(
        "insert into bench_note (job_id, attempt, step, says, person_id, at) select min(id), 1, 'warm', 'x', "
        "%s, now() from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into bench_screw (job_id, attempt, step, place, done, person_id, at) select min(id), 1, "
        "'bottom-out', 1, true, %s, now() from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into limit_passed (job_id, attempt, step, what, said, reason, person_id, at) "
        "select min(id), 1, 'warm', 'heat', '{}', 'why', %s, now() from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into display_serial (job_id, attempt, outcome, serial, person_id, at) "
        "select min(id), 1, 'read', 'X1', %s, now() from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into test_link (link, job_id, attempt, person_id, at, expires_at) select repeat('a', 64), "
        "min(id), 0, %s, now(), now() + interval '1 hour' from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into device_test (job_id, link_id, attempt, sent_key, kind, function, outcome, measured, "
        "reasons, found, at) select job_id, id, 0, 'abcdefgh', 'touch', 'touch', 'works', true, '[]', '{}', "
        "now() from test_link"
    )
    DATABASE.execute_sql(
        "insert into dust_look (job_id, attempt, specks, person_id, at) select min(id), 1, '[]', %s, now() "
        "from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into sealed_look (job_id, attempt, look, results, felt, passed, person_id, at) "
        "select min(id), 1, 'after_cure', '{}', '{}', true, %s, now() from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into proof_override (job_id, attempt, names, reason, person_id, at) "
        "select min(id), 1, '[]', 'as agreed', %s, now() from job",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into let_go (job_id, waits, reason, person_id, at) select max(id), '[]', 'as agreed', %s, "
        "now() from job",
        (shop.manager.id,),
    )
    again = shop.job(shop.take_in()).id
    DATABASE.execute_sql(
        "insert into comeback (job_id, of_job_id, person_id, at) select %s, min(id), %s, now() from job",
        (again, shop.manager.id),
    )
    DATABASE.execute_sql(
        "insert into comeback_cause (job_id, cause, payer, price, evidence, person_id, at) "
        "select job_id, 'part', 'shop', 'nothing', '[]', person_id, now() from comeback"
    )
    DATABASE.execute_sql(
        "insert into warranty_terms (work_days, voids, person_id, at) values (30, 'water', %s, now())",
        (shop.manager.id,),
    )
    DATABASE.execute_sql(
        "insert into handed_out (job_id, how, person_id, at) select %s, 'customer', %s, now()",
        (again, shop.manager.id),
    )
    DATABASE.execute_sql("set constraints all immediate")
    for table in APPEND_ONLY:
        assert first_value(f"select count(*) from {table}"), f"{table} holds nothing to change"
        for statement in ("update {} set id = id", "delete from {}", "truncate {} cascade"):
            with pytest.raises(peewee.DatabaseError, match="append-only"), DATABASE.atomic():
                DATABASE.execute_sql(statement.format(table))


@pytest.mark.parametrize(
    "statement",
    [
        "update job set stage = 'handed_back'",
        "update job set stage = 'proved'",
        "update job set promise_at = null",
        (
            "insert into payment (job_id, amount_minor, currency, method, person_id, at) select id, 0, "
            "'TAL', 'cash', 1, now() from job"
        ),
        (
            "insert into bench_step (job_id, attempt, step, expected, counted, person_id, at) select "
            "id, 1, 'x', 2, 1, 1, now() from job"
        ),
        (
            "insert into function_result (job_id, attempt, function, outcome, person_id, at) select "
            "id, 1, 'x', 'faulty', 1, now() from job"
        ),
    ],
)
def test_the_database_backs_the_rules_whoever_writes(shop: Shop, statement: str) -> None:
    shop.take_in()
    with pytest.raises(peewee.DatabaseError), DATABASE.atomic():
        DATABASE.execute_sql(statement)


def test_a_new_job_starts_at_the_beginning(shop: Shop) -> None:
    code = shop.take_in()
    columns = (
        "customer_id, model_id, read_number, identified, channel, marks, promise_at, received_at, "
        "received_by_id, currency, expected_minutes"
    )
    with pytest.raises(peewee.DatabaseError, match="starts as identified"), DATABASE.atomic():
        DATABASE.execute_sql(
            (
                f"insert into job (code, stage, {columns}) select '00-KV6', 'quoted', {columns} from "
                "job where code = %s"
            ),
            (code,),
        )


def test_a_shop_of_the_first_release_keeps_its_models_and_jobs(cluster: Cluster, database: str) -> None:
    """What was stored in pack format 1 becomes a model that passes the checks of format 2."""
    from sutura.config import SCHEMAS
    from sutura.formats.pack import check_model

    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute("create database first_release")
    wiring.connect(cluster.url_of("first_release"))
    try:
        with connection():
            Runner(DATABASE, str(MIGRATIONS)).up("0001_foundation")
            DATABASE.execute_sql(
                "insert into model (id, maker, name, device_class, procedure_family, minutes, "
                "cure_minutes, data)"
                " values ('fennick-heron', 'Fennick', 'Heron', 'phone', 'book-opening phones', 25, 0, %s)",
                ((ROOT / "tests" / "store" / "heron_format_1.json").read_text("utf-8"),),
            )
            DATABASE.execute_sql(
                "insert into person (name, login, role, password_hash, created_at) values ('Old', 'old', "
                "'manager', 'x', now());insert into part (barcode, name, grade, kind, attributes, box) "
                "values ('P-1', 'Front', 'refurbished', 'front assembly', '{}', '[]');insert into "
                "stock_move (part_id, quantity, kind, unit_cost_minor, note, person_id, at) values (1, 2, "
                "'receipt', 5000, '', 1, now()), (1, -1, 'count', null, 'lost', 1, now()), (1, 2, "
                "'receipt', 5501, '', 1, now()), (1, -1, 'count', null, 'lost', 1, now())"
            )
        assert wiring.migrate() == [
            "0002_catalogue",
            "0003_intake",
            "0004_customers",
            "0005_counter",
            "0006_matching",
            "0007_queue",
            "0008_job_in_parts",
            "0009_ways_out",
            "0010_consents_follow",
            "0011_supervised",
            "0012_opening_hours",
            "0013_holds",
            "0014_orders",
            "0015_pieces",
            "0016_cores",
            "0017_consumables",
            "0018_packs_words",
            "0019_sheets",
            "0020_heat",
            "0021_serials",
            "0022_hands",
            "0023_quotes",
            "0024_answered",
            "0025_plan",
            "0026_own_times",
            "0027_device_tests",
            "0028_money",
            "0029_comebacks",
            "0030_told",
            "0031_words",
            "0032_returned",
            "0033_binding_bench",
            "0034_rush",
            "0035_of_its_day",
            "0036_card_refunds",
            "0037_streamed_lists",
            "0038_asked_outside",
        ]
        with connection():
            moves = raw(
                "select quantity, unit_cost_minor, value_minor from stock_move order by id"
            ).fetchall()
            value = pieces = 0
            for quantity, unit_cost, moved in moves:
                assert moved == move_value(value, pieces, quantity, unit_cost), "as if it had been kept so"
                value, pieces = value + moved, pieces + quantity
            assert raw("select value_minor, on_hand from part").fetchone() == (value, pieces) == (10668, 2)
            row = store_catalogue.load_model("fennick-heron")
            assert row
            assert (row.pack, row.state) == ("fennick", "listed")
            model = check_model(row.data, SCHEMAS, "fennick")
            assert model.screws[0].bits == ("five-lobe 0.8",)
            assert {keep.edge for keep in model.face.keep_outs} == {"right", "top"}
            patterns, _, _ = store_catalogue.numbers()
            assert [pattern.pattern.text for pattern in patterns] == ["FH-2107", "FH2107/"]
    finally:
        wiring.connect(database)


def copied(source: str, target: str, tables: tuple[str, ...]) -> None:
    """The rows of some tables in another database, as far as it has their columns; nothing of it is
    checked.
    """
    columns = (
        "select column_name from information_schema.columns "
        "where table_name = %s and is_generated = 'NEVER' order by 1"
    )
    with psycopg.connect(source) as full, psycopg.connect(target, autocommit=True) as old:
        old.execute("set session_replication_role = replica")
        for table in tables:
            known = {str(name) for (name,) in old.execute(columns, (table,))}
            both = ", ".join(str(name) for (name,) in full.execute(columns, (table,)) if name in known)
            with (
                full.cursor().copy(f"copy (select {both} from {table}) to stdout") as rows,
                old.cursor().copy(f"copy {table} ({both}) from stdin") as into,
            ):
                for row in rows:
                    into.write(row)


def test_a_shop_with_deposits_prices_and_words_of_its_own_keeps_them(cluster: Cluster, database: str) -> None:
    """What was kept of a deposit has its row, days of warranty are a version of the terms, and words that
    were written belong to the shop's language.
    """
    with connection():
        shop = Shop()
        shop.receive("P-1001")
        code, sold = shop.quoted(), shop.quoted()
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute("create database seventh_release")
    url = cluster.url_of("seventh_release")
    wiring.connect(url)
    try:
        with connection():
            Runner(DATABASE, str(MIGRATIONS)).up("0027_device_tests")
    finally:
        wiring.connect(database)
    copied(database, url, ("person", "shop", "model", "customer", "job"))
    with psycopg.connect(url, autocommit=True) as old:
        old.execute("set session_replication_role = replica")
        old.execute("update job set stage = 'returned', finished_at = received_at where code = %s", (code,))
        for kind, minor, of in (("deposit", 5_000, code), ("refund", 2_000, code), ("deposit", 3_000, sold)):
            old.execute(
                "insert into payment (job_id, amount_minor, currency, method, person_id, at, kind) "
                "select id, %s, 'TAL', 'cash', 1, now(), %s from job where code = %s",
                (minor, kind, of),
            )
        policy = '{"warranty": {"refurbished": 90}}'
        old.execute("update shop set price_policy = price_policy || %s::jsonb", (policy,))
    wiring.connect(url)
    try:
        with connection():
            Runner(DATABASE, str(MIGRATIONS)).up("0030_told")
            words = '{"templates": {"ready": {"subject": "Hello", "text": "Come"}}, "storage_days": 9}'
            DATABASE.execute_sql("update shop set telling = %s", (words,))
        assert wiring.migrate()[0] == "0031_words"
        with connection():
            rows = raw(
                "select job.code, payment.kind, payment.amount_minor, payment.reason from payment "
                "join job on job.id = payment.job_id order by payment.id"
            ).fetchall()
            assert rows == [
                (code, "deposit", 5_000, ""),
                (code, "refund", 2_000, ""),
                (sold, "deposit", 3_000, ""),
                (code, "kept", 3_000, "kept when it was returned"),
            ]
            row = comebacks_store.terms_at(NOW.replace(year=2199))
            assert row
            assert row.terms == Terms(grades={"refurbished": 90})
            record = shop_store.load_shop()
            assert record
            assert "warranty" not in record.price_policy
            telling = telling_from(record.telling)
            assert telling.words == {"en": {Told.READY: Template(subject="Hello", text="Come")}}
            assert telling.storage_days == 9
    finally:
        wiring.connect(database)

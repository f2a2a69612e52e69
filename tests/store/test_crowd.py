"""Twenty people at five pieces, for thousands of steps: no piece lost or doubled, no deadlock, none waiting
for ever.
"""

from __future__ import annotations

import random
import threading
from collections import Counter
from datetime import UTC, datetime

import pytest
from builders import PLAIN, Shop

from sutura.core.errors import Refusal
from sutura.core.job import Stage
from sutura.services import orders, pieces, stock, stocktakes
from sutura.store import orders as orders_store
from sutura.store import pieces as pieces_store
from sutura.store import stock as stock_store
from sutura.store.database import DatabaseBusy, connection, raw

pytestmark = [pytest.mark.slow, pytest.mark.timeout(300)]
PART, CLIENTS, STEPS = "P-2001", 20, 120


def test_twenty_clients_hold_give_back_count_and_receive_the_same_five_pieces(database: str) -> None:
    shop = Shop(now=datetime.now(UTC))
    shop.receive(PART, 5, "58.00")
    codes = [shop.quoted(PLAIN) for _ in range(CLIENTS)]
    sent = [shop.ordered(PART, 3) for _ in range(4)]
    part = stock_store.load_part(PART)
    came: Counter[str] = Counter()
    wrong: list[BaseException] = []

    def hold(chance: random.Random) -> None:
        stock.take_part(chance.choice(codes), shop.counter, shop.now)

    def give_back(chance: random.Random) -> None:
        stock.give_back_part(chance.choice(codes), shop.counter, shop.now)

    def count(chance: random.Random) -> None:
        stock.correct_count(PART, str(chance.randint(0, 7)), "counted", shop.counter, shop.now)

    def take_stock(chance: random.Random) -> None:
        take = stocktakes.start_take("C", shop.counter, shop.now)
        pieces = str(chance.randint(3, 6))
        for _ in range(2):
            stocktakes.count_part(take, PART, pieces, shop.counter, shop.now)
        stocktakes.finish_take(take, shop.counter, shop.now)

    def open_parcel(chance: random.Random) -> None:
        order = chance.choice(sent)
        [line] = orders_store.load_lines(order)
        orders.receive_parcel(order, {line.id: {"good": "1"}}, shop.counter, shop.now)

    def some_piece(chance: random.Random) -> pieces_store.PieceRow:
        return chance.choice(pieces_store.pieces_of(part.id)[:8])

    def look(chance: random.Random) -> None:
        piece = some_piece(chance)
        seen = {check.id: "right" for check in pieces.checks_of(part.id)}
        bad = {"picture": "wrong", "note": "no picture", "grade": "C", "then": chance.choice(pieces.DEEDS)}
        typed = seen | (bad if chance.random() < 0.5 else {})
        pieces.look_at(piece.label, typed, piece.version, shop.counter, shop.now)

    def peel(chance: random.Random) -> None:
        piece = some_piece(chance)
        pieces.take_film_off(piece.label, True, piece.version, shop.counter, shop.now)

    def another(chance: random.Random) -> None:
        pieces.take_this_piece(chance.choice(codes), some_piece(chance).label, shop.counter, shop.now)

    deeds = (hold, hold, hold, give_back, give_back, count, take_stock, open_parcel, look, peel, another)

    def work(number: int) -> None:
        chance = random.Random(number)
        for _ in range(STEPS):
            deed = chance.choice(deeds)
            try:
                deed(chance)
                came[deed.__name__] += 1
            except Refusal:
                came["refused"] += 1
            except DatabaseBusy as busy:
                # a machine that stands still for some seconds lets all who wait give up: they are told so,
                # and nothing is written. Two who wait for each other are another thing.
                came["busy"] += 1
                if "deadlock" in str(busy):
                    wrong.append(busy)
            except BaseException as broken:  # noqa: BLE001 - whatever it is, the test says it
                wrong.append(broken)

    threads = [threading.Thread(target=work, args=(number,)) for number in range(CLIENTS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(250)
    assert not any(thread.is_alive() for thread in threads)
    assert wrong == []
    assert sum(came.values()) == CLIENTS * STEPS
    assert came["busy"] <= CLIENTS * STEPS // 20, came
    assert min(came[deed.__name__] for deed in deeds) > 0, came
    level = stock_store.load_part(PART)
    with connection():
        [(moved,)] = raw("select sum(quantity) from stock_move where part_id = %s", part.id).fetchall()
        [(held,)] = raw(
            "select count(*) from reservation where part_id = %s and state = 'held'", part.id
        ).fetchall()
        [(twice,)] = raw(
            "select count(*) from (select job_id from reservation where state = 'held' group by job_id, "
            "part_id having count(*) > 1) doubled"
        ).fetchall()
        single = raw(
            "select count(*), sum(cost_minor), (select value_minor from part where id = %s) from piece "
            "where part_id = %s and state = 'here'",
            part.id,
            part.id,
        ).fetchone()
        [(apart,)] = raw(
            "select count(distinct r.piece_id) from reservation r join piece p on p.id = r.piece_id "
            "and p.state = 'here' where r.part_id = %s and r.state = 'held'",
            part.id,
        ).fetchall()
    assert (level.on_hand, level.held, twice) == (moved, held, 0)
    assert (single[0], single[1] or 0, apart) == (moved, single[2], held), (
        "each piece once, worth what it cost"
    )
    assert 0 <= level.held <= level.on_hand
    in_hand = [code for code in codes if shop.job(code).stage is Stage.PART_IN_HAND]
    assert sorted(in_hand) == sorted(stock_store.holders_of(part.id)), "who has a piece is who holds one"
    for order in sent:
        [line] = orders_store.load_lines(order)
        with connection():
            [(received,)] = raw(
                "select coalesce(sum(quantity), 0) from stock_move where line_id = %s", line.id
            ).fetchall()
        assert line.good == received <= line.quantity

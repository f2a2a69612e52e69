"""Ways that need no part: their sheets, their minutes. Common practice, no source."""

from __future__ import annotations

from dataclasses import replace

import pytest
from builders import HERON, models, said

from sutura.core.bench.partless import partless_ways
from sutura.core.bench.progress import steps_of
from sutura.core.bench.serials import PROGRAMMER
from sutura.core.bench.times import sheet_minutes
from sutura.core.catalogue.model import Goes, Model, PieceKind, Step
from sutura.core.job import RESEAT, SERIAL, Round

WITH_SERIAL = "quillon-ember-s"


def sheet(model: Model, kind: str) -> tuple[Step, ...]:
    return steps_of(model, Round.WHOLE, route=kind)


@pytest.mark.parametrize("model", models().values(), ids=lambda model: model.id)
def test_reseating_takes_every_connector_of_the_part_off_and_on_and_changes_nothing(model: Model) -> None:
    ways = {way.kind: way for way in partless_ways(model)}
    plugs = {piece.id for piece in model.pieces if piece.kind is PieceKind.CONNECTOR}
    assert (RESEAT in ways) is bool(plugs)
    if not plugs:
        return
    steps = sheet(model, RESEAT)
    off = [step.piece for step in steps if step.goes is Goes.OFF]
    on = [step.piece for step in steps if step.goes is Goes.ON]
    assert sorted(off) == sorted(on)
    assert plugs.intersection(off)
    whole = [step.id for step in steps_of(model, Round.WHOLE)]
    # a connection of the repair is one of the reseating; what is moved over or glued anew is not
    moved = {piece.id for piece in model.pieces if piece.moves}
    assert not moved.intersection(off)
    assert {step.id for step in steps} - set(whole) <= {"second-look"}
    assert any(step.phase.value == "proof" for step in steps)
    assert 1 <= ways[RESEAT].minutes <= model.minutes
    # it lacks what only a changed part needs, so it is no longer than the whole
    share = sheet_minutes(model, steps) / sheet_minutes(model, model.steps)
    assert ways[RESEAT].minutes == max(round(model.minutes * min(share, 1.0)), 1)


def test_a_serial_is_moved_only_where_a_device_knows_its_display_by_it() -> None:
    assert [way.kind for way in partless_ways(models()[HERON])] == [RESEAT]
    assert [way.kind for way in partless_ways(models()[WITH_SERIAL])] == [RESEAT, SERIAL]
    assert said(partless_ways(models()[WITH_SERIAL])[1].name) == "give the display its serial, no part"


def test_the_serial_is_written_while_it_is_open_and_never_when_it_is_only_reseated() -> None:
    model = models()[WITH_SERIAL]
    programs = [step.id for step in sheet(model, SERIAL) if PROGRAMMER in step.tools]
    assert programs == ["read-serial", "write-serial"]
    assert not [step for step in sheet(model, RESEAT) if PROGRAMMER in step.tools]


def test_a_pack_without_an_act_for_it_gets_one_between_off_and_on() -> None:
    model = models()[HERON]
    steps = [step.id for step in sheet(model, SERIAL)]
    place = steps.index("give-serial")
    assert steps.index("display-off") < place < steps.index("display-on")
    assert next(step for step in sheet(model, SERIAL) if step.id == "give-serial").tools == (PROGRAMMER,)


def test_a_device_written_step_by_step_has_no_way_without_a_part() -> None:
    from dataclasses import replace

    assert partless_ways(replace(models()[HERON], pieces=())) == ()


def test_the_shortest_way_takes_a_minute() -> None:
    [way] = partless_ways(replace(models()[HERON], minutes=1))
    assert way.minutes == 1

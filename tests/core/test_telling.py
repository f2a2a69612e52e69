"""How a device lies there in one sentence, and what is in the tray."""

from __future__ import annotations

from builders import HERON, NOW, models, said

from sutura.core.bench.done import Done
from sutura.core.bench.progress import Progress, progress
from sutura.core.bench.state import CLOSED, after
from sutura.core.bench.telling import TrayField, laid_out, lies_there, still_in, tray

MODEL = models()[HERON]


def left_after(count: int) -> tuple[Progress, tuple[TrayField, ...]]:
    """The bench after so many steps of the sheet, every screw counted as it should be."""
    done: list[Done] = []
    for _ in range(count):
        now = progress(MODEL, 1, done, proved=True)
        assert now.step
        done.append(Done(attempt=1, step=now.step.id, at=NOW, counted=now.expected))
    now = progress(MODEL, 1, done, proved=True)
    return now, tray(MODEL, now.counts, {}, now.step, now.expected)


def test_whoever_comes_next_reads_what_state_it_is_in() -> None:
    def sentence(count: int) -> str:
        now, fields = left_after(count)
        return said(lies_there(MODEL, now.state, fields))

    assert sentence(3) == ""
    assert sentence(4) == "battery on, screws in the tray: 2"
    # 2 at the bottom, 2 and 5 of the shields
    assert sentence(12) == ("battery off, unplugged: display, touch, open: front, screws in the tray: 9")
    assert sentence(27) == ""


def test_the_tray_holds_what_is_out_and_lights_up_what_is_counted_now() -> None:
    _, fields = left_after(3)
    assert [(field.group.id, field.out, field.expected) for field in fields][:2] == [
        ("bottom", 0, 2),
        ("battery-shield", 0, 0),
    ]
    _, fields = left_after(10)
    assert {field.group.id: (field.out, field.home) for field in fields} == {
        "bottom": (2, 0),
        "battery-shield": (2, 0),
        "connector-shield": (5, 0),
        "earpiece": (0, 3),
    }
    [bottom, *_] = tray(MODEL, {"bottom": (1, 0)}, {"bottom": 1})
    assert (bottom.out, bottom.missing, bottom.home) == (1, 1, 0)


def test_what_was_only_prepared_is_whole_again_after_the_look_at_the_end() -> None:
    """Cards out, nothing off: begun, until the look at the end gives them back."""
    prepared = after(MODEL.steps[:2])
    assert (prepared.off, prepared.is_open) == (frozenset(), True)
    assert not after([MODEL.steps[-1]], prepared).is_open
    # what is put on last ends it as well, and what was done counts for the next time no more
    begun = after(MODEL.steps[:4])
    closed = after([step for step in MODEL.steps if step.id == "bottom-in"], begun)
    assert (closed.off, closed.acts) == (CLOSED.off, CLOSED.acts)


def test_everything_is_laid_out_before_the_first_step() -> None:
    out = laid_out(MODEL, MODEL.steps)
    assert out.bits == (("five-lobe 0.8", 2), ("three-wing 0.6", 7), ("cross 000 or cross 00", 3))
    assert out.tools[:4] == ("tray pin", "heating pad", "infrared thermometer", "suction cup")
    assert "cross 000" not in out.tools
    assert laid_out(MODEL, ()).bits == ()
    assert laid_out(MODEL, ()).tools == ()


def test_what_resists_is_looked_for_among_what_is_still_in() -> None:
    """An unexpected resistance is a missed screw or clip: common practice, no source."""
    now, fields = left_after(5)
    found = still_in(MODEL, now.steps, now.state, fields)
    assert [field.group.id for field in found.short] == []
    assert {field.group.id for field in found.to_come} == {"battery-shield", "connector-shield", "earpiece"}
    assert "battery" in found.plugged
    # one of the two at the bottom was counted short
    short = tray(MODEL, {"bottom": (1, 0)}, {}, None)
    assert [field.group.id for field in still_in(MODEL, now.steps, now.state, short).short] == ["bottom"]
    # a sheet that leaves the module where it is says so
    steps = [step for step in now.steps if step.screws != "earpiece"]
    assert [field.group.id for field in still_in(MODEL, steps, now.state, fields).untouched] == ["earpiece"]

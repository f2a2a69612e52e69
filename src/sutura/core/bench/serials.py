"""Moving a display's serial to its successor: read the old one, write the new one, read it back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.catalogue.model import Phase, Step
from sutura.core.facts import Fact, Say, fact
from sutura.core.values import COMMON, Rule

PROGRAMMER = "serial programmer"
# as what a display is kept that stays silent; common practice, no source
SILENT_GRADE = "aftermarket"


class Outcome(StrEnum):
    """What came of asking a display."""

    READ = "read"
    WRITTEN = "written"
    # no original-grade display stays silent
    SILENT = "silent"
    OTHER_MODEL = "other_model"
    # it was written, and reads back as something else
    NOT_KEPT = "not_kept"
    # the link was lost in the middle
    BROKE_OFF = "broke_off"
    # it is being written; where nothing follows, whoever wrote it was cut off
    ASKED = "asked"


RULES = (
    Rule(
        id="bench.serial",
        capability="bench",
        says=(
            "The old display's serial is read before it comes off; it is written into the new one and "
            "read back, and only then is the step done – or a manager lets it pass with a reason that the "
            "customer reads. Aftermarket displays stay silent. One that was bought as an original and stays "
            "silent is not the grade that was bought: its piece is kept as less, and its supplier's record "
            "counts it."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """One answer that is kept."""

    outcome: Outcome
    serial: str = ""
    piece_id: int | None = None
    attempt: int = 1


def needs_programmer(step: Step | None) -> bool:
    """Whether a step is done with the programmer."""
    return step is not None and PROGRAMMER in step.tools


def old_serial(asked: Sequence[Asked]) -> str:
    """The old display's serial as it was read last; empty where it was not."""
    return next((one.serial for one in reversed(asked) if one.outcome is Outcome.READ), "")


def not_held(step: Step, asked: Sequence[Asked], known: str, pieces: Sequence[int]) -> Fact | None:
    """What a step with the programmer has not come to yet: before the old display is off its serial, after
    that its serial in the display that is in (`pieces` are those that the job holds), read back. None where
    it has. `known` is what was read at the counter.
    """
    if not needs_programmer(step):
        return None
    if step.phase is Phase.PREPARE:
        return None if known or old_serial(asked) else fact("serial.not-read-yet")
    tried = [one for one in asked if one.outcome is not Outcome.READ]
    # what was written into a display that went back says nothing of this one
    here = [one for one in tried if one.piece_id is None or not pieces or one.piece_id in pieces]
    if not here:
        return fact("serial.not-written-yet")
    if here[-1].outcome is not Outcome.WRITTEN:
        return fact("serial.not-written", outcome=here[-1].outcome.value)
    return None


def what_now(asked: Sequence[Asked], grade: str = "") -> Say:
    """What the last answer means for what is done next; a display that was bought as aftermarket (`grade`) is
    silent as it must be.
    """
    if not asked:
        return fact("serial.read-the-old-one")
    last = asked[-1]
    return {
        Outcome.READ: fact("serial.write-it", serial=last.serial),
        Outcome.WRITTEN: fact("serial.done", serial=last.serial),
        Outcome.SILENT: fact("serial.silent-as-bought" if grade == SILENT_GRADE else "serial.silent"),
        Outcome.OTHER_MODEL: fact("serial.other-model"),
        Outcome.NOT_KEPT: fact("serial.not-kept"),
        Outcome.BROKE_OFF: fact("serial.broke-off"),
        Outcome.ASKED: fact("serial.asked", serial=last.serial),
    }[last.outcome]

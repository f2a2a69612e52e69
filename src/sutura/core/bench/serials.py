"""Moving a display's serial to its successor: read the old one, write the new one, read it back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.catalogue.model import Step
from sutura.core.facts import Say, fact
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


RULES = (
    Rule(
        id="bench.serial",
        capability="bench",
        says=(
            "The old display's serial is read before it comes off; it is written into the new one and "
            "read back. A new display that stays silent is not the grade that was bought: its piece is "
            "kept as less, and its supplier's record counts it."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """One answer that is kept."""

    outcome: Outcome
    serial: str = ""


def needs_programmer(step: Step | None) -> bool:
    """Whether a step is done with the programmer."""
    return step is not None and PROGRAMMER in step.tools


def old_serial(asked: Sequence[Asked]) -> str:
    """The old display's serial as it was read last; empty where it was not."""
    return next((one.serial for one in reversed(asked) if one.outcome is Outcome.READ), "")


def what_now(asked: Sequence[Asked]) -> Say:
    """What the last answer means for what is done next."""
    if not asked:
        return fact("serial.read-the-old-one")
    last = asked[-1]
    return {
        Outcome.READ: fact("serial.write-it", serial=last.serial),
        Outcome.WRITTEN: fact("serial.done", serial=last.serial),
        Outcome.SILENT: fact("serial.silent"),
        Outcome.OTHER_MODEL: fact("serial.other-model"),
        Outcome.NOT_KEPT: fact("serial.not-kept"),
        Outcome.BROKE_OFF: fact("serial.broke-off"),
    }[last.outcome]

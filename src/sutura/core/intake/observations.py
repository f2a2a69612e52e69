"""What can be observed of a device: the layers that can be broken, the questions with their answers, and how
the drawing and the function list answer some of them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.intake.marks import Mark, MarkKind


class Layer(StrEnum):
    GLASS = "glass"
    TOUCH = "touch"
    PANEL = "panel"
    BACKLIGHT = "backlight"
    CONNECTOR = "connector"
    BATTERY = "battery"
    BOARD = "board"
    FRAME = "frame"


class Status(StrEnum):
    SOUND = "sound"
    FAULTY = "faulty"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """Something to look at or try: its answers, and how it is done. `opens` = the device has to be opened for
    it.
    """

    id: str
    asks: str
    answers: Mapping[str, str]
    how: str
    opens: bool = False


QUESTIONS: tuple[Question, ...] = (
    Question(
        id="glass",
        asks="Front glass",
        answers={"whole": "whole", "broken": "broken"},
        how="Look at it and draw what is broken.",
    ),
    Question(
        id="battery",
        asks="Battery",
        answers={"ok": "charged", "flat": "flat"},
        how=(
            "Look at its liquid indicator first. Where it is not tripped, charge it for ten minutes with a "
            "charger that is known to work, then try again."
        ),
    ),
    Question(
        id="image",
        asks="Image",
        answers={
            "fine": "fine",
            "none": "none, black",
            "faint": "very faint",
            "lines": "lines or bars",
            "thread": "black with one thin coloured line",
            "white": "white or flashing",
            "blotch": "blotches or spots",
            "comes": "comes and goes",
        },
        how="Switch it on and look at a white, a black and a coloured field.",
    ),
    Question(
        id="touch",
        asks="Touch",
        answers={
            "fine": "fine everywhere",
            "dead": "dead",
            "part": "dead in places",
            "ghost": "touches by itself",
            "comes": "comes and goes",
        },
        how="Drag an icon along all edges and across.",
    ),
    Question(
        id="asleep",
        asks="Asleep or switched off?",
        answers={"yes": "yes, it shows a picture now", "no": "no, it stays black"},
        how="Hold its key down for as long as the maker says; wake it with a charger.",
    ),
    Question(
        id="reacts",
        asks="Reacts though black?",
        answers={"yes": "yes", "no": "no"},
        how="Ring it, press its keys, plug a charger in: does it vibrate, ring or light up?",
    ),
    Question(
        id="external",
        asks="On an external screen?",
        answers={"yes": "yes", "no": "no"},
        how="Connect a known good screen or cast to one.",
    ),
    Question(
        id="torch",
        asks="Faint under a torch?",
        answers={"yes": "yes", "no": "no"},
        how="Hold a torch flat against the panel in a dark corner: is there a picture?",
    ),
    Question(
        id="camera",
        asks="Lines only in the photo?",
        answers={"yes": "only in the photo", "no": "with the eye too"},
        how="Look with the eye, not through a camera: its frame rate beats against the refresh.",
    ),
    Question(
        id="brightness",
        asks="Faint at full brightness?",
        answers={"same": "it stays faint", "better": "the picture is right now"},
        how="Brightness to full; automatic brightness, battery saver and night mode off.",
    ),
    Question(
        id="provoke",
        asks="Can you make it happen?",
        answers={"yes": "it comes when pressed, bent or warmed", "no": "nothing makes it happen"},
        how=(
            "Press lightly along each edge, twist it a little, move its cover, warm it in the hand. Never on "
            "broken glass, and never where the battery may be swollen."
        ),
    ),
    Question(
        id="earlier",
        asks="Opened before?",
        answers={"yes": "yes", "no": "no"},
        how="Look for loose adhesive, wrong screws, a lifted edge.",
    ),
    Question(
        id="reseat",
        asks="After reseating",
        answers={"gone": "the fault is gone", "same": "the fault is the same"},
        how="Power off, lift every screen connector, press it home, try again. Battery off first, on last.",
        opens=True,
    ),
    Question(
        id="dried",
        asks="Dried and cleaned inside?",
        answers={"yes": "dry and clean", "no": "not yet"},
        how=(
            "Do not charge it and do not switch it on. Power off, open it, battery off, then dry and clean "
            "the board and its connectors, without heat. A battery that was wet can catch fire: keep it away "
            "from what burns, and follow its maker and local rules."
        ),
        opens=True,
    ),
    Question(
        id="liquid",
        asks="Liquid indicators",
        answers={"white": "not tripped", "some": "one of several tripped", "tripped": "tripped"},
        how="Look at every indicator with a torch.",
    ),
    Question(
        id="frame",
        asks="Frame",
        answers={"straight": "straight", "bent": "bent"},
        how="Lay it on glass: does it rock? Look along the edges.",
    ),
)
# the drawing, its ticks and the function list ask these
IN_FORM = frozenset({"glass", "earlier", "image", "touch"})
# those a person answers beside them
ASKED = tuple(question for question in QUESTIONS if question.id not in IN_FORM)
# asked only when the picture or touch is not known to be right; the others are looked at on every device
FURTHER = frozenset(
    {"asleep", "reacts", "external", "torch", "camera", "brightness", "provoke", "reseat", "dried"}
)
# what the function list asks in words of its own: how image and touch are, by the function's name
FINER = {question.id: question for question in QUESTIONS if question.id in ("image", "touch")}
# answers that tell of the causes what another does
LIKE: Mapping[str, Mapping[str, str]] = {"liquid": {"some": "tripped"}}
QUESTION_BY_ID = {question.id: question for question in QUESTIONS}


# What the function list says beside the look: kept apart, so that the two can be held against each other.
IN_LIST = {"image": "image_in_list", "touch": "touch_in_list"}


# answers that say that a picture is there, however wrong
PICTURE = ("fine", "faint", "lines", "white", "blotch", "comes")
TRIPPED = ("tripped", "some")


def as_seen(known: Mapping[str, str]) -> dict[str, str]:
    """What was observed, where a picture that is wrong in a photo alone, or by a setting, is a fine one.

    >>> as_seen({"image": "lines", "camera": "yes"})["image"]
    'fine'
    """
    image = known.get("image")
    only_in_photo = image == "lines" and known.get("camera") == "yes"
    only_set = image == "faint" and known.get("brightness") == "better"
    return {**known, "image": "fine"} if only_in_photo or only_set else dict(known)


def is_wet(known: Mapping[str, str]) -> bool:
    """Whether liquid was inside a device that shows no picture, and nobody has dried it: nothing may power it
    (rule diagnosis.liquid-black).
    """
    dead = known.get("image") in ("none", "thread") or (
        known.get("battery") == "flat" and known.get("image") not in PICTURE
    )
    return dead and known.get("liquid") in TRIPPED and known.get("dried") != "yes"


def telling(question: str) -> list[str]:
    """The answers of a question that tell something of their own about the causes."""
    return [answer for answer in QUESTION_BY_ID[question].answers if answer not in LIKE.get(question, {})]


# what a mark on the picture, the touch layer or the frame says when nothing was answered
_DRAWN = {
    MarkKind.LINE: ("image", "lines"),
    MarkKind.BLOTCH: ("image", "blotch"),
    MarkKind.DEAD: ("touch", "part"),
    MarkKind.BEND: ("frame", "bent"),
}


# what the note beside a drawn liquid indicator says where it is not tripped
_DRY = frozenset({"not", "white", "dry", "clean", "untripped"})


def is_tripped(mark: Mark) -> bool:
    """Whether a mark says that a liquid indicator is tripped: it is drawn for that, unless its note says
    otherwise.
    """
    return mark.kind is MarkKind.LIQUID and not _DRY.intersection(re.findall(r"[a-z]+", mark.note.lower()))


def is_empty(level: str) -> bool:
    """Whether a battery level, as typed, is none at all: such a battery is flat.

    >>> is_empty("0"), is_empty(" 0 %"), is_empty("1"), is_empty("")
    (True, True, False, False)
    """
    return bool(re.fullmatch(r"\s*0+\s*%?\s*", level))


def observed_from(
    answers: Mapping[str, str],
    *,
    marks: Sequence[Mark],
    opened_before: bool,
    functions: Mapping[str, str],
    battery_level: str = "",
) -> dict[str, str]:
    """Everything observed: what was answered, and what the drawing, the tick, the battery's level and the
    function list already say.

    An answer that was given stays; broken glass that was drawn is broken whatever was answered.
    """
    observed = {
        name: answer
        for name, answer in answers.items()
        if name in QUESTION_BY_ID and answer in QUESTION_BY_ID[name].answers
    }
    if any(mark.breaks_glass for mark in marks):
        observed["glass"] = "broken"
    for mark in marks:
        if mark.kind in _DRAWN:
            observed.setdefault(*_DRAWN[mark.kind])
    if any(is_tripped(mark) for mark in marks):
        observed.setdefault("liquid", "some")
    if is_empty(battery_level):
        observed.setdefault("battery", "flat")
    if opened_before:
        observed["earlier"] = "yes"
    for name, listed in IN_LIST.items():
        if functions.get(name) in ("works", "faulty"):
            observed[listed] = functions[name]
        if functions.get(name) == "works":
            observed.setdefault(name, "fine")
    return observed


def picture_in_doubt(answers: Mapping[str, str], functions: Mapping[str, str]) -> bool:
    """Whether picture or touch is not known to be right by what was answered, so that the further tests tell
    something.
    """
    listed = any(functions.get(name) in ("faulty", "not_testable") for name in FINER)
    return listed or any(answers.get(name) for name in (*FURTHER, *FINER))


def check_looks(
    answers: Mapping[str, str], marks: Sequence[Mark], *, opened_before: bool, battery_level: str = ""
) -> list[Invalid]:
    """Answers that say the opposite of each other, of the drawing or of what was measured."""
    problems = []
    if answers.get("liquid") == "white" and any(is_tripped(mark) for mark in marks):
        both = fact("intake.not-tripped-and-drawn-tripped")
        problems.append(Invalid("look.liquid", both, fact("intake.choose-tripped-or-remove-marks")))
    if answers.get("battery") == "ok" and is_empty(battery_level):
        both = fact("intake.charged-and-at-nothing")
        problems.append(Invalid("look.battery", both, fact("intake.choose-flat-or-another-level")))
    if opened_before and answers.get("earlier") == "no":
        both = fact("intake.ticked-opened-and-not")
        problems.append(Invalid("look.earlier", both, fact("intake.untick-one-of-the-two")))
    if answers.get("glass") == "whole" and any(mark.breaks_glass for mark in marks):
        both = fact("intake.ticked-whole-and-drawn-broken")
        problems.append(Invalid("look.glass", both, fact("intake.untick-or-remove-marks")))
    return problems


def check_observations(observed: Mapping[str, str]) -> list[Invalid]:
    """Answers that are none; an empty answer is unknown."""
    return [
        Invalid(
            f"look.{name}",
            answer,
            f"choose one of: {', '.join(QUESTION_BY_ID[name].answers.values())}, or leave it open",
        )
        for name, answer in observed.items()
        if name in QUESTION_BY_ID and answer and answer not in QUESTION_BY_ID[name].answers
    ]

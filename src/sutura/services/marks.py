"""Marks as kept with a job ↔ core values."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.job import JobRecord
from sutura.core.maths.geometry import Point


def marks_of(job: JobRecord) -> list[Mark]:
    return marks_from_json(job.arrival.marks)


def marks_from_json(raw: Sequence[Mapping[str, Any]]) -> list[Mark]:
    return [
        Mark(
            kind=MarkKind(entry["kind"]),
            points=tuple(Point(x=round(float(x), 1), y=round(float(y), 1)) for x, y in entry["points"]),
            reach_mm=round(float(entry.get("reach_mm", 0)), 1),
            side=Side(entry.get("side", "front")),
            note=str(entry.get("note", ""))[:200],
            id=str(entry.get("id", ""))[:20],
        )
        for entry in raw
    ]


def signature_of(job: JobRecord) -> list[list[tuple[float, float]]]:
    """The strokes a customer signed with on the screen; none when the ticket is signed on paper."""
    return read_strokes(json.dumps(job.arrival.how.get("signature", [])))[0]


def read_strokes(text: str) -> tuple[list[list[tuple[float, float]]], list[Invalid]]:
    """A signature's strokes from the pad's own JSON; a broken text is one problem, not a crash."""
    if not text.strip():
        return [], []
    try:
        return [
            [(round(float(x), 1), round(float(y), 1)) for x, y in stroke] for stroke in json.loads(text)
        ], []
    except (ValueError, TypeError, OverflowError, RecursionError):
        return [], [Invalid("signature", text[:40], fact("marks.sign-once-more-pad-printed-ticket"))]


def read_marks(text: str) -> tuple[list[Mark], list[Invalid]]:
    """Marks from the drawing's own JSON; a broken text is one problem, not a crash."""
    if not text.strip():
        return [], []
    try:
        raw = json.loads(text)
        if not isinstance(raw, list):
            raise TypeError("a drawing is a list of marks")
        return marks_from_json(raw), []
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError):
        return [], [Invalid("marks", text[:80], fact("marks.draw-marks-again-drawing-could-not"))]

"""Pieces and acts of a model: JSON of packs in format 3 ↔ core values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from sutura.core.catalogue.model import Act, First, Goes, Heat, Phase, Piece, PieceKind, Plug, Step, Work

OR = " or "


def _work(raw: Mapping[str, Any]) -> Work:
    return Work(
        id=raw["id"],
        text=raw["text"],
        tools=tuple(raw.get("tools", ())),
        cautions=tuple(raw.get("cautions", ())),
        limits=tuple(raw.get("limits", ())),
        heat=Heat(**raw["heat"]) if raw.get("heat") else None,
        wait_minutes=raw.get("wait_minutes", 0),
        looks=raw.get("looks", ""),
        other_seal=raw.get("other_seal", ""),
        minutes=raw.get("minutes", 0.0),
    )


def piece_from_json(raw: Mapping[str, Any]) -> Piece:
    """A piece that has passed the schema."""
    plain = {
        name: raw[name]
        for name in ("id", "name", "screws", "plug", "battery", "side", "loose", "moves")
        if name in raw
    }
    first = raw.get("first")
    return Piece(
        **plain,
        kind=PieceKind(raw["kind"]),
        off=_work(raw["off"]),
        on=_work(raw["on"]),
        under=tuple(tuple(entry.split(OR)) for entry in raw.get("under", ())),
        on_after=tuple(raw.get("on_after", ())),
        first=First(work=_work(first["work"]), screws=first["screws"]) if first else None,
    )


def act_from_json(raw: Mapping[str, Any]) -> Act:
    """An act that has passed the schema: its work stands beside its place."""
    placed = {name: tuple(raw.get(name, ())) for name in ("after", "before", "having", "routes")}
    return Act(
        work=_work(raw),
        phase=Phase(raw["phase"]),
        moves=raw.get("moves", ""),
        second_look=raw.get("second_look", False),
        own_seal=raw.get("own_seal", False),
        when_boxed=raw.get("when_boxed", ""),
        unless_boxed=raw.get("unless_boxed", ""),
        **placed,
    )


def written_piece(raw: dict[str, Any]) -> dict[str, Any]:
    """A piece as a pack has it, from its fields; what says nothing is left out elsewhere."""
    works = [raw["off"], raw["first"]["work"]] if raw["first"] else [raw["off"]]
    for work in works:
        # only what goes on is pressed into a seal
        work.pop("other_seal")
    return {**raw, "under": [OR.join(entry) for entry in raw["under"]]}


def written_act(raw: dict[str, Any]) -> dict[str, Any]:
    """An act as a pack has it, from its fields."""
    return {**raw.pop("work"), **raw}


# -- a sheet that a job keeps ---------------------------------------------------------------


def step_from_json(raw: Mapping[str, Any]) -> Step:
    """A step of a written sheet, or of one that a job keeps."""
    return Step(
        id=raw["id"],
        phase=Phase(raw["phase"]),
        text=raw["text"],
        tools=tuple(raw.get("tools", ())),
        cautions=tuple(raw.get("cautions", ())),
        limits=tuple(raw.get("limits", ())),
        screws=raw.get("screws", ""),
        screws_in=raw.get("screws_in", False),
        screws_part=raw.get("screws_part", 0),
        plug=Plug(**raw["plug"]) if raw.get("plug") else None,
        heat=Heat(**raw["heat"]) if raw.get("heat") else None,
        wait_minutes=raw.get("wait_minutes", 0),
        after=tuple(raw.get("after", ())),
        second_look=raw.get("second_look", False),
        piece=raw.get("piece", ""),
        goes=Goes(raw.get("goes", "")),
        looks=raw.get("looks", ""),
        minutes=raw.get("minutes", 0.0),
        moves=raw.get("moves", ""),
    )


def step_to_json(step: Step) -> dict[str, Any]:
    """A step as a job keeps it: what says nothing is left out."""
    return {name: value for name, value in asdict(step).items() if value}

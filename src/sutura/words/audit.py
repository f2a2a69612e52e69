"""Says what an entry of the audit holds: what changed, from what to what."""

from __future__ import annotations

from collections.abc import Mapping


def told(detail: Mapping[str, object]) -> list[tuple[str, str]]:
    """Names and words of an entry; of a before and an after only what differs.

    >>> told({"person": 4, "before": {"role": "counter"}, "after": {"role": "manager"}})
    [('person', '4'), ('role', 'counter → manager')]
    """
    before, after = detail.get("before"), detail.get("after")
    others = [(name, _plain(value)) for name, value in detail.items() if name not in ("before", "after")]
    if isinstance(before, Mapping) and isinstance(after, Mapping):
        names = dict.fromkeys([*before, *after])
        return others + [
            (name, _change(before.get(name), after.get(name)))
            for name in names
            if before.get(name) != after.get(name)
        ]
    if after is not None:
        others.append(("", _change(before, after)))
    return others


def _change(before: object, after: object) -> str:
    if _is_deep(before) or _is_deep(after):
        return "changed"
    return f"{_plain(before)} → {_plain(after)}"


def _is_deep(value: object) -> bool:
    return isinstance(value, list) and any(isinstance(part, list | Mapping) for part in value)


def _plain(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Mapping):
        return ", ".join(f"{name} {_plain(part)}" for name, part in value.items()) or "–"
    if isinstance(value, list):
        return ", ".join(map(_plain, value)) or "–"
    return "–" if value is None or value == "" else str(value)

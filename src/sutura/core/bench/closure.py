"""What has to come off to free a piece: the smallest set, over pieces that lie over each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sutura.core.catalogue.model import Piece

# so many ways to reach a piece are compared; the shop's, no source
MOST_WAYS = 4_096


class Unreachable(ValueError):
    """A piece that can never come off: it waits for itself."""

    def __init__(self, piece: str) -> None:
        super().__init__(f"{piece} can never come off")
        self.piece = piece


def smallest(
    pieces: Mapping[str, Piece], frees: Sequence[str], off: Sequence[str], cost: Mapping[str, float]
) -> dict[str, tuple[str, ...]]:
    """The pieces that come off to free some, each with those that come off before it, of the ways there are
    the cheapest one.

    A piece that is off already frees what lies under it. Where one of several pieces is enough, every way is
    compared (exact up to 4,096 of them), of two as cheap the one with fewer pieces, then the author's first.
    """
    found: tuple[tuple[float, int], dict[str, tuple[str, ...]]] | None = None
    ways = 0
    # what is still to be freed, what comes off so far, and what each waits for
    stack: list[tuple[tuple[str, ...], dict[str, tuple[str, ...]]]] = [
        (tuple(dict.fromkeys(piece for piece in frees if piece not in off)), {})
    ]
    while stack and ways < MOST_WAYS:
        todo, chosen = stack.pop()
        if not todo:
            ways += 1
            if _is_circular(chosen):
                continue
            value = (sum(cost.get(piece, 1.0) for piece in chosen), len(chosen))
            if found is None or value < found[0]:
                found = (value, chosen)
            continue
        piece, *rest = todo
        if piece in chosen:
            stack.append((tuple(rest), chosen))
            continue
        options: list[tuple[str, ...]] = [()]
        for entry in pieces[piece].under:
            if any(other in off for other in entry):
                continue
            options = [(*taken, other) for taken in options for other in entry]
        for option in reversed(options):
            needed = tuple(dict.fromkeys(option))
            stack.append(((*rest, *needed), {**chosen, piece: needed}))
    if found is None:
        raise Unreachable(frees[0] if frees else "")
    return found[1]


def _is_circular(chosen: Mapping[str, Sequence[str]]) -> bool:
    """Whether pieces of a way wait for each other."""
    done: set[str] = set()
    left = set(chosen)
    while ready := [
        piece for piece in left if all(one in done or one not in chosen for one in chosen[piece])
    ]:
        done.update(ready)
        left.difference_update(ready)
    return bool(left)

"""An order of steps that keeps every constraint with the fewest changes of tool and turns of the device;
knows nothing of devices.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

# so many sets of done steps are looked at before the order is only a good one; measured: the largest sheet
# has some thousands
MOST_STATES = 60_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Task:
    """One step to be put in order: the tasks that come before it, by their places; the tool it takes and the
    side the device lies on, empty = neither matters; and where it stands in the author's own order.
    """

    before: frozenset[int]
    tool: str = ""
    side: str = ""
    rank: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Ordered:
    """The order as places, its changes of tool and turns, and whether no other has fewer."""

    order: tuple[int, ...]
    changes: int
    is_fewest: bool


class Circular(ValueError):
    """Tasks that wait for each other; `among` are their places."""

    def __init__(self, among: Sequence[int]) -> None:
        super().__init__(f"{len(among)} tasks wait for each other")
        self.among = tuple(among)


def in_order(tasks: Sequence[Task], most_states: int = MOST_STATES) -> Ordered:
    """An order that keeps every constraint with the fewest changes; of several with as few the author's.

    Exact by dynamic programming over the sets of done tasks (Held & Karp 1962), as far as there are not more
    than `most_states` of them; beyond that the nearest task with the tool in hand is taken each time.

    >>> [Task(before=frozenset(), tool="a"), Task(before=frozenset(), tool="b"),
    ...  Task(before=frozenset(), tool="a")] and in_order([
    ...     Task(before=frozenset(), tool="a", rank=0), Task(before=frozenset(), tool="b", rank=1),
    ...     Task(before=frozenset(), tool="a", rank=2)]).order
    (0, 2, 1)
    """
    return _in_order(tuple(tasks), most_states)


# the same few sheets are worked out for every page that compares ways
@lru_cache(maxsize=256)
def _in_order(tasks: tuple[Task, ...], most_states: int) -> Ordered:
    masks = [sum(1 << place for place in task.before) for task in tasks]
    ranks = sorted(range(len(tasks)), key=lambda place: (tasks[place].rank, place))
    _check_circular(masks)
    costs = _fewest(tasks, masks, ranks, most_states)
    order, changes = _follow(tasks, masks, ranks, costs)
    return Ordered(order=order, changes=changes, is_fewest=costs is not None)


def changes_of(tasks: Sequence[Task], order: Sequence[int]) -> int:
    """How often a tool is changed and the device turned in an order; the first of each is no change."""
    changes, tool, side = 0, "", ""
    for place in order:
        cost, tool, side = _step(tasks[place], tool, side)
        changes += cost
    return changes


def _step(task: Task, tool: str, side: str) -> tuple[int, str, str]:
    cost = bool(task.tool and tool and task.tool != tool) + bool(task.side and side and task.side != side)
    return cost, task.tool or tool, task.side or side


def _check_circular(masks: Sequence[int]) -> None:
    done, left = 0, set(range(len(masks)))
    while ready := [place for place in left if masks[place] & ~done == 0]:
        for place in ready:
            done |= 1 << place
            left.discard(place)
    if left:
        raise Circular(sorted(left))


_State = tuple[int, str, str]


def _fewest(
    tasks: Sequence[Task], masks: Sequence[int], ranks: Sequence[int], most: int
) -> dict[_State, int] | None:
    """From every reachable state the fewest changes to the end; None where there are too many states."""
    layers: list[set[_State]] = [{(0, "", "")}]
    seen = 1
    for _ in tasks:
        following: set[_State] = set()
        for done, tool, side in layers[-1]:
            for place in ranks:
                if not done >> place & 1 and masks[place] & ~done == 0:
                    _, new_tool, new_side = _step(tasks[place], tool, side)
                    following.add((done | 1 << place, new_tool, new_side))
        seen += len(following)
        if seen > most:
            return None
        layers.append(following)
    costs: dict[_State, int] = dict.fromkeys(layers[-1], 0)
    for layer in reversed(layers[:-1]):
        for state in layer:
            costs[state] = min(cost for cost, _ in _choices(tasks, masks, ranks, costs, state))
    return costs


def _choices(
    tasks: Sequence[Task], masks: Sequence[int], ranks: Sequence[int], costs: dict[_State, int], state: _State
) -> list[tuple[int, int]]:
    """What each task that may be next leads to: the changes from here to the end, and its place."""
    done, tool, side = state
    found = []
    for place in ranks:
        if not done >> place & 1 and masks[place] & ~done == 0:
            cost, new_tool, new_side = _step(tasks[place], tool, side)
            found.append((cost + costs[done | 1 << place, new_tool, new_side], place))
    return found


def _follow(
    tasks: Sequence[Task], masks: Sequence[int], ranks: Sequence[int], costs: dict[_State, int] | None
) -> tuple[tuple[int, ...], int]:
    state: _State = (0, "", "")
    order: list[int] = []
    while len(order) < len(tasks):
        done, tool, side = state
        if costs is None:
            ready = [p for p in ranks if not done >> p & 1 and masks[p] & ~done == 0]
            place = min(ready, key=lambda p: _step(tasks[p], tool, side)[0])
        else:
            choices = _choices(tasks, masks, ranks, costs, state)
            fewest = min(cost for cost, _ in choices)
            place = next(p for cost, p in choices if cost == fewest)
        _, tool, side = _step(tasks[place], tool, side)
        order.append(place)
        state = (done | 1 << place, tool, side)
    return tuple(order), changes_of(tasks, order)

"""How often somebody who is not signed in may ask: a guess at a secret link is slow, whatever it finds."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict, deque
from collections.abc import Callable

from fastapi import Request

from sutura.core.errors import Refusal
from sutura.core.facts import fact

# a person reads and answers with a few; the shop's, no source
PER_MINUTE = 40
# so many askers are remembered; the ones longest silent are forgotten first
MOST_ASKERS = 2_000


class TooOften(Refusal):
    """Asked too often from one place; it is answered again after a minute."""

    def __init__(self) -> None:
        super().__init__(fact("refused.too-often"))


class Limit:
    """So many a minute from each place, in this process."""

    def __init__(self, per_minute: int = PER_MINUTE, clock: Callable[[], float] = time.monotonic) -> None:
        self.per_minute, self._clock = per_minute, clock
        self._asked: OrderedDict[str, deque[float]] = OrderedDict()
        self._lock = threading.Lock()

    def check(self, asker: str) -> None:
        """Count one more from a place; raises TooOften where that is too many."""
        now = self._clock()
        with self._lock:
            times = self._asked.setdefault(asker, deque())
            self._asked.move_to_end(asker)
            while times and now - times[0] > 60:
                times.popleft()
            if len(times) >= self.per_minute:
                raise TooOften
            times.append(now)
            while len(self._asked) > MOST_ASKERS:
                self._asked.popitem(last=False)


LINKS = Limit()


def slow_down(request: Request) -> None:
    """Refuse somebody who asks for links too often."""
    LINKS.check(request.client.host if request.client else "unknown")

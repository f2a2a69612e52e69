"""Connections that cost nobody else theirs: one that says nothing, or too slowly, or takes no answer is
closed, and nobody has more than so many.

A proxy in front, as `Run it for real` in the README advises, holds the same limits for those behind it.
"""

from __future__ import annotations

import asyncio
import time
from collections import Counter
from typing import Any

import structlog
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

LOG = structlog.get_logger("sutura")
# a browser sends the head of what it asks for at once, and takes an answer as it comes; the shop's, no source
HEAD_SECONDS, TAKING_SECONDS = 10.0, 60.0
# every address and cookie of ours is a tenth of this
MOST_HEAD = 64_000
# a browser keeps six to a server; a shop's machines may come through one address
MOST_OF_ONE = 128
# of what is closed, one line in so long: whoever opens thousands does not fill the log
SAID_EVERY_S = 10.0


class _Senders:
    """How many connections each address has now, and what was closed since it was last said."""

    def __init__(self) -> None:
        self.open: Counter[str] = Counter()
        self._closed: Counter[str] = Counter()
        self._said_at = float("-inf")

    def note_closed(self, why: str, sender: str) -> None:
        self._closed[why] += 1
        if time.monotonic() - self._said_at >= SAID_EVERY_S:
            LOG.warning("connections closed", last_from=sender, **self._closed)
            self._closed.clear()
            self._said_at = time.monotonic()


SENDERS = _Senders()


class Limited(HttpToolsProtocol):
    """A connection with time limits for a head and for taking an answer, and a limit for its sender. The body
    has its own (`web.app`).
    """

    _sender = ""
    _head = 0
    _timer: asyncio.TimerHandle | None = None
    _taking: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        sender = self.client[0] if self.client else ""
        if sender and sender not in _proxies(self.config):
            self._sender = sender
            SENDERS.open[sender] += 1
            if SENDERS.open[sender] > MOST_OF_ONE:
                self._end("too_many_of_one")
                return
        self._wait_for_head()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self._is_asked():
            self._stop_waiting()
            return
        self._head += len(data)
        if self._head > MOST_HEAD:
            self._end("head_too_long")
        elif self._timer is None:
            # the first of the next head: from here on it has as long as the first one had
            self._wait_for_head()

    def pause_writing(self) -> None:
        super().pause_writing()
        self._taking = self.loop.call_later(TAKING_SECONDS, self._end, "answer_not_taken")

    def resume_writing(self) -> None:
        super().resume_writing()
        if self._taking:
            self._taking.cancel()
            self._taking = None

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop_waiting()
        if self._taking:
            self._taking.cancel()
        if self._sender:
            SENDERS.open[self._sender] -= 1
            if not SENDERS.open[self._sender]:
                del SENDERS.open[self._sender]
            self._sender = ""
        super().connection_lost(exc)

    def _is_asked(self) -> bool:
        """Whether a request's head is there and its answer is not."""
        cycle: Any = self.cycle
        return cycle is not None and not cycle.response_complete

    def _wait_for_head(self) -> None:
        self._timer = self.loop.call_later(HEAD_SECONDS, self._end, "head_not_sent")

    def _stop_waiting(self) -> None:
        self._head = 0
        if self._timer:
            self._timer.cancel()
            self._timer = None

    def _end(self, why: str) -> None:
        if not self.transport.is_closing():
            SENDERS.note_closed(why, self.client[0] if self.client else "")
            self.transport.abort()


def _proxies(config: Any) -> frozenset[str]:
    """Those who speak for others: what stands behind them is theirs to limit."""
    if not config.proxy_headers:
        return frozenset()
    allowed = config.forwarded_allow_ips
    return frozenset(allowed.split(",") if isinstance(allowed, str) else allowed or ())

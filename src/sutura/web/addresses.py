"""Addresses and who may use them. A page cannot be given an address without saying it, so nobody forgets.

Who is asked first of all: before the form is read, before its token and its one-time key are looked at.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable
from enum import StrEnum
from functools import wraps
from typing import TypeVar

from fastapi import APIRouter, Depends, Request

from sutura.core.people import Deed, demand
from sutura.web.session import Ask, asking

Handler = TypeVar("Handler", bound=Callable[..., object])


class Anyone(StrEnum):
    """Who may use an address that no deed guards."""

    PUBLIC = "everyone, signed in or not"
    SIGNED_IN = "everyone who is signed in"


Who = Deed | Anyone


class Addresses:
    """The addresses of one room, each with who may use it; a page that is read answers HEAD as well."""

    def __init__(self) -> None:
        self.router = APIRouter()
        self.may: dict[tuple[str, str], Who] = {}

    def get(self, path: str, *, may: Who) -> Callable[[Handler], Handler]:
        self.may["GET", path] = may

        def at(handler: Handler) -> Handler:
            if may is Anyone.PUBLIC or "ask" not in inspect.signature(handler).parameters:
                return self._at(path, ["GET", "HEAD"], may)(handler)
            self.router.add_api_route(path, _asked_first(handler, may), methods=["GET", "HEAD"])
            return handler

        return at

    def post(self, path: str, *, may: Who) -> Callable[[Handler], Handler]:
        self.may["POST", path] = may
        return self._at(path, ["POST"], may)

    def _at(self, path: str, methods: list[str], may: Who) -> Callable[[Handler], Handler]:
        return self.router.api_route(path, methods=methods, dependencies=[Depends(_guard(may))])


def _asked_first(handler: Callable[..., object], may: Deed | Anyone) -> Callable[..., object]:
    """A page that is read, with who asks found in front of it: on the same worker thread, because each change
    of threads costs a page about a millisecond.
    """
    taken = inspect.signature(handler, eval_str=True)

    @wraps(handler)
    def page(*, request: Request, **of: object) -> object:
        ask = asking(request)
        if isinstance(may, Deed):
            demand(ask.person, may)
        return handler(ask=ask, **of)

    # FastAPI reads here what a handler takes
    rest = [part.replace(kind=part.KEYWORD_ONLY) for name, part in taken.parameters.items() if name != "ask"]
    asks = inspect.Parameter("request", inspect.Parameter.KEYWORD_ONLY, annotation=Request)
    page.__signature__ = taken.replace(parameters=[asks, *rest])  # type: ignore[attr-defined]
    return page


def _guard(may: Who) -> Callable[..., object]:
    """What is asked before everything else at an address; without a thread of its own where nothing waits."""
    if isinstance(may, Deed):
        needed = may

        async def allowed(ask: Ask) -> None:
            demand(ask.person, needed)

        return allowed
    return asking if may is Anyone.SIGNED_IN else _everyone


async def _everyone() -> None:
    """Nobody is asked who they are."""

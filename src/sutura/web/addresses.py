"""Addresses and who may use them. A page cannot be given an address without saying it, so nobody forgets.

Who is asked first of all: before the form is read, before its token and its one-time key are looked at.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import TypeVar

from fastapi import APIRouter, Depends

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
        return self._at(path, ["GET", "HEAD"], may)

    def post(self, path: str, *, may: Who) -> Callable[[Handler], Handler]:
        self.may["POST", path] = may
        return self._at(path, ["POST"], may)

    def _at(self, path: str, methods: list[str], may: Who) -> Callable[[Handler], Handler]:
        return self.router.api_route(path, methods=methods, dependencies=[Depends(_guard(may))])


def _guard(may: Who) -> Callable[..., object]:
    """What is asked before everything else at an address."""
    if isinstance(may, Deed):
        needed = may

        def allowed(ask: Ask) -> None:
            demand(ask.person, needed)

        return allowed
    return asking if may is Anyone.SIGNED_IN else _everyone


def _everyone() -> None:
    """Nobody is asked who they are."""

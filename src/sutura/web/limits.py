"""How often somebody who is not signed in may ask: a guess at a secret link is slow, whatever it finds."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from fastapi import Request

from sutura.core.errors import NotFound, Refusal
from sutura.core.facts import fact
from sutura.services import people
from sutura.web.session import settings_of

# a person reads and answers with a few; the shop's, no source
PER_MINUTE = 40


class TooOften(Refusal):
    """Asked too often from one place; it is answered again after a minute."""

    def __init__(self) -> None:
        super().__init__(fact("refused.too-often"))


@contextmanager
def guessing(request: Request) -> Iterator[None]:
    """Whoever asks for a link that nobody made has guessed. After too many guesses from one place in a minute
    each further one is refused, in whichever process; a link that is right is always answered.
    """
    try:
        yield
    except NotFound:
        asker = request.client.host if request.client else "unknown"
        if people.wrong_link(asker[:60], settings_of(request).clock()) > PER_MINUTE:
            raise TooOften from None
        raise

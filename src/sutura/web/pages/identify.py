"""The scan field, and the answer under the model number while typing."""

from __future__ import annotations

from fastapi.responses import RedirectResponse, Response

from sutura.services import identify as service
from sutura.web.addresses import Addresses, Anyone
from sutura.web.present import render
from sutura.web.session import Ask

addresses = Addresses()


@addresses.get("/scan", may=Anyone.SIGNED_IN)
def scan(ask: Ask, q: str = "") -> Response:
    scanned = service.find(q, ask.person)
    if scanned.address:
        return RedirectResponse(scanned.address, status_code=303)
    return render(ask, "identify/scan.html", found=scanned, asked=q)


@addresses.get("/identify", may=Anyone.SIGNED_IN)
def identify(ask: Ask, q: str = "") -> Response:
    """A piece of a page: what the number read so far stands for."""
    return render(ask, "identify/answer.html", found=service.identify(q), choose=True)

"""Is the process alive, and is it ready to serve?"""

from __future__ import annotations

import structlog
from fastapi import Request
from fastapi.responses import JSONResponse

from sutura.web.addresses import Addresses, Anyone
from sutura.web.session import settings_of

LOG = structlog.get_logger("sutura")
addresses = Addresses()


@addresses.get("/health", may=Anyone.PUBLIC)
async def health() -> dict[str, str]:
    return {"status": "alive"}


@addresses.get("/ready", may=Anyone.PUBLIC)
def ready(request: Request) -> JSONResponse:
    """Only whether: what is missing is for the log, not for strangers."""
    missing = settings_of(request).ready()
    if missing:
        LOG.warning("not ready", missing=missing)
    return JSONResponse({"ready": not missing}, status_code=503 if missing else 200)

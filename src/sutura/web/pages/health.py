"""Is the process alive, and is it ready to serve?"""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse

from sutura.web.session import settings_of

router = APIRouter()


@router.get("/health")
async def health() -> dict[str, str]:
    return {"status": "alive"}


@router.get("/ready")
def ready(request: Request) -> JSONResponse:
    missing = settings_of(request).ready()
    return JSONResponse({"ready": not missing, "missing": missing}, status_code=503 if missing else 200)

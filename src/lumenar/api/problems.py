"""Problem documents (RFC 9457) for everything that goes wrong."""

from __future__ import annotations

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from lumenar.core.measurements import MissingPatchError
from lumenar.service.errors import BadInputError, ConflictError, NotFoundError, UserError
from lumenar.store.database import StoreError

TITLES = {
    400: "Bad input", 404: "Not found", 405: "Not possible", 409: "Not now", 422: "Bad input", 500: "A fault of Lumenar",
    503: "Cannot save",
}  # fmt: skip


class Problem(BaseModel):
    """A problem document: stable type, title, a sentence for the person, and the field at fault."""

    type: str
    title: str
    status: int
    detail: str
    place: str | None = None


def problem(status: int, kind: str, detail: str, place: str | None = None) -> JSONResponse:
    """The response for a problem."""
    body = Problem(
        type=f"urn:lumenar:{kind}", title=TITLES.get(status, "Error"), status=status, detail=detail, place=place
    )
    return JSONResponse(body.model_dump(), status, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Turn the service's errors into problem documents."""

    @app.exception_handler(UserError)
    def user_error(_: Request, e: UserError) -> JSONResponse:
        status = {NotFoundError: 404, ConflictError: 409, BadInputError: 422}.get(type(e), 400)
        return problem(status, e.kind, e.detail, e.place)

    @app.exception_handler(StoreError)
    def store_error(_: Request, e: StoreError) -> JSONResponse:
        return problem(503, "storage", f"{e}. Nothing was stored, and what was there before is safe.")

    @app.exception_handler(MissingPatchError)
    def missing_patch(_: Request, e: MissingPatchError) -> JSONResponse:
        return problem(422, "readings", str(e))

    @app.exception_handler(RequestValidationError)
    def bad_request(_: Request, e: RequestValidationError) -> JSONResponse:
        first = e.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        return problem(422, "request", f"{place}: {first['msg']}", place)

    @app.exception_handler(HTTPException)
    def by_the_framework(request: Request, e: HTTPException) -> JSONResponse:
        kind = {404: "not-found", 405: "method"}.get(e.status_code, "request")
        return problem(e.status_code, kind, f"{request.method} {request.url.path}: {e.detail}.")

    @app.exception_handler(Exception)
    def fault(request: Request, e: Exception) -> JSONResponse:
        detail = f"{request.url.path} failed by a fault of Lumenar ({type(e).__name__}); its output says where."
        return problem(500, "fault", f"{detail} What was stored before is safe.")

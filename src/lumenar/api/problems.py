"""Problem documents (RFC 9457) for everything that goes wrong."""

from __future__ import annotations

import logging
import re
import sqlite3
from collections.abc import Mapping
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from lumenar.api.deps import PreconditionError
from lumenar.app.errors import BadInputError, ConflictError, DoubtfulError, NotFoundError, UserError
from lumenar.core.measurements import MissingPatchError
from lumenar.store.database import SAVE, DamagedError, StoreError

log = logging.getLogger("lumenar.api")

TITLES = {
    400: "Bad input",
    403: "Not allowed",
    404: "Not found",
    405: "Not possible",
    408: "Too slow",
    409: "Not now",
    412: "Changed meanwhile",
    413: "Too large",
    415: "Not JSON",
    422: "Bad input",
    428: "From which state?",
    500: "A fault of Lumenar",
    503: "Cannot save",
}


class Problem(BaseModel):
    """A problem document: stable type, title, a sentence for the person, and the field at fault."""

    type: str
    title: str
    status: int
    detail: str
    place: str | None = None


def problem(
    status: int, kind: str, detail: str, place: str | None = None, headers: Mapping[str, str] | None = None
) -> JSONResponse:
    """The response for a problem."""
    body = Problem(
        type=f"urn:lumenar:{kind}", title=TITLES.get(status, "Error"), status=status, detail=detail, place=place
    )
    return JSONResponse(body.model_dump(), status, headers, media_type="application/problem+json")


def _allowed(request: Request) -> list[str]:
    """The methods that an address takes."""
    found: set[str] = set()
    for path, operations in request.app.openapi()["paths"].items():
        if re.fullmatch(re.sub(r"\{\w+\}", "[^/]+", path), request.url.path):
            found |= {method.upper() for method in operations}
    found = found or {"GET"}
    return sorted(found | {"HEAD"} if "GET" in found else found)


CODES = ("400", "403", "404", "405", "408", "409", "412", "413", "415", "422", "428", "500", "503")


def declared(document: dict[str, Any]) -> dict[str, Any]:
    """An OpenAPI document in which every operation says that what goes wrong is a problem document."""
    content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    schemas = document.setdefault("components", {}).setdefault("schemas", {})
    schemas["Problem"] = Problem.model_json_schema()
    for name in ("HTTPValidationError", "ValidationError"):
        schemas.pop(name, None)
    _whole_answers(document)
    for path in document["paths"].values():
        for operation in path.values():
            for code in CODES:
                operation["responses"][code] = {"description": TITLES[int(code)], "content": content}
    return document


def _whole_answers(document: dict[str, Any]) -> None:
    """What is only ever answered has all its fields, those with a default too; what is sent may leave these out."""
    schemas = document["components"]["schemas"]
    sent: set[str] = set()

    def reach(node: Any) -> None:
        if isinstance(node, dict):
            name = str(node.get("$ref", "")).rsplit("/", 1)[-1]
            if name and name not in sent:
                sent.add(name)
                reach(schemas.get(name))
            for value in node.values():
                reach(value)
        elif isinstance(node, list):
            for value in node:
                reach(value)

    for path in document["paths"].values():
        for operation in path.values():
            reach(operation.get("requestBody"))
    for name, schema in schemas.items():
        if name not in sent and "properties" in schema:
            schema["required"] = list(schema["properties"])


def install(app: FastAPI) -> None:
    """Turn the service's errors into problem documents."""

    @app.exception_handler(UserError)
    def user_error(_: Request, e: UserError) -> JSONResponse:
        status = {NotFoundError: 404, ConflictError: 409, BadInputError: 422, DoubtfulError: 409}.get(type(e), 400)
        return problem(status, e.kind, e.detail, e.place)

    @app.exception_handler(PreconditionError)
    def precondition(_: Request, e: PreconditionError) -> JSONResponse:
        return problem(e.status, "changed-meanwhile" if e.status == 412 else "precondition", e.detail)

    @app.exception_handler(StoreError)
    def store_error(_: Request, e: StoreError) -> JSONResponse:
        if isinstance(e, DamagedError):
            return problem(503, "damaged", str(e))
        return problem(503, "storage", f"{e}. Nothing was stored, and what was there before is safe.")

    @app.exception_handler(sqlite3.IntegrityError)
    def at_once(_: Request, e: sqlite3.IntegrityError) -> JSONResponse:
        log.warning("two requests at once: %s", e)
        return problem(
            409,
            "changed-meanwhile",
            "The same was changed by another request at this moment. Nothing was stored; look at it again.",
        )

    @app.exception_handler(sqlite3.DatabaseError)
    def database_error(_: Request, e: sqlite3.DatabaseError) -> JSONResponse:
        if isinstance(e, sqlite3.OperationalError):
            return problem(503, "storage", f"The data could not be read or written ({e}).")
        return problem(503, "damaged", f"The data is damaged ({e}). {SAVE}")

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
        kind = {404: "not-found", 405: "method", 408: "too-slow", 413: "too-large"}.get(e.status_code, "request")
        headers = {"Allow": ", ".join(_allowed(request))} if e.status_code == 405 else None
        return problem(e.status_code, kind, f"{request.method} {request.url.path}: {e.detail}.", headers=headers)

    @app.exception_handler(Exception)
    def fault(request: Request, e: Exception) -> JSONResponse:
        detail = f"{request.url.path} failed by a fault of Lumenar ({type(e).__name__}); its output says where."
        return problem(500, "fault", f"{detail} What was stored before is safe.")

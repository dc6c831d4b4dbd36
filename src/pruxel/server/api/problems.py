"""Errors of the core → problem details."""

from __future__ import annotations

import logging
from typing import Any

import psycopg
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from psycopg.errors import ForeignKeyViolation
from sqlalchemy.exc import DataError, IntegrityError, InterfaceError, NoResultFound, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from starlette.exceptions import HTTPException

from pruxel.core.base.errors import ErrorCode, InputError, PruxelError, UsageError
from pruxel.server.api.models import Problem
from pruxel.server.store.database import NO_ROOM, has_no_room
from pruxel.server.store.missing import not_found

log = logging.getLogger("pruxel.api")
_STATUS = {
    ErrorCode.NOT_FOUND: 404,
    ErrorCode.OUTSIDE_ROOTS: 403,
    ErrorCode.CONFLICT: 409,
    ErrorCode.USAGE: 422,
    ErrorCode.NO_SPACE: 507,
}
_DOCUMENT = "application/problem+json"
# Every answer that is a refusal, and what it means; each may come from any operation.
REFUSALS = {
    400: "the request is no request that makes sense",
    401: "no access: the link that was printed has not been opened",
    403: "another site's page asks, or a place is outside the permitted folders",
    404: "there is no such thing, or no longer",
    405: "not done with this address",
    408: "the rest of the request did not come",
    409: "something else stands in the way, or has changed meanwhile",
    413: "more at once than is taken here",
    421: "not one of our own host names and ports",
    422: "a value is outside what makes sense; the field says which",
    500: "a mistake of ours",
    507: "there is no room left on the disk",
    503: "the database is away, and comes back by itself",
}


def document_refusals(description: dict[str, Any]) -> dict[str, Any]:
    """An interface's description with every refusal at every operation, as problem details."""
    schemas = description["components"]["schemas"]
    schemas["Problem"] = Problem.model_json_schema()
    for field in schemas["Problem"]["properties"].values():
        field.pop("default", None)  # a field that says nothing is left out
    for unused in ("HTTPValidationError", "ValidationError"):
        schemas.pop(unused, None)
    content = {_DOCUMENT: {"schema": {"$ref": "#/components/schemas/Problem"}}}
    description["components"]["responses"] = {
        f"Refused{status}": {"description": meaning, "content": content} for status, meaning in REFUSALS.items()
    }
    refused = {str(status): {"$ref": f"#/components/responses/Refused{status}"} for status in REFUSALS}
    for operations in description["paths"].values():
        for operation in operations.values():
            operation["responses"] |= refused
    return description


def _answer(problem: Problem) -> JSONResponse:
    return JSONResponse(problem.model_dump(exclude_none=True), problem.status, media_type=_DOCUMENT)


async def _ours(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, PruxelError)
    fault = error.fault
    status = _STATUS.get(fault.code, 422 if isinstance(error, UsageError | InputError) else 500)
    return _answer(
        Problem(
            title=fault.message,
            status=status,
            code=fault.code,
            detail=fault.line(),
            file=fault.file,
            offset=fault.offset,
            field=fault.field,
            expected=fault.expected,
            found=fault.found,
            hint=fault.hint,
        )
    )


async def _invalid(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    place = ".".join(str(p) for p in first["loc"])
    return _answer(
        Problem(
            title="the request makes no sense", status=422, code="usage", detail=f"{place}: {first['msg']}", field=place
        )
    )


async def _unstorable(_request: Request, error: Exception) -> JSONResponse:
    """A value that fits its type but no column: a number beyond 64 bits, a text with a NUL."""
    assert isinstance(error, DataError)
    log.info("a value that cannot be stored was asked for: %s", error.orig)
    detail = "A value is outside what can be stored: a number beyond 64 bits, or a text with a NUL in it."
    return _answer(Problem(title="there can be no such thing", status=422, code="usage", detail=detail))


async def _dangling(request: Request, error: Exception) -> JSONResponse:
    """Something was to be kept with what is not there, or no longer."""
    assert isinstance(error, IntegrityError)
    if not isinstance(error.orig, ForeignKeyViolation):
        return await _mistake(request, error)
    return await _ours(request, not_found("project or thing of it"))


async def _gone(request: Request, _error: Exception) -> JSONResponse:
    """What was there a moment ago, when the question began."""
    return await _ours(request, not_found("project or thing of it"))


async def _plain(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    words = str(error.detail)
    detail = f"{request.method} {request.url.path}: {words[:1].lower()}{words[1:]}"
    answer = _answer(Problem(title=words, status=error.status_code, code="http", detail=detail))
    answer.headers.update(error.headers or {})
    return answer


async def _away(_request: Request, error: Exception) -> JSONResponse:
    """The database does not answer, or is too busy to: it comes back by itself, and pages ask again."""
    if has_no_room(error):
        words = NO_ROOM.message
        return _answer(Problem(title=words, status=507, code=NO_ROOM.code, detail=NO_ROOM.line(), hint=NO_ROOM.hint))
    log.warning("the database did not answer: %s", type(error).__name__)
    detail = "The database does not answer. It is being started again; nothing that was done is lost."
    answer = _answer(Problem(title="the database is away", status=503, code="database-away", detail=detail))
    answer.headers["Retry-After"] = "2"
    return answer


async def _mistake(request: Request, error: Exception) -> JSONResponse:
    log.error("%s %s failed", request.method, request.url.path, exc_info=error)
    detail = "This is a mistake of ours. The log has the rest of it."
    return _answer(Problem(title="something unexpected happened", status=500, code="mistake", detail=detail))


def add_problem_details(app: FastAPI) -> None:
    """Register the handlers."""
    app.add_exception_handler(DataError, _unstorable)
    for away in (OperationalError, InterfaceError, PoolTimeoutError, psycopg.OperationalError):
        app.add_exception_handler(away, _away)
    app.add_exception_handler(IntegrityError, _dangling)
    app.add_exception_handler(NoResultFound, _gone)
    app.add_exception_handler(HTTPException, _plain)
    app.add_exception_handler(Exception, _mistake)
    app.add_exception_handler(PruxelError, _ours)
    app.add_exception_handler(RequestValidationError, _invalid)

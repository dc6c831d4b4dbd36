"""Errors of the core → problem details."""

from __future__ import annotations

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse

from pruxel.core.base.errors import ErrorCode, InputError, PruxelError, UsageError
from pruxel.server.api.models import Problem

_STATUS = {ErrorCode.NOT_FOUND: 404, ErrorCode.OUTSIDE_ROOTS: 403, ErrorCode.CONFLICT: 409, ErrorCode.USAGE: 422}
RESPONSES = {code: {"model": Problem} for code in (404, 422)}


def _answer(problem: Problem) -> JSONResponse:
    return JSONResponse(problem.model_dump(exclude_none=True), problem.status, media_type="application/problem+json")


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


def add_problem_details(app: FastAPI) -> None:
    """Register the handlers."""
    app.add_exception_handler(PruxelError, _ours)
    app.add_exception_handler(RequestValidationError, _invalid)

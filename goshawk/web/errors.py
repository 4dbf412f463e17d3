"""Errors as problem details (RFC 9457), each with a sentence a person can act on."""

import logging

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from goshawk.errors import (
    BadInput,
    BadSetting,
    DriveSilent,
    EngineLost,
    GoshawkError,
    NotAllowed,
    NotFound,
    ObserverLost,
    ObserverSilent,
    StoreUnusable,
)

log = logging.getLogger(__name__)

_STATUS: dict[type[GoshawkError], int] = {
    NotFound: 404,
    NotAllowed: 401,
    EngineLost: 503,
    ObserverLost: 503,
    ObserverSilent: 503,
    StoreUnusable: 503,
    DriveSilent: 503,
    BadInput: 422,
}


def problem(status: int, code: str, detail: str, field: str = "") -> JSONResponse:
    """One shape for every refusal."""
    body = {"type": f"about:blank#{code}", "title": code, "status": status, "detail": detail}
    if field:
        body["field"] = field
    return JSONResponse(body, status, media_type="application/problem+json")


def _known(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, GoshawkError)
    status = next((code for kind, code in _STATUS.items() if isinstance(error, kind)), 500)
    field = error.field if isinstance(error, BadSetting) else ""
    return problem(status, error.code, str(error), field)


def _invalid(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    field = ".".join(str(part) for part in first["loc"][1:])
    return problem(422, "bad_request", f"{field or 'The request'}: {first['msg']}.", field)


def _http(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    return problem(error.status_code, "refused", str(error.detail))


def _gone(request: Request, error: Exception) -> JSONResponse:
    """Whoever asked is gone before all of it had come: nobody reads this."""
    log.debug("%s %s was given up by whoever asked", request.method, request.url.path)
    return problem(400, "gone", "The request ended before all of it had come.")


def _unforeseen(request: Request, error: Exception) -> JSONResponse:
    log.error("%s %s broke off", request.method, request.url.path, exc_info=error)
    text = "Something went wrong inside Goshawk. What is set is kept: try again."
    return problem(500, "internal", text)


def add_error_handlers(app: FastAPI) -> None:
    """Make every error of the application a problem document."""
    app.add_exception_handler(GoshawkError, _known)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(ClientDisconnect, _gone)
    app.add_exception_handler(Exception, _unforeseen)

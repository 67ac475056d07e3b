"""Errors as RFC 9457 problem documents."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from typing import Any

from flask import Flask, Response, current_app, g, json, request
from flask_wtf.csrf import CSRFError
from pydantic import BaseModel, Field, ValidationError
from sqlalchemy.exc import DataError, DBAPIError, IntegrityError, OperationalError
from werkzeug.exceptions import HTTPException

from mavrik.core.circuit.rules import CircuitError
from mavrik.core.document import Problem
from mavrik.exchange.bundle import plain_problems
from mavrik.jobs.errors import (
    BusyError,
    ClosedError,
    ConflictError,
    ForbiddenError,
    FullError,
    InvalidError,
    JobError,
    LinkLostError,
    NotFoundError,
    QueuedError,
    TooManyError,
)
from mavrik.jobs.people import WINDOW

log = logging.getLogger(__name__)

RETRY_S = 3
"""After so long a database that was restarted answers again."""

STATUS: dict[type[JobError], tuple[int, str, str]] = {
    NotFoundError: (404, "not-found", "Not found"),
    ForbiddenError: (403, "forbidden", "Not allowed"),
    InvalidError: (422, "invalid", "Input cannot be taken"),
    ConflictError: (409, "conflict", "Somebody else saved first"),
    FullError: (507, "full", "There is no room"),
    BusyError: (503, "busy", "The server is busy"),
    QueuedError: (503, "busy", "It is being worked out"),
    ClosedError: (409, "job-closed", "This job is closed"),
    LinkLostError: (502, "link-lost", "The instrument does not answer"),
    TooManyError: (429, "too-many", "Too many tries"),
}


class ProblemItem(BaseModel):
    """One place that is wrong."""

    element: str = Field(description="Id of the element, or path in the document")
    field: str
    message: str


class ProblemDocument(BaseModel):
    """RFC 9457 problem details, with the places that are wrong."""

    type: str
    title: str
    status: int
    detail: str
    problems: list[ProblemItem] = []
    request_id: str = Field("", description="Of the request, in the server's log")
    theirs: dict[str, Any] | None = Field(None, description="On a conflict: what is kept now")


def problem(status: int, kind: str, title: str, detail: str, **more: Any) -> Response:
    """A problem response."""
    body = {"type": f"urn:mavrik:problem:{kind}", "title": title, "status": status, "detail": detail, **more}
    if "request_id" in g:
        body["request_id"] = g.request_id
    return Response(json.dumps(body), status, mimetype="application/problem+json")


def invalid(error: ValidationError) -> Response:
    """A pydantic error as a problem document, with the id of the branch where the place is in a circuit."""
    items = []
    body = request.get_json(silent=True) if request.is_json else None
    for item in plain_problems(error)[:MOST_PROBLEMS]:
        path = item.element.split(".")
        items.append({"element": _element_of(path, body) or item.element, "field": item.field, "message": item.message})
    detail = "; ".join(f"{i['element']}: {i['message']}" for i in items[:5])
    return problem(422, "invalid", "Input cannot be taken", detail, problems=items)


MOST_PROBLEMS = 50
"""Nobody mends more at once."""


def _element_of(path: list[str], body: Any) -> str | None:
    """The id of the branch, source or load that a path of the request body leads through."""
    element = None
    for part in path:
        if isinstance(body, list) and part.isascii() and part.isdigit() and int(part) < len(body):
            body = body[int(part)]
        elif isinstance(body, dict) and part in body:
            body = body[part]
        else:
            continue  # the tag of a union is part of the path, not of the document
        if isinstance(body, dict) and isinstance(body.get("id"), str):
            element = body["id"]
    return element


def _items(problems: Sequence[Problem]) -> list[dict[str, str]]:
    return [{"element": p.element, "field": p.field, "message": p.message} for p in problems[:MOST_PROBLEMS]]


def database_away(error: OperationalError) -> Response:
    """What is said while the database does not answer."""
    log.warning("database away: %s", error)
    answer = problem(
        503, "database-away", "The database does not answer", "What you typed stays on this screen. Try again in a moment."
    )
    answer.headers["Retry-After"] = str(RETRY_S)
    return answer


def install(app: Flask) -> None:
    """Answer every error of the app with a problem document."""

    @app.errorhandler(JobError)
    def job_error(error: JobError) -> Response:
        status, kind, title = STATUS[type(error)]
        more: dict[str, Any] = {}
        if isinstance(error, InvalidError):
            more["problems"] = _items(error.problems)
        if isinstance(error, ConflictError):
            more["theirs"] = error.theirs
        answer = problem(status, kind, title, str(error), **more)
        if isinstance(error, QueuedError):
            # What was put into the queue stays there.
            g.keep_anyway = True
        if isinstance(error, BusyError):
            answer.headers["Retry-After"] = str(RETRY_S)
        if isinstance(error, TooManyError):
            answer.headers["Retry-After"] = str(int(WINDOW.total_seconds()))
        return answer

    @app.errorhandler(ValidationError)
    def validation_error(error: ValidationError) -> Response:
        return invalid(error)

    @app.errorhandler(CircuitError)
    def circuit_error(error: CircuitError) -> Response:
        return problem(422, "invalid", "Input cannot be taken", str(error), problems=_items(error.problems))

    @app.errorhandler(CSRFError)
    def csrf_error(error: CSRFError) -> Response:
        return problem(400, "csrf", "The page is out of date", "Reload the page and try again; nothing you typed is lost.")

    app.register_error_handler(OperationalError, database_away)

    @app.errorhandler(IntegrityError)
    def exists(error: IntegrityError) -> Response:
        """Two people made the same thing at one moment: the second is told, as it would have been a moment later."""
        log.info("made twice: %s", getattr(getattr(error.orig, "diag", None), "constraint_name", "unknown"))
        return problem(
            409, "exists", "It is there already", "Somebody made this at the same moment. Look again before you try once more."
        )

    @app.errorhandler(DataError)
    def unstorable(error: DataError) -> Response:
        return problem(422, "invalid", "Input cannot be taken", "Something in the text cannot be stored, such as a zero byte.")

    @app.errorhandler(DBAPIError)
    def database_error(error: DBAPIError) -> Response:
        if error.connection_invalidated:
            return database_away(OperationalError("", None, error))
        log.exception("database error", exc_info=error)
        return problem(500, "internal", "Something went wrong", "The server made a mistake; it is in the server's log.")

    @app.errorhandler(HTTPException)
    def http_error(error: HTTPException) -> Response:
        code = error.code or 500
        return problem(code, f"http-{code}", error.name, error.description or error.name)

    @app.errorhandler(Exception)
    def unexpected(error: Exception) -> Response:
        current_app.logger.exception("unexpected", exc_info=error)
        return problem(500, "internal", "Something went wrong", "The server made a mistake; it is in the server's log.")

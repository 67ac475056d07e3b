"""Idempotency-Key: a request that makes something may be sent again when its answer was lost.

Source: draft-ietf-httpapi-idempotency-key-header, from memory.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Any, TypeVar

from flask import Flask, Response, g, request
from flask_login import current_user
from sqlalchemy.exc import OperationalError

from mavrik.jobs import repeating
from mavrik.web.access import me, session
from mavrik.web.problems import database_away, problem

View = TypeVar("View", bound=Callable[..., Any])

HEADER = "Idempotency-Key"
REPLAYED = "Idempotency-Replayed"


def creates(view: View) -> View:
    """Say that a view makes something each time it is called.

    Not one that takes in a file as it comes: the key is claimed before, and its transaction would be open as long as that lasts.
    """
    view.mavrik_creates = True  # type: ignore[attr-defined]
    return view


def _request_hash() -> str:
    of = hashlib.sha256(f"{request.method} {request.full_path}\n{request.content_type}\n".encode())
    of.update(request.get_data())
    return of.hexdigest()


def install(app: Flask) -> None:
    """Let every view that makes something be asked twice."""

    @app.before_request
    def begin() -> Response | None:
        key = request.headers.get(HEADER)
        view = app.view_functions.get(request.endpoint or "")
        if key is None or not getattr(view, "mavrik_creates", False) or not current_user.is_authenticated:
            return None
        if not (0 < len(key) <= repeating.LONGEST_KEY and key.isascii() and key.isprintable()):
            return problem(
                422, "invalid", "Input cannot be taken", f"{HEADER}: 1 to {repeating.LONGEST_KEY} printable characters."
            )
        answered = repeating.begin(session(), me(), key, _request_hash())
        if answered is not None:
            return Response(answered.body, answered.status, {REPLAYED: "true"}, mimetype="application/json")
        g.repeat_key = key
        return None

    @app.after_request
    def finish(response: Response) -> Response:
        key = g.pop("repeat_key", None)
        if key is not None and response.status_code < 400:
            try:
                repeating.finish(session(), me(), key, repeating.Answered(response.status_code, response.get_data()))
            except OperationalError as error:
                # What was made goes with it: whoever asked is told to come again.
                return database_away(error)
        return response

"""What an operator sees of the server: a line of JSON a request, an id that goes through to the person's screen, and metrics.

Nothing here says whose vehicle it is: no names, no bodies, no queries, no cookies, no parameters of statements.
"""

from __future__ import annotations

import hmac
import json
import logging
import os
import re
import secrets
import sys
import time
from pathlib import Path
from typing import Any

from flask import Flask, Response, g, request
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.multiprocess import MultiProcessCollector

from mavrik.web.access import PUBLIC, SignedIn, needs
from mavrik.web.problems import problem

log = logging.getLogger(__name__)

ID_HEADER = "X-Request-Id"
GIVEN_ID = re.compile(r"[A-Za-z0-9-]{8,64}")
METRICS_FOLDER = "PROMETHEUS_MULTIPROC_DIR"
DETAIL = re.compile(r"^DETAIL: .*$|^CONTEXT: .*$", re.MULTILINE)
"""What PostgreSQL says of the values that an error was about: a customer's name may be among them."""

REQUESTS = Counter("mavrik_requests", "Requests answered", ["route", "method", "status"])
SECONDS = Histogram(
    "mavrik_request_seconds", "Time to the answer", ["route"], buckets=(0.005, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30)
)


class JsonLines(logging.Formatter):
    """A line of JSON a record."""

    def format(self, record: logging.LogRecord) -> str:
        """As `logging` asks for it; `extra` of a record are fields of its line where they are in `FIELDS`."""
        line: dict[str, Any] = {
            "at": time.strftime("%Y-%m-%dT%H:%M:%S", time.gmtime(record.created)) + f".{record.msecs:03.0f}Z",
            "level": record.levelname.lower(),
            "logger": record.name,
            "event": DETAIL.sub("", record.getMessage()).strip(),
        }
        line |= {name: getattr(record, name) for name in FIELDS if hasattr(record, name)}
        if record.exc_info:
            line["trace"] = DETAIL.sub("", self.formatException(record.exc_info))
        return json.dumps(line, default=str)


FIELDS = ("request", "method", "route", "status", "ms", "person", "counts")


def log_to(stream: Any = None, level: int = logging.INFO) -> None:
    """Let all of this process log JSON lines to a stream, standard error where none is given."""
    handler = logging.StreamHandler(stream or sys.stderr)
    handler.setFormatter(JsonLines())
    root = logging.getLogger()
    root.handlers = [handler]
    root.setLevel(level)
    for name in ("uvicorn", "uvicorn.error", "uvicorn.access", "alembic", "weasyprint", "fontTools"):
        logger = logging.getLogger(name)
        logger.handlers, logger.propagate = [], True
        logger.setLevel(logging.WARNING)


def request_id() -> str:
    """Of the request that is being answered."""
    return str(g.get("request_id", ""))


def install(app: Flask, token: str = "") -> None:
    """Number, measure and log every request; answer `/api/metrics` to who knows the token.

    token: of the operator; empty: there are no metrics
    """

    @app.before_request
    def begin() -> None:
        given = request.headers.get(ID_HEADER, "")
        # One that a proxy of ours has given goes on; anything else gets its own.
        g.request_id = given if GIVEN_ID.fullmatch(given) else secrets.token_hex(8)
        g.begun = time.perf_counter()

    @app.after_request
    def end(response: Response) -> Response:
        took = time.perf_counter() - g.get("begun", time.perf_counter())
        route = request.url_rule.rule if request.url_rule is not None else "none"
        REQUESTS.labels(route, request.method, response.status_code).inc()
        SECONDS.labels(route).observe(took)
        response.headers[ID_HEADER] = request_id()
        if not route.startswith("/assets") and request.endpoint not in QUIET:
            # As it was looked up before, if it was: the database may be away now.
            known = g.get("_login_user")
            person = known.who.id if isinstance(known, SignedIn) else None
            log.info(
                "answered",
                extra={
                    "request": request_id(), "method": request.method, "route": route, "status": response.status_code,
                    "ms": round(took * 1000, 1), "person": person,
                },
            )  # fmt: skip
        return response

    @needs(PUBLIC)
    def metrics() -> Response:
        given = request.headers.get("Authorization", "").removeprefix("Bearer ")
        if not token or not hmac.compare_digest(given.encode(), token.encode()):
            return problem(404, "not-found", "Not found", "There is no such address.")
        return Response(generate_latest(_registry()), content_type=CONTENT_TYPE_LATEST)

    app.add_url_rule("/api/metrics", "metrics", metrics)


QUIET = frozenset({"session.health", "session.live", "session.ready", "metrics"})
"""Asked every few seconds by who watches the server."""


def _registry() -> CollectorRegistry:
    """Of all server processes together, where they write to one folder; otherwise of this one."""
    registry = CollectorRegistry()
    if os.environ.get(METRICS_FOLDER) and Path(os.environ[METRICS_FOLDER]).is_dir():
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    else:
        registry.register(REQUESTS)
        registry.register(SECONDS)
    return registry

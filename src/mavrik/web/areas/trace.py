"""The log of who changed what."""

from __future__ import annotations

from flask import Response

from mavrik.domain.roles import Permission
from mavrik.jobs.trace import TracePage, TraceQuery, trace, trace_csv
from mavrik.web.access import needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.shared import ERRORS, tag

api = Area("trace", __name__)


@api.get("/changes", summary="The log of changes", tags=tag("trace"), responses={"200": TracePage, **ERRORS})
@needs(Permission.AUDIT)
def get_changes(query: TraceQuery) -> Response:
    """The newest first, a page at a time."""
    return answer(trace(session(), query))


@api.get("/changes.csv", summary="The log of changes as CSV", tags=tag("trace"), responses=ERRORS)
@needs(Permission.AUDIT)
@heavy
def get_changes_csv(query: TraceQuery) -> Response:
    """The same, all of it."""
    lines = "".join(trace_csv(session(), query))
    return Response(lines, mimetype="text/csv", headers={"Content-Disposition": 'attachment; filename="changes.csv"'})

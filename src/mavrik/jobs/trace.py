"""The log of who changed what: searched, page by page, and written out."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from typing import Annotated, Any

from pydantic import Field
from sqlalchemy import Integer, Select, String, cast, literal_column, or_, select
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Moment
from mavrik.exchange.readings_table import safe_cell
from mavrik.jobs.listing import MOST_PAGE, MOST_WORDS, PAGE
from mavrik.jobs.paging import Sorting, page_of
from mavrik.jobs.queries import ListQuery
from mavrik.jobs.records import ChangeRecord
from mavrik.store.models import Change, Job

NEWEST = Sorting("changes", (literal_column("changes.id", Integer),), falling=True)
MOST_WRITTEN = 100_000


class TraceQuery(ListQuery):
    """Which changes, from where on."""

    search: Annotated[
        str, Field(max_length=200, description="Words that all occur in what, of what, who, the job's number, before or after")
    ] = ""
    person: Annotated[int, Field(ge=1, le=2**31 - 1)] | None = Field(None, description="Id of who made them")
    job: Annotated[str, Field(max_length=20)] = Field("", description="Number of a job")
    kind: Annotated[str, Field(max_length=20)] = ""
    since: Moment | None = None
    until: Moment | None = None
    after: Annotated[str, Field(max_length=200)] = Field("", description="Where the page before ended, as it said")
    limit: Annotated[int, Field(ge=1, le=MOST_PAGE)] = PAGE


class TraceRow(ChangeRecord):
    """A change with the job it was made on."""

    id: int
    job_id: int | None
    job: str = Field(description="Number of the job; empty: of no job, or of one that is gone")


class TracePage(Document):
    """A page of the log, the newest first."""

    changes: tuple[TraceRow, ...]
    next: str = Field(description="Where the next page begins; empty: this is the last")


def _matching(criteria: TraceQuery) -> Select[Change, str]:
    query = select(Change, Job.number).outerjoin(Job, Job.id == Change.job_id)
    if criteria.person is not None:
        query = query.where(Change.person_id == criteria.person)
    if criteria.job:
        query = query.where(Job.number == criteria.job)
    if criteria.kind:
        query = query.where(Change.kind == criteria.kind)
    if criteria.since is not None:
        query = query.where(Change.at >= criteria.since)
    if criteria.until is not None:
        query = query.where(Change.at <= criteria.until)
    for word in criteria.search.split()[:MOST_WORDS]:
        places = (
            Change.what,
            Change.thing,
            Change.person_name,
            Job.number,
            cast(Change.before, String),
            cast(Change.after, String),
        )
        query = query.where(or_(*(p.icontains(word, autoescape=True) for p in places)))
    return query


def _row(change: Change, number: str | None) -> TraceRow:
    return TraceRow(
        id=change.id, at=change.at, person=change.person_name, kind=change.kind, thing=change.thing, what=change.what,
        before=change.before, after=change.after, job_id=change.job_id, job=number or "",
    )  # fmt: skip


def trace(session: Session, criteria: TraceQuery) -> TracePage:
    """A page of the log. Raises InvalidError for a place that no page ended at."""
    rows, more = page_of(session, _matching(criteria), NEWEST, criteria.after, criteria.limit)
    return TracePage(changes=tuple(_row(*r) for r in rows), next=more)


COLUMNS = ("at", "who", "job", "kind", "of", "what", "before", "after")


def trace_csv(session: Session, criteria: TraceQuery) -> Iterator[str]:
    """The log as lines of CSV, the newest first; as many as there are, up to a hundred thousand."""

    def line(*cells: str) -> str:
        text = io.StringIO()
        csv.writer(text, lineterminator="\r\n").writerow([safe_cell(c) for c in cells])
        return text.getvalue()

    yield line(*COLUMNS)
    query = _matching(criteria).order_by(Change.id.desc()).limit(MOST_WRITTEN)
    for change, number in session.execute(query.execution_options(yield_per=500)):
        row = _row(change, number)
        yield line(row.at.isoformat(), row.person, row.job, row.kind, row.thing, row.what, _plain(row.before), _plain(row.after))


def _plain(document: dict[str, Any] | None) -> str:
    return "" if document is None else "; ".join(f"{name}: {value}" for name, value in document.items())

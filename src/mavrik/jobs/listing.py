"""The list of jobs: page by page, in an order, filtered and searched, from what is kept of each."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import date, timedelta
from enum import StrEnum
from typing import Annotated, Any

from pydantic import Field
from sqlalchemy import (
    TIMESTAMP,
    Boolean,
    Date,
    Integer,
    Select,
    String,
    cast,
    func,
    literal,
    literal_column,
    select,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.exc import DataError
from sqlalchemy.orm import Session

from mavrik.core.document import Document
from mavrik.core.workflow.progress import progress
from mavrik.core.workflow.purposes import Purpose
from mavrik.core.workflow.stages import JobFacts
from mavrik.domain.job import JobState, Shelf, VehicleKind
from mavrik.jobs.paging import Sorting, page_of
from mavrik.jobs.queries import ListQuery
from mavrik.jobs.records import JobRow
from mavrik.jobs.summaries import MADE_BY, summarise
from mavrik.jobs.work import get_row
from mavrik.store.models import Change, Customer, Job, JobSummary, Vehicle

PAGE = 50
MOST_PAGE = 100
MOST_WORDS = 8
SOON = timedelta(days=7)


class Due(StrEnum):
    """When an open job is promised for."""

    OVERDUE = "overdue"
    WEEK = "week"
    NEVER = "never"


class Order(StrEnum):
    """What comes first."""

    DUE = "due"
    NEWEST = "newest"
    TOUCHED = "touched"


class JobsQuery(ListQuery):
    """Which jobs to list, in which order, from where on."""

    search: Annotated[
        str, Field(max_length=200, description="Words that all occur in number, customer, vehicle or complaint")
    ] = ""
    state: JobState | None = None
    purpose: Purpose | None = None
    due: Due | None = None
    vehicle_kind: VehicleKind | None = None
    who: Annotated[int, Field(ge=1, le=2**31 - 1)] | None = Field(None, description="Id of somebody who did something on it")
    shelf: Shelf = Shelf.BENCH
    order: Order = Order.DUE
    after: Annotated[str, Field(max_length=200)] = Field("", description="Where the page before ended, as it said")
    limit: Annotated[int, Field(ge=1, le=MOST_PAGE)] = PAGE


class JobsPage(Document):
    """A page of the list."""

    jobs: tuple[JobRow, ...]
    total: int = Field(description="How many there are on all pages")
    next: str = Field(description="Where the next page begins; empty: this is the last")


SORTINGS = {
    # Open before done, the soonest promised first, then the newest: as the index ix_jobs_due has them.
    Order.DUE: Sorting(
        "due",
        (
            literal_column("(jobs.state = 'done')", Boolean),
            literal_column("coalesce(jobs.promised, 'infinity'::date)", Date),
            literal_column("(-jobs.id)", Integer),
        ),
    ),
    Order.NEWEST: Sorting("newest", (literal_column("jobs.id", Integer),), falling=True),
    Order.TOUCHED: Sorting(
        "touched",
        (
            literal_column("job_summaries.touched_at", TIMESTAMP(timezone=True)),
            literal_column("job_summaries.job_id", Integer),
        ),
        falling=True,
    ),
}


def _filtered(query: Select[Any], criteria: JobsQuery, today: date) -> Select[Any]:
    """The query with all filters but the place in the list."""
    shelves = {
        Shelf.BENCH: text("jobs.archived_at IS NULL AND jobs.binned_at IS NULL"),
        Shelf.ARCHIVE: text("jobs.archived_at IS NOT NULL AND jobs.binned_at IS NULL"),
        Shelf.BASKET: text("jobs.binned_at IS NOT NULL"),
    }
    query = query.where(shelves[criteria.shelf])
    if criteria.state is not None:
        query = query.where(Job.state == criteria.state.value)
    if criteria.purpose is not None:
        query = query.where(Job.purposes.op("@>")(cast(literal(json.dumps([criteria.purpose.value])), JSONB)))
    if criteria.vehicle_kind is not None:
        query = query.where(Job.vehicle_id.in_(select(Vehicle.id).where(Vehicle.kind == criteria.vehicle_kind.value)))
    if criteria.who is not None:
        query = query.where(select(Change.id).where(Change.person_id == criteria.who, Change.job_id == Job.id).exists())
    if criteria.due is not None:
        open_only = Job.state != JobState.DONE.value
        query = {
            Due.OVERDUE: query.where(Job.promised < today, open_only),
            Due.WEEK: query.where(Job.promised.between(today, today + SOON), open_only),
            Due.NEVER: query.where(Job.promised.is_(None), open_only),
        }[criteria.due]
    if words := criteria.search.split()[:MOST_WORDS]:
        query = query.join(JobSummary, JobSummary.job_id == Job.id)
        for word in words:
            like = "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
            query = query.where(JobSummary.text.ilike(like))
    return query


def list_jobs(session: Session, criteria: JobsQuery | None = None, today: date | None = None) -> JobsPage:
    """One page of the jobs that are wanted, with how many there are.

    today: for what is due; left out, the server's day
    Raises InvalidError for a place in the list that no page ended at.
    """
    criteria, today = criteria or JobsQuery(), today or date.today()
    sorting = SORTINGS[criteria.order]
    matching = _filtered(select(Job.id), criteria, today)
    count = select(func.count()).select_from(matching.subquery())
    if criteria.order is Order.TOUCHED and not criteria.search.split():
        matching = matching.join(JobSummary, JobSummary.job_id == Job.id)
    ids, more = page_of(session, matching, sorting, criteria.after, criteria.limit)
    return JobsPage(jobs=tuple(_rows(session, [r[0] for r in ids])), total=session.scalar(count) or 0, next=more)


def ids_of(session: Session, criteria: JobsQuery, today: date | None = None) -> list[int]:
    """All jobs of a list, whatever its pages, in its order; today: as for `list_jobs`."""
    matching = _filtered(select(Job.id), criteria, today or date.today())
    if criteria.order is Order.TOUCHED and not criteria.search.split():
        matching = matching.join(JobSummary, JobSummary.job_id == Job.id)
    return list(session.scalars(SORTINGS[criteria.order].ordered(matching)))


def _rows(session: Session, ids: list[int]) -> Iterator[JobRow]:
    """What the list shows of jobs, in that order; one that cannot be read stands there as such and takes no other with it."""
    query = (
        select(
            Job.id, Job.number, Customer.name, Vehicle.description, Vehicle.kind, Vehicle.system_voltage_v, Job.complaint, Job.purposes,
            # As text: a date that no calendar has would take the whole page with it.
            cast(Job.promised, String), Job.state, JobSummary.made_by, JobSummary.progress, JobSummary.headline,
        )
        .join(Job.vehicle)
        .join(Vehicle.customer)
        .outerjoin(JobSummary, JobSummary.job_id == Job.id)
        .where(Job.id.in_(ids))
    )  # fmt: skip
    by_id = {r[0]: r for r in session.execute(query)}
    for job_id in ids:
        *_, made_by, standing, headline = row = by_id[job_id]
        job_id, number, customer, vehicle, kind, volts, complaint, purposes, promised, state = row[:10]
        plain = {
            "id": job_id, "number": number, "customer": customer, "vehicle": vehicle, "kind": kind, "system_voltage_v": volts,
            "complaint": complaint,
        }  # fmt: skip
        try:
            if made_by != MADE_BY:
                with session.begin_nested():
                    standing, headline = summarise(session, get_row(session, job_id), touched=False)
            yield JobRow.model_validate(
                {**plain, "purposes": purposes, "promised": promised, "state": state, "progress": standing, "headline": headline}
            )
        except (ValueError, DataError) as error:
            yield JobRow(
                **plain, purposes=(), promised=None, state=JobState.OPEN, progress=progress(JobFacts(frozenset())), headline=None,
                damaged=f"This job cannot be read: {error}"[:500],
            )  # fmt: skip


def open_jobs(session: Session) -> Iterator[JobRow]:
    """On the bench and not done."""
    after = ""
    while True:
        page = list_jobs(session, JobsQuery(after=after, limit=MOST_PAGE))
        for row in page.jobs:
            if row.state is JobState.DONE:
                return  # the done ones come last
            if not row.damaged:
                yield row
        if not page.next:
            return
        after = page.next

"""The schedule for calendar programs: as a file, under a secret address, and closed days out of one."""

from __future__ import annotations

import hashlib
import secrets
from datetime import UTC, datetime
from typing import Annotated

from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from mavrik.core.document import Document, Identifier, Label, Problem
from mavrik.core.scheduling.documents import Schedule
from mavrik.core.scheduling.view import schedule_view
from mavrik.domain.roles import Who
from mavrik.exchange.calendar_ics import (
    LARGEST,
    CalendarError,
    ClosedRead,
    MovesRead,
    closed_from_ics,
    moved_by_ics,
    schedule_to_ics,
)
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError, NotFoundError, TooManyError
from mavrik.jobs.lists import kept_list
from mavrik.jobs.planned import SCHEDULE
from mavrik.jobs.scheduling import preview_schedule, scene
from mavrik.store.models import CalendarFeed, Person

MOST_FEEDS = 10
"""Of one person."""


class FeedRequest(Document):
    """A feed that somebody wants."""

    label: Annotated[Label, Field(description="For what, so that it is known again")]
    worker: Identifier | None = Field(None, description="Whose work it shows; null: everybody's")


class Feed(Document):
    """A secret address under which the schedule is fetched."""

    id: int
    label: str
    worker: str | None
    created_at: str
    fetched_at: str | None


class Feeds(Document):
    """Those of one person."""

    feeds: tuple[Feed, ...]


class NewFeed(Document):
    """A feed with its address, which is shown this once."""

    feed: Feed
    path: str


def feeds_of(session: Session, who: Who) -> Feeds:
    """The feeds that somebody has; their addresses are kept nowhere."""
    rows = session.scalars(select(CalendarFeed).where(CalendarFeed.person_id == who.id).order_by(CalendarFeed.id))
    return Feeds(feeds=tuple(_feed(r) for r in rows))


def make_feed(session: Session, request: FeedRequest, who: Who) -> NewFeed:
    """A new address. Raises TooManyError where somebody has many already."""
    held = session.scalar(select(func.count()).where(CalendarFeed.person_id == who.id)) or 0
    if held >= MOST_FEEDS:
        raise TooManyError(f"You have {MOST_FEEDS} calendar addresses: revoke one first.")
    token = secrets.token_urlsafe(24)
    row = CalendarFeed(person_id=who.id, token_hash=_hash(token), label=request.label, worker=request.worker)
    session.add(row)
    session.flush()
    session.refresh(row)
    note_change(session, None, who, f"made a calendar address: {request.label}", kind="made", thing="calendar")
    return NewFeed(feed=_feed(row), path=f"/api/calendar/{token}.ics")


def revoke_feed(session: Session, feed_id: int, who: Who) -> Feeds:
    """Take an address back: from now on nothing is fetched under it. Raises NotFoundError, also for somebody else's."""
    row = session.get(CalendarFeed, feed_id)
    if row is None or row.person_id != who.id:
        raise NotFoundError("There is no such calendar address.")
    note_change(session, None, who, f"revoked a calendar address: {row.label}", kind="removed", thing="calendar")
    session.delete(row)
    session.flush()
    return feeds_of(session, who)


def feed_by_token(session: Session, token: str, name: str) -> bytes:
    """What is fetched under an address. Raises NotFoundError where it was revoked, never was, or its owner's account is closed."""
    row = session.scalar(
        select(CalendarFeed)
        .join(Person, Person.id == CalendarFeed.person_id)
        .where(CalendarFeed.token_hash == _hash(token), Person.active)
    )
    if row is None:
        raise NotFoundError("There is no such calendar.")
    row.fetched_at = datetime.now(UTC)
    return schedule_as_ics(session, name, row.worker)


def schedule_as_ics(session: Session, name: str, worker: str | None = None) -> bytes:
    """The schedule as it was kept last; worker: whose work only. Raises InvalidError where nobody ever works."""
    seen = scene(session)
    try:
        view = schedule_view(kept_list(session, SCHEDULE)[1], seen)
    except ValueError as error:
        raise InvalidError(str(error)) from error
    return schedule_to_ics(view, seen.workshop, name, datetime.now(UTC), worker)


def closed_of_ics(text: str) -> ClosedRead:
    """Closed days of a calendar, not kept yet. Raises InvalidError for what is none."""
    try:
        return closed_from_ics(text)
    except CalendarError as error:
        raise InvalidError(str(error), [Problem("workshop", "text", str(error))]) from error


class CalendarMoves(Document):
    """A calendar that was moved about in, and the schedule that it is read into."""

    text: Annotated[str, Field(min_length=1, max_length=LARGEST)]
    document: Schedule


def moves_of_ics(session: Session, given: CalendarMoves) -> MovesRead:
    """A schedule with what was moved in a calendar, not kept yet. Raises InvalidError for what is none, or a schedule that cannot be."""
    view = preview_schedule(session, given.document)
    try:
        return moved_by_ics(given.text, given.document, view)
    except CalendarError as error:
        raise InvalidError(str(error), [Problem("schedule", "text", str(error))]) from error


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _feed(row: CalendarFeed) -> Feed:
    return Feed(
        id=row.id, label=row.label, worker=row.worker, created_at=row.created_at.isoformat(),
        fetched_at=row.fetched_at.isoformat() if row.fetched_at else None,
    )  # fmt: skip

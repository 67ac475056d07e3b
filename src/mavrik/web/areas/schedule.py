"""The workshop's schedule: its means, where work was put, laying it out, and calendars."""

from __future__ import annotations

from typing import Annotated

from flask import Response, current_app
from pydantic import BaseModel, Field

from mavrik.core.document import Document
from mavrik.core.scheduling.documents import Schedule
from mavrik.core.scheduling.view import Proposed, ScheduleView
from mavrik.core.scheduling.workshop import Workshop
from mavrik.domain.roles import Permission
from mavrik.exchange.calendar_ics import LARGEST, ClosedRead, MovesRead
from mavrik.jobs import calendar, scheduling
from mavrik.jobs.tasks import TaskRecord
from mavrik.web.access import PUBLIC, me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.repeat import creates
from mavrik.web.shared import SAVE_ERRORS, Revision, tag

api = Area("schedule", __name__)
TAGS = tag("schedule")


class WorkshopSave(Document):
    """The workshop's means, as edited from a revision."""

    document: Workshop
    revision: Revision


class ScheduleSave(Document):
    """The schedule, as edited from a revision."""

    document: Schedule
    revision: Revision


class CalendarText(Document):
    """An iCalendar file."""

    text: Annotated[str, Field(min_length=1, max_length=LARGEST)]


class FeedPath(BaseModel):
    """Names a calendar address."""

    feed_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class TokenPath(BaseModel):
    """What a calendar address carries."""

    token: Annotated[str, Field(min_length=1, max_length=100)]


class LayoutPath(BaseModel):
    """Names the task that laid the work out."""

    task_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


@api.get("/workshop", summary="Bays, people and hours", tags=TAGS, responses={"200": scheduling.WorkshopRecord, **SAVE_ERRORS})
@needs(Permission.READ)
def get_workshop() -> Response:
    """As they were kept last; invented ones to begin with."""
    return answer(scheduling.workshop(session()))


@api.put(
    "/workshop", summary="Keep bays, people and hours", tags=TAGS, responses={"200": scheduling.WorkshopRecord, **SAVE_ERRORS}
)
@needs(Permission.KEEP_LISTS)
def put_workshop(body: WorkshopSave) -> Response:
    """All of them. Refused with 409 when somebody else saved in between."""
    return answer(scheduling.keep_workshop(session(), body.document, body.revision, me()))


@api.post("/workshop/closed/read", summary="Read closed days", tags=TAGS, responses={"200": ClosedRead, **SAVE_ERRORS})
@needs(Permission.READ)
@heavy
def post_closed_text(body: CalendarText) -> Response:
    """Of an iCalendar file, such as a country's holidays, without keeping them."""
    return answer(calendar.closed_of_ics(body.text))


@api.get("/schedule", summary="The schedule", tags=TAGS, responses={"200": scheduling.ScheduleRecord, **SAVE_ERRORS})
@needs(Permission.READ)
@heavy
def get_schedule() -> Response:
    """As it was kept last, and what it comes to now: from what is left of every open job."""
    return answer(scheduling.schedule(session()))


@api.post("/schedule/preview", summary="What a schedule comes to", tags=TAGS, responses={"200": ScheduleView, **SAVE_ERRORS})
@needs(Permission.READ)
@heavy
def post_schedule_preview(body: Schedule) -> Response:
    """Nothing is kept."""
    return answer(scheduling.preview_schedule(session(), body))


@api.post("/schedule/place", summary="Find a place for a job", tags=TAGS, responses={"200": Schedule, **SAVE_ERRORS})
@needs(Permission.READ)
@heavy
def post_place(body: scheduling.PlaceRequest) -> Response:
    """The first that is free, with nothing else moved; nothing is kept."""
    return answer(scheduling.find_place(session(), body))


@api.put("/schedule", summary="Keep the schedule", tags=TAGS, responses={"200": scheduling.ScheduleRecord, **SAVE_ERRORS})
@needs(Permission.WORK)
@heavy
def put_schedule(body: ScheduleSave) -> Response:
    """With whatever cannot be of it: it says so. Refused with 409 when somebody else saved in between."""
    return answer(scheduling.keep_schedule(session(), body.document, body.revision, me()))


@api.post("/schedule/layouts", summary="Lay the work out anew", tags=TAGS, responses={"201": TaskRecord, **SAVE_ERRORS})
@needs(Permission.WORK)
@creates
def post_layout(body: Schedule) -> Response:
    """A task; what comes of it is a proposal, and nothing is kept."""
    return answer(scheduling.ask_to_lay_out(session(), body, me()), 201)


@api.get(
    "/schedule/layouts/<int:task_id>",
    summary="A layout that was worked out",
    tags=TAGS,
    responses={"200": Proposed, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_layout(path: LayoutPath) -> Response:
    """With what it moves, and why. 404 until its task is done."""
    return answer(scheduling.layout_of(session(), path.task_id, me()))


@api.post(
    "/schedule/moves/read",
    summary="Read a calendar that was moved about in",
    tags=TAGS,
    responses={"200": MovesRead, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def post_moves_text(body: calendar.CalendarMoves) -> Response:
    """A schedule with its work where an iCalendar file of it has it now; nothing is kept."""
    return answer(calendar.moves_of_ics(session(), body))


@api.get("/schedule.ics", summary="The schedule as a calendar", tags=TAGS)
@needs(Permission.READ)
@heavy
def get_schedule_ics() -> Response:
    """As it was kept last, as iCalendar."""
    return _calendar(calendar.schedule_as_ics(session(), current_app.config["MAVRIK"].workshop))


@api.get("/calendar-feeds", summary="One's calendar addresses", tags=TAGS, responses={"200": calendar.Feeds, **SAVE_ERRORS})
@needs(Permission.READ)
def get_feeds() -> Response:
    """What they are for, and when they were fetched last; the addresses themselves are kept nowhere."""
    return answer(calendar.feeds_of(session(), me()))


@api.post("/calendar-feeds", summary="Make a calendar address", tags=TAGS, responses={"201": calendar.NewFeed, **SAVE_ERRORS})
@needs(Permission.READ)
def post_feed(body: calendar.FeedRequest) -> Response:
    """Whoever knows it reads the schedule without signing in, until it is revoked. It is shown this once."""
    return answer(calendar.make_feed(session(), body, me()), 201)


@api.delete(
    "/calendar-feeds/<int:feed_id>",
    summary="Revoke a calendar address",
    tags=TAGS,
    responses={"200": calendar.Feeds, **SAVE_ERRORS},
)
@needs(Permission.READ)
def delete_feed(path: FeedPath) -> Response:
    """One of one's own; at once."""
    return answer(calendar.revoke_feed(session(), path.feed_id, me()))


@api.get("/calendar/<string:token>.ics", summary="A calendar by its secret address", tags=TAGS)
@needs(PUBLIC)
@heavy
def get_calendar(path: TokenPath) -> Response:
    """For calendar programs, which cannot sign in."""
    return _calendar(calendar.feed_by_token(session(), path.token, current_app.config["MAVRIK"].workshop))


def _calendar(data: bytes) -> Response:
    made = Response(data, mimetype="text/calendar")
    made.headers["Content-Disposition"] = 'attachment; filename="schedule.ics"'
    return made

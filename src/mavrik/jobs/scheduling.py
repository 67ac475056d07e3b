"""The workshop's schedule: what every open job asks of bays and people, where it was put, and laying it out anew."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy.orm import Session

from mavrik.core.document import Document
from mavrik.core.scheduling.documents import JobId, Schedule, check_schedule
from mavrik.core.scheduling.hours import NeverOpenError
from mavrik.core.scheduling.planner import SearchProgress
from mavrik.core.scheduling.view import Proposed, Scene, ScheduleView, propose, schedule_view, tidied, with_place
from mavrik.core.scheduling.workshop import Workshop
from mavrik.domain.roles import Who
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.lists import keep_list, kept_list
from mavrik.jobs.planned import SCHEDULE, WORKSHOP
from mavrik.jobs.tasks import Stopped, TaskRecord, Work, ask_for, file_of, record_of
from mavrik.jobs.work_left import scene_of

LAID_OUT = "schedule.json"
"""Name of the file that a layout is fetched as."""


class WorkshopRecord(Document):
    """The workshop's means."""

    revision: int
    """0 where nothing was kept yet: invented ones to begin with."""
    document: Workshop


class ScheduleRecord(Document):
    """The schedule as it was kept last, and what it comes to now."""

    revision: int
    document: Schedule
    view: ScheduleView
    workshop: Workshop


class PlaceRequest(Document):
    """A job that a place is wanted for."""

    document: Schedule
    job_id: JobId


class LayOut(Document):
    """A schedule to be laid out anew."""

    document: Schedule


def workshop(session: Session) -> WorkshopRecord:
    """Bays, people, hours, as they were kept last."""
    revision, document = kept_list(session, WORKSHOP)
    return WorkshopRecord(revision=revision, document=document)


def keep_workshop(session: Session, given: Workshop, revision: int, who: Who) -> WorkshopRecord:
    """Keep them, edited from a revision. Raises ConflictError where somebody else saved in between."""
    return WorkshopRecord(revision=keep_list(session, WORKSHOP, given, revision, who), document=given)


def schedule(session: Session) -> ScheduleRecord:
    """The schedule as it was kept last."""
    revision, document = kept_list(session, SCHEDULE)
    return _record(session, revision, document)


def preview_schedule(session: Session, given: Schedule) -> ScheduleView:
    """What a schedule comes to, without keeping it. Raises InvalidError, at the job, for one that cannot be."""
    _check(given)
    return _seen(given, scene(session))


def find_place(session: Session, request: PlaceRequest) -> Schedule:
    """A schedule with the first place that is free for a job, without keeping it. Raises InvalidError as `preview_schedule`."""
    _check(request.document)
    try:
        return with_place(request.document, scene(session), request.job_id)
    except NeverOpenError as error:
        raise InvalidError(str(error)) from error


def keep_schedule(session: Session, given: Schedule, revision: int, who: Who) -> ScheduleRecord:
    """Keep a schedule, edited from a revision, with whatever cannot be of it: people know what a plan does not.

    What is long over is forgotten.
    Raises InvalidError as `preview_schedule`, ConflictError where somebody else saved in between.
    """
    _check(given)
    kept = tidied(given, scene(session))
    return _record(session, keep_list(session, SCHEDULE, kept, revision, who), kept)


def ask_to_lay_out(session: Session, given: Schedule, who: Who) -> TaskRecord:
    """Have it laid out anew; what comes of it is a proposal in a file, and nothing is kept. Raises InvalidError as `preview_schedule`."""
    _check(given)
    return record_of(ask_for(session, "lay_out", LayOut(document=given), "Lay out the work", who))


def laid_out(work: Work, request: LayOut) -> Proposed:
    """The layout that a task was asked for. Raises InvalidError where there is none."""
    with work.session() as session:
        seen = scene(session)

    def watch(progress: SearchProgress) -> bool:
        try:
            work.progress(progress.share, f"Weighs {progress.cost:.0f}; no layout weighs less than {max(progress.bound, 0):.0f}")
        except Stopped:
            return False
        return True

    work.progress(0.0, "Looking for the best layout")
    try:
        return propose(request.document, seen, watch)
    except ValueError as error:
        raise InvalidError(str(error)) from error


def _check(given: Schedule) -> None:
    if problems := check_schedule(given):
        raise InvalidError(problems[0].message, problems)


def _record(session: Session, revision: int, document: Schedule) -> ScheduleRecord:
    seen = scene(session)
    return ScheduleRecord(revision=revision, document=document, view=_seen(document, seen), workshop=seen.workshop)


def _seen(document: Schedule, by: Scene) -> ScheduleView:
    try:
        return schedule_view(document, by)
    except NeverOpenError as error:
        raise InvalidError(str(error)) from error


def scene(session: Session, now: datetime | None = None) -> Scene:
    """What a schedule is looked at with. now: on the workshop's clock; left out, that of this machine."""
    return scene_of(session, workshop(session).document, now or datetime.now())


def layout_of(session: Session, task_id: int, who: Who) -> Proposed:
    """What a task has laid out. Raises NotFoundError where it is none of theirs, not done, or too long ago."""
    file = file_of(session, task_id, who)
    if file.name != LAID_OUT:
        raise NotFoundError("That task laid nothing out.")
    return Proposed.model_validate_json(file.data)

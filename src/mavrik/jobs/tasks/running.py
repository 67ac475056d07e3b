"""Doing a task: begun once by one worker, ended in a way that is kept."""

from __future__ import annotations

import contextlib
import logging
from functools import lru_cache
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func
from sqlalchemy.exc import OperationalError

from mavrik.core.measuring.waveform import WaveformError
from mavrik.core.registry import parts_of
from mavrik.domain.roles import Role, Who
from mavrik.exchange.captures import CaptureError
from mavrik.exchange.photos import PhotoError
from mavrik.instruments.base import LinkError
from mavrik.jobs.errors import JobError
from mavrik.jobs.tasks.base import Stopped, TaskKind, Work, locked
from mavrik.store.database import Database
from mavrik.store.models import Task

log = logging.getLogger(__name__)

MOST_TRIES = 3
IN_WORDS = (JobError, CaptureError, PhotoError, WaveformError, LinkError)
"""What says itself what is wrong."""

NO_WORDS = "It could not be done; the server's log says why."
DIED = "The server was stopped while this was done."


@lru_cache(maxsize=1)
def _kinds() -> dict[str, TaskKind[Any]]:
    return {k.name: k for k in parts_of("mavrik.jobs.tasks.kinds", TaskKind, lambda k: k.name)}


def kind_of(row: Task) -> TaskKind[Any]:
    """What a task is. Raises KeyError for one that this program does not know."""
    return _kinds()[row.kind]


def run_task(database: Database, task_id: int) -> None:
    """Do a task that is waiting, or that a worker died doing; another's is left alone.

    Raises OperationalError where the database is away: it is to be tried again.
    """
    begun = _begin(database, task_id)
    if begun is not None:
        kind, work, request = begun
        try:
            kind.run(work, request)
        except Stopped:
            log.info("task %d was stopped", task_id)
        except IN_WORDS as error:
            _fail(database, task_id, work, str(error))
        except OperationalError:
            raise
        except Exception:
            log.exception("task %d", task_id)
            _fail(database, task_id, work, NO_WORDS)
    with database.session() as session:
        row = session.get(Task, task_id)
        if row is None and begun is not None:
            # Its job was deleted meanwhile.
            kind.cleared(request)
        elif row is not None and row.ended_at is not None:
            clear(row)


def clear(row: Task) -> None:
    """Delete what a task that has ended left on the disk."""
    with contextlib.suppress(KeyError, ValidationError):
        kind = kind_of(row)
        kind.cleared(kind.request.model_validate(row.request))


def _begin(database: Database, task_id: int) -> tuple[TaskKind[Any], Work, Any] | None:
    with database.session() as session:
        row = session.scalar(locked(task_id))
        if row is None or row.ended_at is not None:
            return None
        try:
            kind = kind_of(row)
            request = kind.request.model_validate(row.request)
        except (KeyError, ValidationError):
            _end(row, "It was asked for by another version of this program. Ask for it again.")
            return None
        if row.state == "running" and (not kind.survives or row.tries >= MOST_TRIES):
            why = DIED if not kind.survives else f"{DIED} It was begun {row.tries} times."
            _end(row, why)
            kind.failed(session, request, why)
            return None
        row.state, row.tries, row.progress, row.step = "running", row.tries + 1, 0.0, ""
        who = Who(row.person.id, row.person.login, row.person.name, Role(row.person.role))
        return kind, Work(database, row, who), request


def _end(row: Task, why: str) -> None:
    row.state, row.problem, row.ended_at = "failed", why, func.now()


def _fail(database: Database, task_id: int, work: Work, why: str) -> None:
    with database.session() as session:
        row = session.scalar(locked(task_id))
        if row is None or not work.is_mine(row):
            return
        _end(row, why)
        kind = kind_of(row)
        kind.failed(session, kind.request.model_validate(row.request), why)

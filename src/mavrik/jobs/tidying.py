"""What is done from time to time, and whenever the server starts."""

from __future__ import annotations

import logging
from datetime import timedelta

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from mavrik.jobs import scratch
from mavrik.jobs.people import WINDOW
from mavrik.jobs.photos import drop_unused
from mavrik.jobs.repeating import KEPT_FOR
from mavrik.jobs.shelving import empty_basket
from mavrik.store.models import KeptAnswer, SignIn, SignInFailure, Task, TaskFile

log = logging.getLogger(__name__)

FILES_KEPT = timedelta(days=1)
"""What a task made for somebody is fetched soon; it can be made again."""

TASKS_KEPT = timedelta(days=30)

SIGN_INS_KEPT = timedelta(days=180)
"""Where somebody came from before counts when a login is guessed at."""


def tidy(session: Session) -> dict[str, int]:
    """Empty the waste basket of what is due, delete files that nobody fetched, photos that nothing refers to and what has had its time; returns counts."""
    ended = select(Task.id).where(Task.ended_at < func.now() - FILES_KEPT)
    files = session.execute(delete(TaskFile).where(TaskFile.task_id.in_(ended))).rowcount  # type: ignore[attr-defined]
    session.execute(delete(Task).where(Task.ended_at < func.now() - TASKS_KEPT))
    session.execute(delete(KeptAnswer).where(KeptAnswer.at < func.now() - KEPT_FOR))
    session.execute(delete(SignInFailure).where(SignInFailure.at < func.now() - WINDOW))
    session.execute(delete(SignIn).where(SignIn.begun_at < func.now() - SIGN_INS_KEPT))
    session.flush()
    done = {"jobs": len(empty_basket(session)), "photos": drop_unused(session), "files": files + scratch.sweep()}
    log.info("tidied", extra={"event": done})
    return done

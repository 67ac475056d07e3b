"""What is done from time to time, and whenever the server starts."""

from __future__ import annotations

import logging
from datetime import timedelta

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from mavrik.jobs.captures import scratch
from mavrik.jobs.people import WINDOW
from mavrik.jobs.repeating import KEPT_FOR
from mavrik.jobs.shelving import empty_basket
from mavrik.store.models import Capture, KeptAnswer, SignIn, SignInFailure

log = logging.getLogger(__name__)

QUIET = timedelta(minutes=10)
"""A capture that is read says how far it is several times a second."""

SIGN_INS_KEPT = timedelta(days=180)
"""Where somebody came from before counts when a login is guessed at."""


def tidy(session: Session) -> dict[str, int]:
    """Empty the waste basket of what is due, give up on captures whose reader died, delete what has had its time; returns counts."""
    given_up = 0
    for row in session.scalars(
        select(Capture)
        .where(Capture.state == "reading", Capture.touched_at < func.now() - QUIET)
        .with_for_update(skip_locked=True)
    ):
        row.state = "failed"
        row.document = {**row.document, "problem": "The server stopped while this was read. Load it again."}
        given_up += 1
    session.execute(delete(KeptAnswer).where(KeptAnswer.at < func.now() - KEPT_FOR))
    session.execute(delete(SignInFailure).where(SignInFailure.at < func.now() - WINDOW))
    session.execute(delete(SignIn).where(SignIn.begun_at < func.now() - SIGN_INS_KEPT))
    session.flush()
    done = {"jobs": len(empty_basket(session)), "captures": given_up, "files": scratch.sweep()}
    log.info("tidied", extra={"event": done})
    return done

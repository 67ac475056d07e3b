"""What an earlier program kept, brought to what this one keeps where that takes more than the tables: done once, at the start."""

from __future__ import annotations

import logging

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Run
from mavrik.core.procedures import complete_run
from mavrik.store import models
from mavrik.store.traces import rewriting

log = logging.getLogger(__name__)

INCOMPLETE = "$.readings[*] ? (!exists(@.uncertainty) || @.uncertainty == null)"


def complete_old_runs(session: Session) -> int:
    """Let every reading say of itself what it is of, with the circuit and the meters of its run; returns how many runs it changed.

    A run of before was kept with point and value alone; what it was of stood in the program, which does not stay the same.
    """
    rows = session.scalars(
        select(models.Run).where(models.Run.document.path_exists(INCOMPLETE)).options(joinedload(models.Run.circuit))
    ).all()
    changed = 0
    for row in rows:
        try:
            run = complete_run(Circuit.model_validate(row.circuit.document), Run.model_validate(row.document))
        except (ValidationError, ValueError, KeyError):
            # One that cannot be read is shown as damaged where it is opened; it keeps no other from being used.
            log.exception("run %s of job %s", row.id, row.job_id)
            continue
        document = run.model_dump(mode="json")
        if document != row.document:
            with rewriting(session):
                row.document = document
            changed += 1
    return changed

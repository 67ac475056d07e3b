"""Whether a job has room for one more: nothing is taken in that could not go out again."""

from __future__ import annotations

import json
from typing import Any, TypeAlias

from sqlalchemy import String, cast, func, select
from sqlalchemy.orm import Session

from mavrik.domain.limits import MOST_CIRCUITS, MOST_DOCUMENTS, MOST_JOB_CHARACTERS, MOST_RUNS
from mavrik.jobs.errors import InvalidError
from mavrik.store.models import CircuitVersion, JobDocument, Run

Kept: TypeAlias = type[CircuitVersion] | type[Run] | type[JobDocument]
KEPT: dict[Kept, tuple[int, str]] = {
    CircuitVersion: (MOST_CIRCUITS, "revisions of its circuit"),
    Run: (MOST_RUNS, "runs"),
    JobDocument: (MOST_DOCUMENTS, "plans"),
}


def check_room(session: Session, job_id: int, kind: Kept, document: dict[str, Any]) -> None:
    """Raise InvalidError where a job holds as much as can be printed and sent as one file.

    kind: of what is to be kept; document: that
    """
    size = len(json.dumps(document))
    for table, (most, words) in KEPT.items():
        count, characters = session.execute(
            select(func.count(), func.coalesce(func.sum(func.length(cast(table.document, String))), 0)).where(
                table.job_id == job_id
            )
        ).one()
        size += characters
        if table is kind and count >= most:
            raise InvalidError(f"This job has {count} {words}, the most that go into one file. Go on in a new job.")
    if size > MOST_JOB_CHARACTERS:
        raise InvalidError(
            f"This job is full: circuits, runs and plans take {size / 1e6:.1f} MB of the {MOST_JOB_CHARACTERS / 1e6:.0f} MB that can be "
            "printed and sent as one file. Go on in a new job."
        )

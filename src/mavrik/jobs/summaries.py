"""What changes with a job: it is judged anew, and what the list shows of it is kept with it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from pydantic import TypeAdapter
from sqlalchemy import func
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.findings import Findings
from mavrik.core.findings.documents import Headline
from mavrik.core.workflow.progress import Progress, progress
from mavrik.core.workflow.stages import JobFacts
from mavrik.domain.job import CircuitRole, DocumentKind, JobState
from mavrik.jobs.finding import REASONING, being_judged, details_of, findings_of, judge_and_keep, latest
from mavrik.jobs.proving import disconnect_proven
from mavrik.jobs.workbook import build_steps
from mavrik.store.models import Job, JobSummary

SHAPE = 6
"""Version of what is kept for the list."""

MADE_BY = f"{REASONING}.{SHAPE}"
_HEADLINE = TypeAdapter(Headline)
WAITING = "jobs that wait to be judged"


@contextmanager
def judged_once(session: Session) -> Iterator[None]:
    """Inside, jobs are judged once, at the end, however much is saved of them."""
    waiting: dict[int, Job] = {}
    session.info[WAITING] = waiting
    try:
        yield
    finally:
        del session.info[WAITING]
    for row in waiting.values():
        job_changed(session, row)


def job_changed(session: Session, row: Job) -> None:
    """What was saved of a job changes what is found of it: judge it anew, now or at the end of `judged_once`."""
    if WAITING in session.info:
        session.info[WAITING][row.id] = row
        return
    judge_and_keep(session, row)
    summarise(session, row)


def progress_of(row: Job, findings: Findings | None, judging: bool = False) -> Progress:
    """How far a job is.

    findings: what was found of it; judging: whether that is being worked out
    """
    version = latest(row.circuits, CircuitRole.AS_FOUND)
    details = details_of(row)
    facts = JobFacts(
        purposes=frozenset(details.purposes),
        circuit=Circuit.model_validate(version.document) if version else None,
        findings=findings,
        being_judged=judging,
        loads_to_add=bool(details.loads_to_add),
        plans=sum(d.kind == DocumentKind.PLAN.value for d in row.documents),
        disconnects=sum(d.kind == DocumentKind.ISOLATION.value for d in row.documents),
        disconnect_proven=disconnect_proven(row),
        build_steps=build_steps(row),
        handed_over=details.state is JobState.DONE,
    )
    return progress(facts, details.added_stages)


def summarise(session: Session, row: Job, touched: bool = True) -> tuple[Progress, Headline | None]:
    """Keep what the list shows of a job, from what is found of it.

    touched: whether somebody changed the job just now
    """
    findings = findings_of(session, row)
    judging = findings is None and being_judged(session, row)
    standing, headline = progress_of(row, findings, judging), findings.headline if findings else None
    kept = {
        "made_by": MADE_BY,
        "progress": standing.model_dump(mode="json"),
        "headline": _HEADLINE.dump_python(headline, mode="json") if headline else None,
        "text": "\n".join((row.number, row.vehicle.customer.name, row.vehicle.description, row.complaint)),
    }
    # Two who list a job at one moment may both make it.
    statement = insert(JobSummary).values(job_id=row.id, **kept)
    session.execute(
        statement.on_conflict_do_update(
            index_elements=[JobSummary.job_id], set_={**kept, **({"touched_at": func.now()} if touched else {})}
        )
    )
    return standing, headline

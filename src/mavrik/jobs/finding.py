"""What is found of a job: judged once, kept, and served to every view."""

from __future__ import annotations

from dataclasses import dataclass
from hashlib import sha256
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.document import Document, Problem
from mavrik.core.drawing.pictures import Pictures, draw
from mavrik.core.effort import TooMuchWorkError, allowed
from mavrik.core.findings import Findings, judge
from mavrik.core.measuring.readings import Run
from mavrik.core.network import NoOperatingPointError
from mavrik.core.procedures import Limits, check_run, complete_run
from mavrik.domain.job import CircuitRole, DocumentKind, JobDetails
from mavrik.jobs.errors import InvalidError, NotFoundError, QueuedError
from mavrik.jobs.records import run_of, superseded_ids
from mavrik.jobs.tasks import put_into_queue
from mavrik.store.models import CircuitVersion, Job, JobFindings, Person, Task
from mavrik.store.models import Run as RunRow

REASONING = 36
"""Version of what the core makes of readings; kept findings of another one are made anew."""


AT_ONCE_WORK = 5_000_000.0
"""So much of judging is done while somebody waits, counted as `mavrik.core.effort` does: three or four seconds of one processor. Every
test of the catalogue, read in full on any of the ready layouts, is within."""

JUDGE = "judge"
"""The kind of task that judges what takes more."""

CANNOT_BE: dict[str, Any] = {}
"""Kept of a circuit without an operating point."""

BEING_JUDGED = "What these readings add up to is being worked out: so large a circuit takes a moment. All that was read is kept."


class JudgeRequest(Document):
    """Which job is judged in the queue."""

    job_id: int


class FindingsView(Document):
    """What is found of a circuit, with its pictures."""

    findings: Findings
    pictures: Pictures


def latest(circuits: list[CircuitVersion], role: CircuitRole) -> CircuitVersion | None:
    """The highest revision of a role."""
    versions = [c for c in circuits if c.role == role.value]
    return max(versions, key=lambda c: c.revision) if versions else None


def limits_of(details: JobDetails) -> Limits:
    """What the readings of a job are held against."""
    return Limits(details.limit_profile, details.maker_limits)


def details_of(row: Job) -> JobDetails:
    """What was entered of a job."""
    return JobDetails.model_validate(
        {
            "complaint": row.complaint,
            "purposes": row.purposes or ["find_fault"],
            "added_stages": row.added_stages,
            "loads_to_add": row.loads_to_add,
            "promised": row.promised,
            "state": row.state,
            "limit_profile": row.limit_profile,
            "maker_limits": row.maker_limits,
        }
    )


def runs_on(row: Job, role: CircuitRole) -> tuple[list[RunRow], list[int]]:
    """The runs of a job on any revision of a role, the oldest first, and the places of those that were corrected."""
    ids = {c.id for c in row.circuits if c.role == role.value}
    runs = [r for r in row.runs if r.circuit_id in ids]
    gone = superseded_ids(row.runs)
    return runs, [k for k, r in enumerate(runs) if r.id in gone]


@dataclass(frozen=True)
class ToJudge:
    """What there is to judge of a job, so that no transaction is open while that is done."""

    circuit: Circuit
    runs: tuple[Run, ...]
    superseded: tuple[int, ...]
    details: JobDetails
    wants: str

    @property
    def content_hash(self) -> str:
        """The same for all that is judged alike, whatever job it is of."""
        limits = self.details.model_dump_json(include={"limit_profile", "maker_limits"})
        readings = [run.model_dump_json() for run in self.runs]
        return sha256(repr((self.circuit.model_dump_json(), readings, self.superseded, limits, self.wants)).encode()).hexdigest()

    def judged(self, ahead: bool = True) -> Findings:
        """What is found of it.

        ahead: whether to look which reading would tell most next
        Raises InvalidError for a circuit that cannot be, or has no operating point.
        """
        try:
            return judge(self.circuit, self.runs, limits_of(self.details), self.wants, self.superseded, ahead)
        except CircuitError as error:
            raise InvalidError(str(error), error.problems) from error
        except NoOperatingPointError as error:
            raise InvalidError(str(error), [Problem(i, "current_a", str(error)) for i in error.ids]) from error


def to_judge(row: Job, role: CircuitRole = CircuitRole.AS_FOUND) -> ToJudge:
    """The latest circuit of a role with all runs on it. Raises NotFoundError without one."""
    version = latest(row.circuits, role)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    runs, superseded = runs_on(row, role)
    details, circuit = details_of(row), Circuit.model_validate(version.document)
    return ToJudge(circuit, tuple(run_of(r) for r in runs), tuple(superseded), details, wants_of(row))


def is_planned(row: Job) -> bool:
    """Whether a job's latest proposal has a plan."""
    version = latest(row.circuits, CircuitRole.PROPOSAL)
    return version is not None and any(d.kind == DocumentKind.PLAN.value and d.circuit_id == version.id for d in row.documents)


def wants_of(row: Job) -> str:
    """What a job is for besides a fault; see `JobDetails.wants`."""
    return details_of(row).wants(is_planned(row))


def judge_and_keep(session: Session, row: Job) -> Findings | None:
    """Judge a job, unless the very same was judged before, and keep what is found.

    None where there is nothing to judge, no operating point, or so much to be worked out that it is done in the queue.
    """
    try:
        of = to_judge(row)
    except NotFoundError:
        forget_findings(session, row)
        return None
    try:
        findings = _judged_before(session, of)
    except LookupError:
        try:
            if being_judged(session, row):
                raise TooMuchWorkError
            with allowed(AT_ONCE_WORK):
                findings = of.judged()
        except InvalidError:
            findings = None
        except TooMuchWorkError:
            judge_later(session, row)
            return None
    keep_findings(session, row, of, findings)
    return findings


def _judged_before(session: Session, of: ToJudge) -> Findings | None:
    """What was found of the same circuit with the same readings, in this job or another; raises LookupError where it was not."""
    same = (JobFindings.version == REASONING) & (JobFindings.content_hash == of.content_hash)
    kept = session.scalars(select(JobFindings).where(same).limit(1)).first()
    if kept is None:
        raise LookupError
    try:
        return _read(kept.document)
    except ValidationError as error:
        raise LookupError from error


def _read(document: dict[str, Any]) -> Findings | None:
    return None if document == CANNOT_BE else Findings.model_validate(document)


def judge_later(session: Session, row: Job) -> None:
    """Have a job judged in the queue; what was found before holds no longer."""
    forget_findings(session, row)
    if not being_judged(session, row):
        whose = row.created_by_id or session.scalars(select(func.min(Person.id))).one()
        put_into_queue(session, JUDGE, JudgeRequest(job_id=row.id), f"what the readings of {row.number} say", whose, row.id)


def being_judged(session: Session, row: Job) -> bool:
    """Whether a job waits to be judged in the queue, or is at it."""
    waits = select(Task.id).where(Task.job_id == row.id, Task.kind == JUDGE, Task.ended_at.is_(None))
    return session.scalars(waits.limit(1)).first() is not None


def forget_findings(session: Session, row: Job) -> None:
    """What was found of a job holds no longer."""
    if (kept := session.get(JobFindings, row.id)) is not None:
        session.delete(kept)
        session.flush()


def keep_findings(session: Session, row: Job, of: ToJudge | None, findings: Findings | None) -> None:
    """Keep what was found of a job; None: that nothing can be.

    of: what was judged
    """
    kept = session.get(JobFindings, row.id) or JobFindings(job_id=row.id)
    kept.version, kept.content_hash = REASONING, of.content_hash if of is not None else None
    kept.document = CANNOT_BE if findings is None else findings.model_dump(mode="json")
    session.add(kept)
    session.flush()


def findings_of(session: Session, row: Job) -> Findings | None:
    """What was found of a job as found, kept or made now; None where there is nothing to judge."""
    kept = session.get(JobFindings, row.id)
    if kept is not None and kept.version == REASONING:
        try:
            return _read(kept.document)
        except ValidationError:
            # Kept by a program whose document was another: it says nothing that cannot be found again.
            pass
    if latest(row.circuits, CircuitRole.AS_FOUND) is None:
        return None
    return judge_and_keep(session, row)


def ready_findings(session: Session, row: Job) -> Findings | None:
    """The same for who needs them now. Raises QueuedError while they are worked out in the queue."""
    findings = findings_of(session, row)
    if findings is None and being_judged(session, row):
        raise QueuedError(BEING_JUDGED)
    return findings


def findings_view_of(session: Session, row: Job, role: CircuitRole = CircuitRole.AS_FOUND) -> FindingsView:
    """What was found of a job, with its pictures.

    Raises NotFoundError without a circuit, InvalidError without an operating point, QueuedError while it is worked out in the queue,
    TooMuchWorkError for another circuit than the one as found that takes as long.
    """
    version = latest(row.circuits, role)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    findings = ready_findings(session, row) if role is CircuitRole.AS_FOUND else None
    if findings is None:
        with allowed(AT_ONCE_WORK):
            findings = to_judge(row, role).judged()
    return FindingsView(findings=findings, pictures=draw(Circuit.model_validate(version.document), findings))


def find_draft(
    circuit: Circuit, run: Run | None, earlier: list[Run], superseded: list[int], details: JobDetails, wants: str
) -> FindingsView:
    """Judge a circuit and a run that need not be saved, with the runs that are.

    wants: as `wants_of`

    Raises InvalidError for a circuit or a run that cannot be, TooMuchWorkError for one that takes too long while somebody waits.
    """
    problems = check_circuit(circuit)
    runs = list(earlier)
    if not problems and run is not None:
        try:
            problems = check_run(circuit, run)
        except ValueError as error:
            problems = [Problem("procedure", "procedure", str(error))]
        if not problems:
            runs.append(complete_run(circuit, run))
    if problems:
        raise InvalidError(problems[0].message, problems)
    with allowed(AT_ONCE_WORK):
        findings = ToJudge(circuit, tuple(runs), tuple(superseded), details, wants).judged(ahead=False)
    return FindingsView(findings=findings, pictures=draw(circuit, findings))

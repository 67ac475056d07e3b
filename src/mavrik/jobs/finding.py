"""What is found of a job: judged once, kept, and served to every view."""

from __future__ import annotations

from pydantic import ValidationError
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.document import Document, Problem
from mavrik.core.drawing.pictures import Pictures, draw
from mavrik.core.findings import Findings, judge
from mavrik.core.measuring.readings import Run
from mavrik.core.network import NoOperatingPointError
from mavrik.core.procedures import Limits, check_run, complete_run
from mavrik.domain.job import CircuitRole, JobDetails
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.records import run_of, superseded_ids
from mavrik.store.models import CircuitVersion, Job, JobFindings
from mavrik.store.models import Run as RunRow

REASONING = 13
"""Version of what the core makes of readings; kept findings of another one are made anew."""


class Found(Document):
    """What is found of a circuit, with its pictures."""

    findings: Findings
    pictures: Pictures


def latest(circuits: list[CircuitVersion], role: CircuitRole) -> CircuitVersion | None:
    """The highest revision of a role."""
    found = [c for c in circuits if c.role == role.value]
    return max(found, key=lambda c: c.revision) if found else None


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
    found = [r for r in row.runs if r.circuit_id in ids]
    gone = superseded_ids(row.runs)
    return found, [k for k, r in enumerate(found) if r.id in gone]


def _judged(circuit: Circuit, runs: list[Run], details: JobDetails, superseded: list[int], ahead: bool = True) -> Findings:
    try:
        return judge(circuit, runs, limits_of(details), details.wants, superseded, ahead)
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    except NoOperatingPointError as error:
        raise InvalidError(str(error), [Problem(i, "current_a", str(error)) for i in error.ids]) from error


def find(row: Job, role: CircuitRole = CircuitRole.AS_FOUND) -> Findings:
    """Judge the latest circuit of a role with all runs on it. Raises NotFoundError without one, InvalidError as `judge` raises."""
    version = latest(row.circuits, role)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    runs, superseded = runs_on(row, role)
    return _judged(Circuit.model_validate(version.document), [run_of(r) for r in runs], details_of(row), superseded)


def judge_and_keep(session: Session, row: Job) -> Findings | None:
    """Judge a job anew and keep what is found; None where there is nothing to judge, or no operating point."""
    kept = session.get(JobFindings, row.id)
    try:
        found = find(row)
    except (NotFoundError, InvalidError):
        if kept is not None:
            session.delete(kept)
            session.flush()
        return None
    document = found.model_dump(mode="json")
    if kept is None:
        session.add(JobFindings(job_id=row.id, version=REASONING, document=document))
    else:
        kept.version, kept.document = REASONING, document
    session.flush()
    return found


def findings_of(session: Session, row: Job) -> Findings | None:
    """What was found of a job as found, kept or made now; None where there is nothing to judge."""
    kept = session.get(JobFindings, row.id)
    if kept is not None and kept.version == REASONING:
        try:
            return Findings.model_validate(kept.document)
        except ValidationError:
            # Kept by a program whose document was another: it says nothing that cannot be found again.
            pass
    if latest(row.circuits, CircuitRole.AS_FOUND) is None:
        return None
    return judge_and_keep(session, row)


def found_of(session: Session, row: Job, role: CircuitRole = CircuitRole.AS_FOUND) -> Found:
    """What was found of a job, with its pictures. Raises NotFoundError without a circuit, InvalidError without an operating point."""
    version = latest(row.circuits, role)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    findings = findings_of(session, row) if role is CircuitRole.AS_FOUND else None
    findings = findings or find(row, role)
    return Found(findings=findings, pictures=draw(Circuit.model_validate(version.document), findings))


def find_draft(circuit: Circuit, run: Run | None, earlier: list[Run], superseded: list[int], details: JobDetails) -> Found:
    """Judge a circuit and a run that need not be saved, with the runs that are.

    Raises InvalidError for a circuit or a run that cannot be.
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
    findings = _judged(circuit, runs, details, superseded, ahead=False)
    return Found(findings=findings, pictures=draw(circuit, findings))

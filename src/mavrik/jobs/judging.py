"""Judging what a job holds: assessments, proposals, comparisons."""

from __future__ import annotations

from pydantic import ValidationError
from sqlalchemy.orm import Session

from mavrik.core.additions import add_to
from mavrik.core.circuit import Circuit, Document
from mavrik.core.faults import FaultCourse, fault_course
from mavrik.core.gains import Gains, gains_of
from mavrik.core.judged import Comparison, Judged, compare, judge
from mavrik.core.limits import LimitProfileName, Scope, limit_for
from mavrik.core.measurement import DropTest, check_readings
from mavrik.core.network import NoOperatingPointError
from mavrik.core.operating import Engine, OperatingPoint, State, point_of
from mavrik.core.protection_review import ProtectionReview, review_protection
from mavrik.core.sizing import Proposal, SizingError, SizingTarget, propose
from mavrik.core.staircase import Staircase, staircase_of_point
from mavrik.core.topology import CircuitError, Problem, check_circuit, find_ring
from mavrik.exchange.bundle import CircuitRole, ProposalRecord
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.people import Who
from mavrik.jobs.records import CircuitRecord, drop_test
from mavrik.jobs.work import get_row, latest, latest_test, save_circuit


class ProposalView(Document):
    """A proposal beside what was found."""

    proposal: Proposal
    comparison: Comparison


def judge_draft(circuit: Circuit, test: DropTest | None, profile: LimitProfileName) -> Judged:
    """Judge a circuit that need not be saved.

    Raises InvalidError for a circuit that does not close, or readings that cannot be of it.
    """
    if test is not None:
        problems = check_readings(circuit, test)
        if problems:
            raise InvalidError(problems[0].message, problems)
    try:
        return judge(circuit, test, profile)
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error


def judge_job(session: Session, job_id: int, role: CircuitRole = CircuitRole.AS_FOUND) -> Judged:
    """Judge the latest circuit of a role with the latest test on it."""
    row = get_row(session, job_id)
    version = latest(row.circuits, role)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    test = latest_test(row.tests, row.circuits, role)
    try:
        return judge(
            Circuit.model_validate(version.document), drop_test(test) if test else None, LimitProfileName(row.limit_profile)
        )
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error


def preview_proposal(session: Session, job_id: int, target: SizingTarget) -> ProposalView:
    """Size a proposal for a job and set it beside what was found, without keeping it.

    Raises InvalidError where no size that is made will do.
    """
    row = get_row(session, job_id)
    version = latest(row.circuits, CircuitRole.AS_FOUND)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    circuit = Circuit.model_validate(version.document)
    problems = check_circuit(circuit)
    if problems:
        raise InvalidError(problems[0].message, problems)
    try:
        proposal = propose(circuit, target)
    except SizingError as error:
        raise InvalidError(str(error)) from error
    return ProposalView(proposal=proposal, comparison=compare(circuit, proposal.circuit, target.limit_profile))


def keep_proposal(session: Session, job_id: int, target: SizingTarget, who: Who) -> CircuitRecord:
    """Keep a proposal as a new version of the job's circuit."""
    made = preview_proposal(session, job_id, target).proposal
    record = ProposalRecord(target=made.target, choices=made.choices, notes=made.notes)
    return save_circuit(
        session, job_id, made.circuit, who, lock=None, as_new_revision=True, role=CircuitRole.PROPOSAL, proposal=record
    )


class SolvedDraft(Document):
    """A circuit at a state: its staircase, what each part costs, and what a fault in it comes to."""

    point: OperatingPoint
    staircase: Staircase
    gains: Gains
    course: FaultCourse | None = None


def solve_draft(circuit: Circuit, state: State, profile: LimitProfileName) -> SolvedDraft:
    """Solve a circuit that need not be saved; raises CircuitError or InvalidError where it has no operating point."""
    ring = find_ring(circuit)
    try:
        settled = Engine(circuit, state).settle()
        point, costs = point_of(settled), gains_of(settled)
        course = fault_course(circuit, state, state.fault) if state.fault else None
    except NoOperatingPointError as error:
        raise InvalidError(str(error), [Problem(i, "current_a", str(error)) for i in error.ids]) from error
    limit = limit_for(profile, Scope.SIDE, circuit.system_voltage_v)
    return SolvedDraft(point=point, staircase=staircase_of_point(circuit, ring, point, limit.volts), gains=costs, course=course)


def review_draft(circuit: Circuit) -> ProtectionReview:
    """Ask every fuse and breaker of a circuit that need not be saved; raises CircuitError, or InvalidError."""
    try:
        return review_protection(circuit)
    except NoOperatingPointError as error:
        raise InvalidError(str(error), [Problem(i, "current_a", str(error)) for i in error.ids]) from error


class Grown(Document):
    """A circuit with something added, and the ids of what is new."""

    circuit: Circuit
    added: tuple[str, ...]


def add_to_draft(circuit: Circuit, what: str) -> Grown:
    """Add a part with all that it needs to a circuit that need not be saved; raises InvalidError where it has no place."""
    try:
        grown = add_to(circuit, what)
    except ValidationError as error:
        raise InvalidError(f"This circuit is full: {error.errors()[0]['msg']}.") from error
    except ValueError as error:
        raise InvalidError(str(error), [Problem("", "what", str(error))]) from error
    before = {e.id for e in circuit.elements}
    added = tuple(e.id for e in grown.elements if e.id not in before)
    if not added:
        raise InvalidError("There is no place for it here: the node it would lead to is not in this circuit.")
    return Grown(circuit=grown, added=added)


def compare_job(session: Session, job_id: int) -> Comparison:
    """The latest proposal beside the circuit as found; raises NotFoundError where there is none."""
    row = get_row(session, job_id)
    found, proposed = latest(row.circuits, CircuitRole.AS_FOUND), latest(row.circuits, CircuitRole.PROPOSAL)
    if found is None or proposed is None or proposed.proposal is None:
        raise NotFoundError("No proposal was kept yet.")
    target = ProposalRecord.model_validate(proposed.proposal).target
    return compare(Circuit.model_validate(found.document), Circuit.model_validate(proposed.document), target.limit_profile)

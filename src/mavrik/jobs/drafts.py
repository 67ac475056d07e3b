"""What is asked of a circuit that need not be saved: solved at a state, its fuses asked, a part added."""

from __future__ import annotations

from enum import StrEnum

from pydantic import ValidationError

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.editing import add_parallel, change_family, change_kind, insert_after, remove_branch
from mavrik.core.circuit.ring import find_ring
from mavrik.core.document import Document, Problem
from mavrik.core.drawing.staircase import Staircase, staircase_of_point
from mavrik.core.measuring.limits import LimitProfileName, Scope, limit_for
from mavrik.core.network import NoOperatingPointError
from mavrik.core.operating import Engine, OperatingPoint, State, point_of
from mavrik.core.operating.gains import Gains, gains_of
from mavrik.core.protection.documents import ProtectionReview
from mavrik.core.protection.review import review_protection
from mavrik.core.protection.short_circuit import FaultCourse, fault_course
from mavrik.jobs.errors import InvalidError


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


class Edit(StrEnum):
    """What can be done to a branch of a drawn circuit."""

    INSERT = "insert"
    BESIDE = "beside"
    KIND = "kind"
    FAMILY = "family"
    REMOVE = "remove"


def edit_draft(circuit: Circuit, branch_id: str, edit: Edit, to: str) -> Grown:
    """Edit a branch of a circuit that need not be saved.

    branch_id: of the branch; edit: what is done; to: kind or fuse family that is chosen for it
    Raises InvalidError for a branch, kind or family that is not there, and where the circuit is full.
    """
    try:
        if edit is Edit.INSERT:
            made, added = insert_after(circuit, branch_id, to)
            return Grown(circuit=made, added=(added,))
        if edit is Edit.BESIDE:
            made, added = add_parallel(circuit, branch_id)
            return Grown(circuit=made, added=(added,))
        if edit is Edit.KIND:
            return Grown(circuit=change_kind(circuit, branch_id, to), added=())
        if edit is Edit.FAMILY:
            return Grown(circuit=change_family(circuit, branch_id, FuseFamily(to)), added=())
        return Grown(circuit=remove_branch(circuit, branch_id), added=())
    except ValidationError as error:
        raise InvalidError(f"That cannot be: {error.errors()[0]['msg']}.") from error
    except KeyError as error:
        raise InvalidError(f"There is no branch '{branch_id}'.", [Problem(branch_id, "id", "Not in this circuit.")]) from error
    except ValueError as error:
        raise InvalidError(str(error), [Problem(branch_id, edit.value, str(error))]) from error

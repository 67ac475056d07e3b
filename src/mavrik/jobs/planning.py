"""Plans of a job: sized, set beside what was found, kept."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.document import Document, Problem
from mavrik.core.planning.comparison import Comparison, compare
from mavrik.core.planning.leads import cheapest_proposal
from mavrik.core.planning.set_point import SetPointView, needs_acknowledging, set_point
from mavrik.core.planning.sizing import usual_target
from mavrik.core.planning.targets import Accepted, Guided, Proposal, SizingError, SizingTarget
from mavrik.domain.job import CircuitRole, DocumentKind, Plan
from mavrik.domain.roles import Who
from mavrik.jobs.changes import note_change
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.finding import details_of, latest, wants_of
from mavrik.jobs.kept import as_found, plan_of, proposed
from mavrik.jobs.lists import prices
from mavrik.jobs.records import CircuitRecord
from mavrik.jobs.room import check_room
from mavrik.jobs.summaries import job_changed, summarise
from mavrik.jobs.work import get_row, save_circuit
from mavrik.store.models import JobDocument


class PlanView(Document):
    """A plan beside what was found."""

    proposal: Proposal
    comparison: Comparison
    set_point: SetPointView
    accepted: Accepted | None = None
    """The changes it is made of, where it came from comparing them."""
    guided: Guided | None = None
    """The guided change it is made of, where it is one."""


def starting_target(session: Session, job_id: int) -> SizingTarget:
    """What a plan begins with: the loads of the job on top of what is fitted, by the job's limits."""
    row = get_row(session, job_id)
    version = latest(row.circuits, CircuitRole.AS_FOUND)
    if version is None:
        raise NotFoundError("The circuit is not described yet.")
    details = details_of(row)
    circuit = Circuit.model_validate(version.document)
    return usual_target(circuit, sum(x.current_a for x in details.loads_to_add), details.limit_profile)


def preview_plan(session: Session, job_id: int, target: SizingTarget) -> PlanView:
    """Size a plan for a job and set it beside what was found, without keeping it.

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
    kept, made = plan_of(row), proposed(row)
    as_kept = kept if kept is not None and kept.target == target and not kept.by_target_alone else None
    if as_kept is not None and made is not None:
        # Made of more than a target: it is what was accepted.
        proposal = Proposal(target=target, circuit=made, choices=as_kept.choices, notes=as_kept.notes)
    else:
        try:
            proposal = cheapest_proposal(circuit, target, prices(session).document)
        except SizingError as error:
            raise InvalidError(str(error)) from error
    return PlanView(
        proposal=proposal,
        comparison=compare(circuit, proposal.circuit, target.limit_profile),
        set_point=set_point(proposal.circuit),
        accepted=as_kept.accepted if as_kept else None,
        guided=as_kept.guided if as_kept else None,
    )


def keep_plan(session: Session, job_id: int, target: SizingTarget, who: Who) -> CircuitRecord:
    """Keep a plan as a new version of the job's circuit.

    Raises as `preview_plan`, and InvalidError for a set point above 15.0 V that nobody acknowledged.
    """
    if (
        target.set_point_v is not None
        and not target.high_acknowledged
        and needs_acknowledging(as_found(get_row(session, job_id)), target.set_point_v)
    ):
        message = "So high a set point is kept only where somebody has read what it does and wants it."
        raise InvalidError(message, [Problem("plan", "high_acknowledged", message)])
    made = preview_plan(session, job_id, target).proposal
    plan = Plan(target=made.target, choices=made.choices, notes=made.notes)
    return keep_planned(session, job_id, made.circuit, plan, who, f"for {target.target_current_a:g} A")


def keep_planned(session: Session, job_id: int, circuit: Circuit, plan: Plan, who: Who, what: str) -> CircuitRecord:
    """Keep a circuit as the job's proposal, with the document of its plan.

    what: said in the log of it
    """
    wants = wants_of(get_row(session, job_id))
    record = save_circuit(session, job_id, circuit, who, lock=None, as_new_revision=True, role=CircuitRole.PROPOSAL)
    row = get_row(session, job_id)
    revision = max((d.revision for d in row.documents if d.kind == DocumentKind.PLAN.value), default=0) + 1
    document = plan.model_dump(mode="json")
    check_room(session, job_id, JobDocument, document)
    session.add(
        JobDocument(
            job=row, kind=DocumentKind.PLAN.value, revision=revision, circuit_id=record.id, document=document,
            created_by_id=who.id,
        )
    )  # fmt: skip
    session.flush()
    note_change(session, job_id, who, f"kept plan {revision}: {what}", kind="made", thing=f"plan {revision}")
    session.refresh(row, ["circuits", "documents"])
    if wants_of(row) == wants:
        summarise(session, row)
    else:
        # The headline says what to do, and that is another thing now.
        job_changed(session, row)
    return record


def compare_plan(session: Session, job_id: int) -> Comparison:
    """The latest plan beside the circuit as found; raises NotFoundError where there is none."""
    row = get_row(session, job_id)
    before, proposed = latest(row.circuits, CircuitRole.AS_FOUND), latest(row.circuits, CircuitRole.PROPOSAL)
    plan = next((d for d in reversed(row.documents) if proposed is not None and d.circuit_id == proposed.id), None)
    if plan is None or before is None or proposed is None:
        raise NotFoundError("No plan was kept yet.")
    target = Plan.model_validate(plan.document).target
    return compare(Circuit.model_validate(before.document), Circuit.model_validate(proposed.document), target.limit_profile)

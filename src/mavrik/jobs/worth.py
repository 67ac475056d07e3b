"""What buys what for a job: changes compared, a plan looked at, a plan accepted."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.document import Document, Problem
from mavrik.core.findings.measured import with_measured
from mavrik.core.planning.changes import Change, Situation, changes_in
from mavrik.core.planning.comparison import compare
from mavrik.core.planning.figures import figures_of
from mavrik.core.planning.making import Made, WorthError, accepted_of, as_planned, choices_of, make
from mavrik.core.planning.outlook import turned
from mavrik.core.planning.set_point import set_point
from mavrik.core.planning.simulation import SimulationRequest, SimulationView, simulate_together
from mavrik.core.planning.targets import Proposal, SizingTarget
from mavrik.core.planning.use import UseProblemError
from mavrik.core.planning.worth import PlanOption, WorthRequest, WorthView, worth
from mavrik.domain.job import DocumentKind, Plan, PlanWeek, WorthCompared
from mavrik.domain.roles import Who
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.finding import ready_findings
from mavrik.jobs.kept import as_found, keep_document, kept_drive, latest_document
from mavrik.jobs.lists import prices, units
from mavrik.jobs.planning import PlanView, keep_planned
from mavrik.jobs.records import CircuitRecord, WorthRecord
from mavrik.jobs.tasks import TaskRecord, ask_for, record_of
from mavrik.jobs.uses import kept_use
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import Job

WEEKS = 3
"""So many plans get a week of their own, beside the vehicle as found."""
WEEK = SimulationRequest(days=7, runs=1)

SAME_COST, SAME_AMPS = 0.01, 0.2
"""A plan that has moved by more since it was compared is not the one that somebody decided on. Our choice, no source."""


class JobWorthRequest(Document):
    """What is wanted of a comparison, and how leads are sized for it."""

    worth: WorthRequest
    target: SizingTarget


class CompareRequest(Document):
    """What a worker is told of a comparison."""

    job_id: int
    how: JobWorthRequest


def compared(session: Session, job_id: int) -> WorthRecord:
    """The comparison that was kept last, if any was."""
    kept = latest_document(get_row(session, job_id), DocumentKind.WORTH)
    return WorthRecord(
        revision=kept.revision if kept else 0, document=WorthCompared.model_validate(kept.document) if kept else None
    )


def ask_comparison(session: Session, job_id: int, how: JobWorthRequest, who: Who) -> TaskRecord:
    """Have every change looked at for the job as found: long work, its result is kept with the job.

    Raises InvalidError where circuit or use do not add up, or for a change that there is none of; ClosedError for a job that is done
    or put away.
    """
    row = row_to_change(session, job_id)
    known = {c.id for c in changes_in(_situation(session, row, how.target))}
    request = how.worth
    for field, ids in (("left_out", request.left_out), ("conceded", request.conceded), ("own_costs", tuple(request.own_costs))):
        if unknown := next((i for i in ids if i not in known), None):
            message = f"There is no change '{unknown}' for this circuit."
            raise InvalidError(message, [Problem("worth", field, message)])
    return record_of(
        ask_for(session, "compare", CompareRequest(job_id=job_id, how=how), f"what buys what for {row.number}", who, job_id)
    )


def to_compare(session: Session, job_id: int, target: SizingTarget) -> Situation:
    """What there is to compare, so that no transaction is open while it goes on. Raises ClosedError for a job that is done or put away."""
    return _situation(session, row_to_change(session, job_id), target)


def run_comparison(situation: Situation, how: JobWorthRequest, progress: Callable[[float], None]) -> WorthCompared:
    """Look at every change, and let a week go by with the plans that matter. Raises InvalidError for what contradicts itself."""
    try:
        view = worth(situation, how.worth, lambda share: progress(0.8 * share))
        shown = _shown(view)
        cases = [(situation.as_found, situation.use)]
        for plan in shown:
            made = make(situation, _changes(situation, plan.change_ids))
            cases.append((made.circuit, made.scheme.use))
        weeks = simulate_together(cases, WEEK, lambda share: progress(0.8 + 0.2 * share))
    except UseProblemError as error:
        raise InvalidError(str(error), [Problem("use", error.field, str(error))]) from error
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    return WorthCompared(
        request=how.worth, target=how.target, view=view, time_h=weeks[0].time_h,
        weeks=tuple(_week_of(plan, seen) for plan, seen in zip(("", *(p.id for p in shown)), weeks, strict=True)),
    )  # fmt: skip


def _week_of(plan_id: str, seen: SimulationView) -> PlanWeek:
    """What is shown of a week with a plan; an empty id: as found."""
    charge = next(c.nominal for c in seen.curves if c.name == "charge")
    return PlanWeek(plan=plan_id, charge=charge, no_start_after_d=seen.no_start_after_d)


def _shown(view: WorthView) -> tuple[PlanOption, ...]:
    """The plan that is picked, then those on the front."""
    ranked = sorted(view.plans, key=lambda p: (p.id != view.pick, not p.on_front, p.cost))
    return tuple(ranked[:WEEKS])


def keep_comparison(session: Session, job_id: int, made: WorthCompared, who: Who) -> None:
    """Keep it as the job's next. Raises ClosedError for a job that is done or put away meanwhile."""
    row = row_to_change(session, job_id)
    picked = next((p for p in made.view.plans if p.id == made.view.pick), None)
    keep_document(
        session, row, DocumentKind.WORTH, made, who, f"what buys what: {', '.join(picked.labels) if picked else 'no plan'}"[:300]
    )


def look_at(session: Session, job_id: int, plan_id: str) -> PlanView:
    """A plan of the comparison that was kept last, beside what was found. Raises as `accept`."""
    row = get_row(session, job_id)
    situation, plan, made = _made(session, row, plan_id)
    return _view(as_found(row), situation, plan, made)


def accept(session: Session, job_id: int, plan_id: str, who: Who) -> CircuitRecord:
    """Make a plan of the comparison that was kept last the job's: its circuit, its document, its pulley.

    Raises NotFoundError for a plan that is not in it, InvalidError where circuit, use, units or prices have changed since so that it
    comes to something else, ClosedError for a job that is done or put away.
    """
    row = row_to_change(session, job_id)
    situation, plan, made = _made(session, row, plan_id)
    view = _view(as_found(row), situation, plan, made)
    document = Plan(
        target=made.target, choices=view.proposal.choices, notes=view.proposal.notes,
        accepted=accepted_of(situation, plan.change_ids, made, plan.cost),
    )  # fmt: skip
    drive, scheme = kept_drive(row), made.scheme
    if drive is not None and scheme.pulley_mm is not None:
        limit = {"limit_rpm": scheme.unit.limit_rpm} if scheme.unit else {}
        turning = drive.model_copy(update={"new_mm": scheme.pulley_mm, **limit})
        keep_document(session, row, DocumentKind.DRIVE, turning, who, f"the drive with a pulley of {scheme.pulley_mm:g} mm")
    return keep_planned(session, job_id, view.proposal.circuit, document, who, f"accepted {', '.join(plan.labels)}"[:300])


def _made(session: Session, row: Job, plan_id: str) -> tuple[Situation, PlanOption, Made]:
    kept = latest_document(row, DocumentKind.WORTH)
    if kept is None:
        raise NotFoundError("No changes were compared yet.")
    document = WorthCompared.model_validate(kept.document)
    plan = next((p for p in document.view.plans if p.id == plan_id), None)
    if plan is None:
        raise NotFoundError(f"There is no plan '{plan_id}' in what was compared last.")
    situation = _situation(session, row, document.target)
    moved = "What was compared has changed since: circuit, readings, use, units or prices. Compare again."
    try:
        made = make(situation, _changes(situation, plan.change_ids))
        now = figures_of(made.circuit, made.scheme.use)
    except (WorthError, KeyError) as error:
        raise InvalidError(moved, [Problem("worth", "plan", moved)]) from error
    amps, before = now.idle_surplus_a or 0.0, plan.figures.idle_surplus_a or 0.0
    dearer = not document.request.own_costs and abs(made.cost - plan.cost) > SAME_COST * max(plan.cost, 1.0)
    if dearer or abs(amps - before) > SAME_AMPS:
        raise InvalidError(moved, [Problem("worth", "plan", moved)])
    return situation, plan, made


def _changes(situation: Situation, ids: Sequence[str]) -> list[Change]:
    known = {c.id: c for c in changes_in(situation)}
    return [known[i] for i in ids]


def _view(before: Circuit, situation: Situation, plan: PlanOption, made: Made) -> PlanView:
    circuit = as_planned(before, situation, made)
    proposal = Proposal(
        target=made.target, circuit=circuit, choices=choices_of(situation, made, plan.labels),
        notes=made.proposal.notes if made.proposal else (),
    )  # fmt: skip
    return PlanView(
        proposal=proposal, comparison=compare(before, circuit, made.target.limit_profile), set_point=set_point(circuit),
        accepted=accepted_of(situation, plan.change_ids, made, plan.cost),
    )  # fmt: skip


def _situation(session: Session, row: Job, target: SizingTarget) -> Situation:
    circuit = as_found(row)
    problems = check_circuit(circuit)
    if problems:
        raise InvalidError(problems[0].message, problems)
    findings, drive = ready_findings(session, row), kept_drive(row)
    measured = with_measured(circuit, findings) if findings is not None else circuit
    return Situation(
        as_found=turned(measured, drive, new=False), use=kept_use(row), drive=drive, target=target,
        units=units(session).document, prices=prices(session).document,
    )  # fmt: skip

"""Guided changes of a job's circuit: what they ask, what comes of the answers, kept as a plan."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.document import Document, Problem
from mavrik.core.planning.comparison import compare
from mavrik.core.planning.guided import GUIDES, Guide, GuideProblemError, Question, guide_of, guided
from mavrik.core.planning.guided.comparison import ComparedAnswer, compare_answer
from mavrik.core.planning.guided.disconnect import DISCONNECT, disconnect_by
from mavrik.core.planning.leads import cheapest_proposal
from mavrik.core.planning.set_point import set_point
from mavrik.core.planning.targets import Guided, SizingError, SizingTarget
from mavrik.domain.job import Plan
from mavrik.domain.roles import Who
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.kept import as_found
from mavrik.jobs.lists import prices, purposes
from mavrik.jobs.planning import PlanView, keep_planned
from mavrik.jobs.records import CircuitRecord
from mavrik.jobs.work import get_row, row_to_change

GivenAnswers = Annotated[dict[str, Annotated[str, Field(max_length=60)] | float], Field(max_length=80)]


class GuideView(Document):
    """A guided change, and what it asks of this circuit."""

    name: str
    label: str
    when: str
    not_here: str
    """Why this circuit has no place for it; empty where it has."""
    questions: tuple[Question, ...]
    compares: str
    """Question whose answers can be set side by side; empty: none."""


class GuidedRequest(Document):
    """Which guided change, what was answered, and how leads are sized for it."""

    name: Annotated[str, Field(max_length=40)]
    answers: GivenAnswers
    target: SizingTarget


def _guides(session: Session) -> tuple[Guide, ...]:
    """Those of this workshop: what a disconnect must do it may have changed."""
    disconnect = disconnect_by(purposes(session).document.purposes)
    return tuple(disconnect if g is DISCONNECT else g for g in GUIDES)


def guides_for(session: Session, job_id: int) -> list[GuideView]:
    """Every guided change, and what it asks of the job's circuit. Raises NotFoundError where none is described."""
    circuit = _whole(as_found(get_row(session, job_id)))
    views = []
    for g in _guides(session):
        reason = g.not_here(circuit)
        views.append(
            GuideView(
                name=g.name,
                label=g.label,
                when=g.when,
                not_here=reason,
                questions=() if reason else g.asks(circuit),
                compares=g.compares,
            )
        )
    return views


def preview_guided(session: Session, job_id: int, request: GuidedRequest) -> PlanView:
    """What a guided change comes to, without keeping it.

    Raises InvalidError, at the question, for an answer that cannot be, and where no leads will do.
    """
    circuit = _whole(as_found(get_row(session, job_id)))
    try:
        guides = _guides(session)
        changed = guided(circuit, request.name, request.answers, guides)
    except GuideProblemError as error:
        raise InvalidError(str(error), [Problem("guided", error.field, str(error))]) from error
    _whole(changed.circuit)
    guide = next(g for g in guides if g.name == request.name)
    try:
        proposal = cheapest_proposal(changed.circuit, request.target, prices(session).document, circuit)
    except SizingError as error:
        raise InvalidError(str(error)) from error
    return PlanView(
        proposal=proposal, comparison=compare(circuit, proposal.circuit, request.target.limit_profile), set_point=set_point(proposal.circuit),
        guided=Guided(name=guide.name, label=guide.label, answers=request.answers, to_do=changed.to_do),
    )  # fmt: skip


def compared_answer_of(session: Session, job_id: int, request: GuidedRequest) -> ComparedAnswer:
    """What an answer to the question that a guide compares comes to. Raises InvalidError as `preview_guided`."""
    circuit = _whole(as_found(get_row(session, job_id)))
    try:
        guide = guide_of(circuit, request.name, _guides(session))
        return compare_answer(circuit, guide, request.answers, request.target, prices(session).document)
    except GuideProblemError as error:
        raise InvalidError(str(error), [Problem("guided", error.field, str(error))]) from error


def keep_guided(session: Session, job_id: int, request: GuidedRequest, who: Who) -> CircuitRecord:
    """Make a guided change the job's plan. Raises as `preview_guided`, ClosedError for a job that is done or put away."""
    row_to_change(session, job_id)
    view = preview_guided(session, job_id, request)
    assert view.guided is not None
    made = view.proposal
    plan = Plan(target=made.target, choices=made.choices, notes=made.notes, guided=view.guided)
    return keep_planned(session, job_id, made.circuit, plan, who, view.guided.label)


def _whole(circuit: Circuit) -> Circuit:
    problems = check_circuit(circuit)
    if problems:
        raise InvalidError(problems[0].message, problems)
    return circuit

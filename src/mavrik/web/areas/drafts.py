"""What is asked of a circuit that need not be saved."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import BaseModel, Field

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.operating import State
from mavrik.core.protection.documents import ProtectionReview
from mavrik.domain.roles import Permission
from mavrik.jobs import drafts
from mavrik.web.access import needs
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.shared import ERRORS, tag

api = Area("drafts", __name__)


class SolveBody(BaseModel):
    """A circuit that need not be saved, and the state to solve it at."""

    circuit: Circuit
    state: State = State()
    limit_profile: LimitProfileName = LimitProfileName.COMMON


class ProtectionBody(BaseModel):
    """A circuit that need not be saved."""

    circuit: Circuit


class GrowBody(BaseModel):
    """A circuit that need not be saved, and what to add to it."""

    circuit: Circuit
    what: Annotated[str, Field(max_length=40, description="Name of an addition, see the catalogue")]


class EditBody(BaseModel):
    """A circuit that need not be saved, and what is done to a branch of it."""

    circuit: Circuit
    branch_id: Annotated[str, Field(max_length=40)]
    edit: drafts.Edit
    to: Annotated[str, Field(max_length=40, description="Kind of branch or fuse family that is chosen; empty where none is")] = ""


@api.post("/solve", summary="Solve a circuit at a state", tags=tag("drafts"), responses={"200": drafts.SolvedDraft, **ERRORS})
@needs(Permission.READ)
@heavy
def post_solve(body: SolveBody) -> Response:
    """What the state bar asks at every move."""
    return answer(drafts.solve_draft(body.circuit, body.state, body.limit_profile))


@api.post("/protection", summary="Ask every fuse and breaker", tags=tag("drafts"), responses={"200": ProtectionReview, **ERRORS})
@needs(Permission.READ)
@heavy
def post_protection(body: ProtectionBody) -> Response:
    """Load, cable, voltage, breaking, withstand, cranking, inrush, and the order of opening."""
    return answer(drafts.review_draft(body.circuit))


@api.post("/grow", summary="Add a part to a circuit", tags=tag("drafts"), responses={"200": drafts.Grown, **ERRORS})
@needs(Permission.READ)
def post_grow(body: GrowBody) -> Response:
    """With its nodes, leads and fuses, at starting values; nothing is saved."""
    return answer(drafts.add_to_draft(body.circuit, body.what))


@api.post("/edit", summary="Edit a branch of a circuit", tags=tag("drafts"), responses={"200": drafts.Grown, **ERRORS})
@needs(Permission.READ)
def post_edit(body: EditBody) -> Response:
    """In series, beside, of another kind or family, taken out; nothing is saved."""
    return answer(drafts.edit_draft(body.circuit, body.branch_id, body.edit, body.to))

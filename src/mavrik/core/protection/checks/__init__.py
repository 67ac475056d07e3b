"""The checks of parts, a file a check: what is asked, of which parts, by which rule."""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch, BreakerBranch, ConductorBranch, ContactBranch, FuseBranch
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.registry import parts_of

CHECKS: tuple[Check, ...] = parts_of(__name__, Check, lambda c: c.order)
"""All checks, in the order they are shown in."""


def subject_of(branch: AnyBranch) -> Subject | None:
    """What a branch is to the checks; None for what nothing is asked of."""
    if isinstance(branch, FuseBranch | BreakerBranch):
        return Subject.PROTECTOR
    if isinstance(branch, ConductorBranch):
        return Subject.CONDUCTOR
    return Subject.CONTACT if isinstance(branch, ContactBranch) else None


def answers(case: Case, branch: AnyBranch, with_shorts: bool = True) -> list[Answer]:
    """Everything that is asked of a part.

    case: its circuit; branch: of that
    with_shorts: also what takes a short circuit to be solved
    """
    subject = subject_of(branch)
    checks = [c for c in CHECKS if c.subject is subject and (with_shorts or not c.solves_shorts)]
    return [a for c in checks for a in c.ask(case, branch)]


__all__ = ["CHECKS", "Answer", "Check", "Subject", "answers", "subject_of"]

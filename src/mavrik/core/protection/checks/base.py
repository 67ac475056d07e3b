"""What a check is: one thing asked of a part, by everything that shows parts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from mavrik.core.circuit import AnyBranch
from mavrik.core.protection.case import Case
from mavrik.core.protection.documents import Finding, Outcome, ProtectionCheck, Severity


class Subject(StrEnum):
    """What a check is asked of."""

    PROTECTOR = "protector"
    CONTACT = "contact"
    CONDUCTOR = "conductor"


@dataclass(frozen=True)
class Answer:
    """What a check says of one part, and what is called out where it does not hold."""

    check: ProtectionCheck
    code: str = ""
    """Stable name of the finding; empty: nothing to call out beside the review."""
    title: str = ""
    severity: Severity = Severity.DANGER

    def finding(self, branch_id: str) -> Finding | None:
        """What is called out of it."""
        if not self.code or self.check.outcome is Outcome.GOOD:
            return None
        check = self.check
        return Finding(self.code, self.severity, branch_id, self.title, check.words, check.rule, check.source)


@dataclass(frozen=True)
class Check:
    """One thing asked of every part of a kind; a file of this package each, found by itself."""

    order: int
    name: str
    subject: Subject
    ask: Callable[[Case, AnyBranch], list[Answer]]
    solves_shorts: bool = False
    """It solves short circuits or short loads: asked in the review, not with every judgement."""

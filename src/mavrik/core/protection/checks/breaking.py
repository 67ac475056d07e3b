"""Can a fuse or breaker break this bank's short-circuit current?"""

from __future__ import annotations

from mavrik.core.catalogue.fuses import CURVES
from mavrik.core.circuit import AnyBranch
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck
from mavrik.core.protection.short_circuit import Protector, interrupting_a


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, Protector)
    behind = case.behind(branch)
    if behind is None:
        return []
    most = interrupting_a(branch)
    good = behind.current_a <= most
    words = f"A dead short behind it draws {behind.current_a:.0f} A from this bank; it can break {most:.0f} A"
    words += "." if good else ": it may burst or keep arcing. Fit a family with a higher interrupting rating."
    rule = "Interrupting rating above the prospective short-circuit current"
    return [Answer(ProtectionCheck("breaking", Outcome.GOOD if good else Outcome.BAD, words, rule, CURVES))]


BREAKING = Check(40, "breaking", Subject.PROTECTOR, _ask, solves_shorts=True)

"""Does a fuse or breaker open before its cable burns?"""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck
from mavrik.core.protection.short_circuit import Protector


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, Protector)
    cables, rating = case.protected(branch), branch.rating_a
    if not cables or not rating:
        return []
    weakest = min(cables, key=lambda b: b.ampacity().current_a)
    allowed = weakest.ampacity()
    good = rating <= allowed.current_a
    words = f"{rating:g} A {'is below' if good else 'is above'} the {allowed.current_a:.0f} A that {weakest.label} may carry"
    words += "." if good else ": the cable burns before the fuse opens."
    check = ProtectionCheck("cable", Outcome.GOOD if good else Outcome.BAD, words, allowed.reason, allowed.table_label)
    return [Answer(check, "fuse_above_cable", f"{branch.label}: {rating:g} A does not fit")]


CABLE = Check(20, "cable", Subject.PROTECTOR, _ask)

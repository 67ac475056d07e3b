"""How do the ends of a cable or strap look?"""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch, ConductorBranch, TerminationCondition
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import COMMON, Outcome, ProtectionCheck, Severity

BAD = {
    TerminationCondition.CORRODED: "corroded",
    TerminationCondition.LOOSE: "loose",
    TerminationCondition.HEAT_DAMAGED: "heat-damaged",
}


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, ConductorBranch)
    seen = [
        f"{BAD[end.condition]} at {node}"
        for end, node in ((branch.from_end, branch.from_node), (branch.to_end, branch.to_node))
        if end.condition in BAD
    ]
    if not seen:
        return []
    words = "A charging test on dirty or loose ends is worthless: clean to bright metal and tighten, then measure again."
    check = ProtectionCheck("ends", Outcome.WATCH, words, "Clean and tight before any test", COMMON)
    return [Answer(check, "bad_end", f"{branch.label}: {' and '.join(seen)}", Severity.WARNING)]


ENDS = Check(220, "ends", Subject.CONDUCTOR, _ask)

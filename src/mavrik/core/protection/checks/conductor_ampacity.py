"""Does a cable or strap carry for good what flows through it in any state?"""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch, ConductorBranch
from mavrik.core.protection.case import SOLVED_TO, Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck, amperes


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, ConductorBranch)
    allowed, amps = branch.ampacity(), case.continuous_a.get(branch.id, 0.0)
    good = amps * (1 - SOLVED_TO) <= allowed.current_a
    words = f"It may carry {allowed.current_a:.0f} A for good and would see {amperes(amps)}."
    check = ProtectionCheck("load", Outcome.GOOD if good else Outcome.BAD, words, allowed.reason, allowed.table_label)
    size = branch.size.replace("mm2", "mm²")
    return [Answer(check, "cable_too_small", f"{branch.label}: {size} is too small for {amperes(amps)}")]


CONDUCTOR_AMPACITY = Check(210, "ampacity", Subject.CONDUCTOR, _ask)

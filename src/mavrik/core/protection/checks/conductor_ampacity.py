"""Does a cable or strap carry for good what the alternator can send through it?"""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch, ConductorBranch
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, ConductorBranch)
    allowed, amps = branch.ampacity(), case.rated_a(branch)
    good = amps <= allowed.current_a
    words = f"It may carry {allowed.current_a:.0f} A for good and would see {amps:.0f} A."
    check = ProtectionCheck("load", Outcome.GOOD if good else Outcome.BAD, words, allowed.reason, allowed.table_label)
    size, unit = branch.size.replace("mm2", "mm²"), case.circuit.alternator.rated_a
    return [Answer(check, "cable_too_small", f"{branch.label}: {size} is too small for a {unit:g} A unit")]


CONDUCTOR_AMPACITY = Check(210, "ampacity", Subject.CONDUCTOR, _ask)

"""Can a fuse or breaker break this bank's short-circuit current?"""

from __future__ import annotations

from mavrik.core.catalogue.fuses import CURVES
from mavrik.core.circuit import AnyBranch
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck
from mavrik.core.protection.short_circuit import Protector, interrupting_rating


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, Protector)
    behind = case.behind(branch)
    if behind is None:
        return []
    most, volts = interrupting_rating(branch, case.circuit.system_voltage_v)
    strongest = max(case.at_strongest.behind_a(branch.id), behind.current_a)
    words = f"A dead short behind it draws {behind.current_a:.0f} A from this bank"
    if strongest > behind.current_a * 1.01:
        words += f", and up to {strongest:.0f} A with batteries of this size new, warm and full"
    words += f"; it can break {most:.0f} A, stated for {volts:g} V"
    if behind.current_a > most:
        outcome = Outcome.BAD
        words += ": it may burst or keep arcing. Fit a family with a higher interrupting rating."
    elif strongest > most:
        outcome = Outcome.WATCH
        words += ". Look up what its maker states for this system's voltage, or fit a family that breaks more."
    else:
        outcome, words = Outcome.GOOD, words + "."
    rule = "Interrupting rating, at the system's voltage, above the prospective short-circuit current"
    return [Answer(ProtectionCheck("breaking", outcome, words, rule, CURVES))]


BREAKING = Check(40, "breaking", Subject.PROTECTOR, _ask, solves_shorts=True)

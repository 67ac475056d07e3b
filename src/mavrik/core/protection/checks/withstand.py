"""Do its cables bear what a fuse or breaker lets through?"""

from __future__ import annotations

import math

from mavrik.core.circuit import AnyBranch
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck
from mavrik.core.protection.short_circuit import Protector, opens_at
from mavrik.core.thermal.heat import short_circuit_final_c, withstand_factor

WORKING_C = 90.0
"""What a cable may be at when a short circuit comes, at most."""


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, Protector)
    behind = case.behind(branch)
    if behind is None:
        return []
    band = opens_at(branch, behind.current_a)
    shares = []
    for cable in case.protected(branch) if math.isfinite(band.most_s) else ():
        start, end = min(WORKING_C, float(cable.insulation_c)), short_circuit_final_c(cable.insulation_c)
        k = withstand_factor(cable.material, start, end)
        bears = (k * cable.conductor.area_mm2 * cable.parallel) ** 2
        shares.append((behind.current_a**2 * band.most_s / bears, cable, k, start, end))
    if not shares:
        return []
    share, cable, k, start, end = max(shares, key=lambda c: c[0])
    good = share <= 1
    words = f"By the latest it lets {share:.0%} of the energy through that {cable.label} bears" + (
        "." if good else f": the insulation passes {end:.0f} °C before it opens."
    )
    rule = f"I²t within k²S², k = {k:.0f} from {start:g} to {end:g} °C"
    return [Answer(ProtectionCheck("withstand", Outcome.GOOD if good else Outcome.BAD, words, rule, "IEC 60364-5-54"))]


WITHSTAND = Check(50, "withstand", Subject.PROTECTOR, _ask, solves_shorts=True)

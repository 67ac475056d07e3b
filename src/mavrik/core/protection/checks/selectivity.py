"""Does the fuse nearest to a fault open alone?"""

from __future__ import annotations

import math

from mavrik.core.catalogue.fuses import seconds_in_words
from mavrik.core.circuit import AnyBranch
from mavrik.core.protection.case import CARRIED_SHARE, Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import COMMON, Outcome, ProtectionCheck
from mavrik.core.protection.short_circuit import Protector, opens_at


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, Protector)
    behind = case.behind(branch)
    if behind is None:
        return []
    opens = opens_at(branch, behind.current_a)
    if not math.isfinite(opens.most_s):
        return []
    answers = []
    for other in case.protectors.values():
        amps = abs(behind.solution.current_a[other.id])
        after = abs(behind.cleared.current_a[other.id])
        if other.id == branch.id or amps < CARRIED_SHARE * behind.current_a or after > CARRIED_SHARE * amps:
            continue
        band = opens_at(other, amps)
        good = band.least_s > opens.most_s
        then = "never does" if math.isinf(band.least_s) else f"not before {seconds_in_words(band.least_s)}"
        words = f"For a short behind it, it opens within {seconds_in_words(opens.most_s)}; {other.label} further up {then}"
        words += ": only this one opens." if good else ": both may open, and more goes dark than has to."
        rule = "The fuse nearest to the fault opens first"
        answers.append(Answer(ProtectionCheck("order", Outcome.GOOD if good else Outcome.WATCH, words, rule, COMMON)))
    return answers


SELECTIVITY = Check(70, "order", Subject.PROTECTOR, _ask, solves_shorts=True)

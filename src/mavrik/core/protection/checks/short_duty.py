"""Does a fuse or breaker ride through cranking and inrush?"""

from __future__ import annotations

import math

from mavrik.core.catalogue.fuses import CURVES, seconds_in_words
from mavrik.core.circuit import AnyBranch
from mavrik.core.protection.case import CARRIED_SHARE, Case, ShortLoad
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck
from mavrik.core.protection.short_circuit import Protector, opens_at


def _rides(branch: Protector, load: ShortLoad) -> Answer:
    amps = load.current_a[branch.id]
    band = opens_at(branch, amps)
    good = band.least_s > load.seconds
    then = "carries on" if math.isinf(band.least_s) else f"opens no sooner than {seconds_in_words(band.least_s)}"
    words = f"{load.label} sends {amps:.0f} A through it for {load.seconds:g} s; at that it {then}"
    words += "." if good else ": it may open."
    return Answer(
        ProtectionCheck(load.name, Outcome.GOOD if good else Outcome.BAD, words, "Short loads are ridden through", CURVES)
    )


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, Protector)
    least = CARRIED_SHARE * (branch.rating_a or math.inf)
    return [_rides(branch, s) for s in case.short_loads if s.current_a.get(branch.id, 0.0) > least]


SHORT_DUTY = Check(60, "short_duty", Subject.PROTECTOR, _ask, solves_shorts=True)

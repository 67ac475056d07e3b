"""Does a fuse or breaker carry its load for good?"""

from __future__ import annotations

from mavrik.core.catalogue.fuses import fuse_table
from mavrik.core.circuit import AnyBranch
from mavrik.core.protection.case import SOLVED_TO, Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import COMMON, Outcome, ProtectionCheck, Severity, amperes


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    rating, share = getattr(branch, "rating_a", None), fuse_table().continuous_share
    if not rating:
        words = "Its rating is not known: read it off and enter it."
        return [Answer(ProtectionCheck("load", Outcome.WATCH, words, "A known rating", COMMON))]
    most = case.continuous_a.get(branch.id, 0.0)
    if rating < most * (1 - SOLVED_TO):
        outcome, words = Outcome.BAD, f"{rating:g} A is below the {amperes(most)} it has to carry: it opens in use."
    elif rating * share < most * (1 - SOLVED_TO):
        outcome = Outcome.WATCH
        words = f"{amperes(most)} at its most is more than {share:.0%} of {rating:g} A: it ages early under continuous duty."
    else:
        outcome, words = Outcome.GOOD, f"{amperes(most)} at its most is within {share:.0%} of {rating:g} A."
    check = ProtectionCheck("load", outcome, words, f"Continuous current within {share:.0%} of the rating", COMMON)
    if outcome is not Outcome.BAD:
        return [Answer(check)]
    return [Answer(check, "fuse_below_load", f"{branch.label}: {rating:g} A does not fit", Severity.WARNING)]


LOAD = Check(10, "load", Subject.PROTECTOR, _ask)

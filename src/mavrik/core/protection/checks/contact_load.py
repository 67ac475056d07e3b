"""Does a switch, relay, connector or other contact carry its load for good?"""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch, ContactBranch
from mavrik.core.protection.case import SOLVED_TO, Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import COMMON, Outcome, ProtectionCheck, amperes

CONTACT_RULE = "Continuous rating above what it carries for good, short-duty rating above what it carries for seconds"


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, ContactBranch)
    if branch.rating_a is None:
        return []
    most = case.continuous_a.get(branch.id, 0.0)
    good = branch.rating_a >= most * (1 - SOLVED_TO)
    words = f"{amperes(most)} at its most, rated {branch.rating_a:g} A for good"
    words += "." if good else ": it heats, and heat raises its resistance until it is ruined."
    check = ProtectionCheck("load", Outcome.GOOD if good else Outcome.BAD, words, CONTACT_RULE, COMMON)
    return [Answer(check, "contact_rating", f"{branch.label}: rated {branch.rating_a:g} A, would see {amperes(most)}")]


CONTACT_LOAD = Check(110, "load", Subject.CONTACT, _ask)

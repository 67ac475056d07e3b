"""Does a contact bear cranking and inrush?"""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch, ContactBranch
from mavrik.core.protection.case import CARRIED_SHARE, Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.checks.contact_load import CONTACT_RULE
from mavrik.core.protection.documents import COMMON, Outcome, ProtectionCheck


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    assert isinstance(branch, ContactBranch)
    if branch.rating_a is None:
        return []
    answers = []
    for load in case.short_loads:
        amps = load.current_a.get(branch.id, 0.0)
        if amps <= CARRIED_SHARE * branch.rating_a:
            continue
        what = f"{load.label} sends {amps:.0f} A through it for {load.seconds:g} s; "
        if amps <= branch.rating_a:
            outcome, words = Outcome.GOOD, what + "that is within its continuous rating."
        elif branch.intermittent_a is None:
            outcome, words = Outcome.WATCH, what + "what it bears for a short time is not known: read it off and enter it."
        elif amps <= branch.intermittent_a:
            outcome, words = Outcome.GOOD, what + f"rated {branch.intermittent_a:g} A for short duty."
        else:
            outcome, words = Outcome.BAD, what + f"rated only {branch.intermittent_a:g} A for short duty: it welds or melts."
        answers.append(Answer(ProtectionCheck(load.name, outcome, words, CONTACT_RULE, COMMON)))
    return answers


CONTACT_SHORT_DUTY = Check(120, "short_duty", Subject.CONTACT, _ask, solves_shorts=True)

"""Does a cable bear cranking, inrush and what is on for a while?"""

from __future__ import annotations

from mavrik.core.catalogue.fuses import seconds_in_words
from mavrik.core.circuit import AnyBranch, ConductorBranch
from mavrik.core.operating.warm_cables import curve_of
from mavrik.core.protection.case import Case
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck

SOURCE = "Heat balance of the conductor, see mavrik.core.thermal.heat"


def _ask(case: Case, branch: AnyBranch) -> list[Answer]:
    """From the air of its place, as its ampacity takes it, to the class of its insulation."""
    assert isinstance(branch, ConductorBranch)
    allowed, answers = branch.ampacity(), []
    for load in case.short_loads:
        amps = load.current_a.get(branch.id, 0.0)
        if amps <= allowed.current_a:
            continue
        lasts = curve_of(branch, allowed.ambient_c).seconds_to(
            amps / branch.parallel, float(branch.insulation_c), allowed.ambient_c
        )
        good = lasts >= load.seconds
        words = (
            f"{load.label} sends {amps:.0f} A through it for {seconds_in_words(load.seconds)}; "
            f"its insulation bears that for {seconds_in_words(lasts)}."
        )
        check = ProtectionCheck(
            load.name, Outcome.GOOD if good else Outcome.BAD, words, f"Not above {branch.insulation_c} °C before it rests", SOURCE
        )
        answers.append(Answer(check, "cable_short_duty", f"{branch.label}: too thin for {load.label}"))
    return answers


CONDUCTOR_SHORT_DUTY = Check(215, "short_duty", Subject.CONDUCTOR, _ask, solves_shorts=True)

"""Measure: what the meters say."""

from mavrik.core.workflow.purposes import Purpose
from mavrik.core.workflow.stages.base import JobFacts, Stage, StageState, Standing, without_findings

MEASURED = {Purpose.FIND_FAULT, Purpose.MORE_LOAD, Purpose.BATTERY, Purpose.ROUTINE_CHECK}
"""A circuit that is to carry more is measured before it is built upon."""


def _standing(facts: JobFacts) -> Standing:
    if facts.circuit is None or facts.findings is None:
        return without_findings(facts)
    made = [t for t in facts.findings.tests if not t.skipped]
    if not made:
        return Standing(StageState.OPEN, "a first test")
    if facts.findings.missing or facts.findings.headline.read_on:
        # What comes next is what the findings say comes next.
        following = (facts.findings.headline.reading, *facts.findings.missing, "more readings")
        return Standing(StageState.PARTLY, next(words for words in following if words))
    return Standing(StageState.DONE)


MEASURE = Stage(20, "measure", "Measure", lambda facts: bool(facts.purposes & MEASURED), _standing)

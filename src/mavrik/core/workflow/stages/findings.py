"""Findings: what is wrong, where, how surely."""

from mavrik.core.workflow.stages.base import JobFacts, Stage, StageState, Standing, without_findings
from mavrik.core.workflow.stages.measure import MEASURED


def _standing(facts: JobFacts) -> Standing:
    if facts.circuit is None or facts.findings is None:
        return without_findings(facts)
    if not facts.findings.tests:
        return Standing(StageState.OPEN, "readings")
    if facts.findings.headline.read_on:
        return Standing(StageState.PARTLY, "a settled cause")
    return Standing(StageState.PARTLY, "more readings") if facts.findings.missing else Standing(StageState.DONE)


FINDINGS = Stage(30, "findings", "Findings", lambda facts: bool(facts.purposes & MEASURED), _standing)

"""Hand over: the sheet, signed."""

from mavrik.core.workflow.purposes import Purpose
from mavrik.core.workflow.stages.base import BLOCKED, JobFacts, Stage, StageState, Standing, without_findings
from mavrik.core.workflow.stages.measure import MEASURED


def _standing(facts: JobFacts) -> Standing:
    if facts.handed_over:
        return Standing(StageState.DONE)
    if facts.circuit is None:
        return BLOCKED
    if facts.being_judged:
        return without_findings(facts)
    measured = facts.findings is not None and any(not t.skipped for t in facts.findings.tests)
    if not measured and facts.purposes & MEASURED:
        return Standing(StageState.OPEN, "readings")
    if facts.wants_plan and not facts.plans:
        return Standing(StageState.OPEN, "a plan")
    if Purpose.ISOLATE in facts.purposes and not facts.disconnects:
        return Standing(StageState.OPEN, "a disconnect")
    if facts.disconnects and not facts.disconnect_proven:
        return Standing(StageState.OPEN, "its live proof")
    return Standing(StageState.PARTLY, "print and sign")


HAND_OVER = Stage(80, "hand_over", "Hand over", lambda facts: True, _standing)

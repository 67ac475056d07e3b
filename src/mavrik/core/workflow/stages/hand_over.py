"""Hand over: the sheet, signed."""

from mavrik.core.workflow.stages.base import BLOCKED, JobFacts, Stage, StageState, Standing


def _standing(facts: JobFacts) -> Standing:
    if facts.handed_over:
        return Standing(StageState.DONE)
    if facts.circuit is None:
        return BLOCKED
    measured = facts.findings is not None and any(not t.skipped for t in facts.findings.tests)
    ready = measured and (facts.plans > 0 or not facts.wants_plan)
    return (
        Standing(StageState.PARTLY, "print and sign")
        if ready
        else Standing(StageState.OPEN, "readings" if not measured else "a plan")
    )


HAND_OVER = Stage(80, "hand_over", "Hand over", lambda facts: True, _standing)

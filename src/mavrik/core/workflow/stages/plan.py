"""Plan: what to change."""

from mavrik.core.workflow.stages.base import BLOCKED, JobFacts, Stage, StageState, Standing


def _standing(facts: JobFacts) -> Standing:
    if facts.circuit is None:
        return BLOCKED
    if facts.plans:
        return Standing(StageState.DONE)
    return Standing(StageState.OPEN, "a plan for the added loads" if facts.loads_to_add else "a plan, where parts change")


PLAN = Stage(40, "plan", "Plan", lambda facts: facts.wants_plan or facts.plans > 0, _standing)

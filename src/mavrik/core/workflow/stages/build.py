"""Build: the leads made, the parts fitted."""

from mavrik.core.workflow.purposes import Purpose
from mavrik.core.workflow.stages.base import BLOCKED, JobFacts, Stage, StageState, Standing


def _standing(facts: JobFacts) -> Standing:
    if facts.circuit is None:
        return BLOCKED
    if facts.build_steps is None:
        return (
            Standing(StageState.BLOCKED, "a plan first")
            if facts.wants_plan and not facts.plans
            else Standing(StageState.OPEN, "leads to make")
        )
    done, every = facts.build_steps
    if done == every:
        return Standing(StageState.DONE)
    return Standing(StageState.PARTLY if done else StageState.OPEN, f"{every - done} of {every} steps")


BUILD = Stage(60, "build", "Build", lambda facts: Purpose.MAKE_LEADS in facts.purposes or facts.plans > 0, _standing)

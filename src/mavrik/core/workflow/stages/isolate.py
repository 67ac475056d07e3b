"""Isolate: what stays live, and whether the engine stops."""

from mavrik.core.workflow.purposes import Purpose
from mavrik.core.workflow.stages.base import BLOCKED, JobFacts, Stage, StageState, Standing


def _standing(facts: JobFacts) -> Standing:
    if facts.circuit is None:
        return BLOCKED
    return Standing(StageState.DONE) if facts.disconnects else Standing(StageState.OPEN, "a disconnect")


ISOLATE = Stage(50, "isolate", "Isolate", lambda facts: Purpose.ISOLATE in facts.purposes or facts.disconnects > 0, _standing)

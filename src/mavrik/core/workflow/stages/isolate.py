"""Isolate: what stays live, and whether the engine stops."""

from mavrik.core.workflow.purposes import Purpose
from mavrik.core.workflow.stages.base import BLOCKED, JobFacts, Stage, StageState, Standing


def _standing(facts: JobFacts) -> Standing:
    if facts.circuit is None:
        return BLOCKED
    if not facts.disconnects:
        return Standing(StageState.OPEN, "a disconnect")
    if facts.disconnect_proven:
        return Standing(StageState.DONE)
    return Standing(StageState.PARTLY, "its live proof" if facts.disconnect_proven is None else "it is not as promised")


ISOLATE = Stage(50, "isolate", "Isolate", lambda facts: Purpose.ISOLATE in facts.purposes or facts.disconnects > 0, _standing)

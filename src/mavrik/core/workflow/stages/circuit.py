"""Circuit: what is fitted."""

from mavrik.core.workflow.stages.base import JobFacts, Stage, StageState, Standing


def _standing(facts: JobFacts) -> Standing:
    if facts.circuit is None:
        return Standing(StageState.OPEN, "the circuit")
    if facts.findings is not None and any(f.code == "cannot_charge" for f in facts.findings.parts):
        return Standing(StageState.PARTLY, "a closed loop")
    return Standing(StageState.DONE)


CIRCUIT = Stage(10, "circuit", "Circuit", lambda facts: True, _standing)

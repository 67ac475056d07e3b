"""Where a job stands on its path, what is missing, and what comes next."""

from __future__ import annotations

from enum import StrEnum

from mavrik.core.circuit import Circuit, Document
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.topology import CircuitError, find_ring


class Stage(StrEnum):
    """The stages of a job, in the order of the work."""

    CIRCUIT = "circuit"
    MEASURE = "measure"
    READ = "read"
    PROPOSE = "propose"
    SHEET = "sheet"


class StageState(StrEnum):
    """How far a stage is."""

    DONE = "done"
    PARTLY = "partly"
    OPEN = "open"
    BLOCKED = "blocked"


class StageProgress(Document):
    """One stage of one job."""

    stage: Stage
    state: StageState
    missing: str


class Progress(Document):
    """All stages and the next thing to do."""

    stages: tuple[StageProgress, ...]
    next_stage: Stage
    missing: str


def progress(
    circuit: Circuit | None, test: DropTest | None, wants_proposal: bool, has_proposal: bool, handed_over: bool = False
) -> Progress:
    """How far a job is.

    circuit: the circuit as found, if described
    test: the latest voltage-drop test, if any
    wants_proposal: whether loads are to be added
    has_proposal: whether a proposal was kept
    handed_over: whether the job is done: its sheet is then signed and out of the house
    Returns each stage's state with what it lacks, and where to go next.
    """
    rows = []
    ring_ids: tuple[str, ...] = ()
    if circuit is not None:
        try:
            ring = find_ring(circuit)
            ring_ids = (*ring.feed, *ring.home)
        except CircuitError:
            circuit = None
    if circuit is None:
        rows.append(StageProgress(stage=Stage.CIRCUIT, state=StageState.OPEN, missing="the circuit"))
        blocked = [Stage.MEASURE, Stage.READ, Stage.PROPOSE, Stage.SHEET]
        rows += [StageProgress(stage=s, state=StageState.BLOCKED, missing="the circuit first") for s in blocked]
        return Progress(stages=tuple(rows), next_stage=Stage.CIRCUIT, missing="the circuit")
    rows.append(StageProgress(stage=Stage.CIRCUIT, state=StageState.DONE, missing=""))
    read = {r.branch_id for r in test.readings if r.quantity is Quantity.BRANCH_DROP} if test else set()
    left = [b for b in ring_ids if b not in read]
    if test is None or not test.readings:
        measure, missing = StageState.OPEN, "the voltage-drop test"
    elif left:
        measure, missing = StageState.PARTLY, f"{len(left)} of {len(ring_ids)} ring drops"
    else:
        measure, missing = StageState.DONE, ""
    rows.append(StageProgress(stage=Stage.MEASURE, state=measure, missing=missing))
    judged = (
        StageState.DONE if measure is StageState.DONE else StageState.PARTLY if measure is StageState.PARTLY else StageState.OPEN
    )
    rows.append(StageProgress(stage=Stage.READ, state=judged, missing="" if judged is StageState.DONE else "readings"))
    proposed = StageState.DONE if has_proposal else StageState.OPEN
    wanted = "a proposal for the added loads" if wants_proposal else "a proposal, where parts change"
    rows.append(StageProgress(stage=Stage.PROPOSE, state=proposed, missing="" if has_proposal else wanted))
    sheet_ready = measure is not StageState.OPEN and (has_proposal or not wants_proposal)
    if handed_over:
        rows.append(StageProgress(stage=Stage.SHEET, state=StageState.DONE, missing=""))
        return Progress(stages=tuple(rows), next_stage=Stage.SHEET, missing="")
    rows.append(
        StageProgress(
            stage=Stage.SHEET,
            state=StageState.PARTLY if sheet_ready else StageState.OPEN,
            missing="print and sign" if sheet_ready else "readings",
        )
    )
    if measure is not StageState.DONE:
        return Progress(stages=tuple(rows), next_stage=Stage.MEASURE, missing=missing)
    if wants_proposal and not has_proposal:
        return Progress(stages=tuple(rows), next_stage=Stage.PROPOSE, missing=wanted)
    return Progress(stages=tuple(rows), next_stage=Stage.SHEET, missing="print and sign")

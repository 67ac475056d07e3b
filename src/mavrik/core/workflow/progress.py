"""How far a job is on its path, what is missing, and where to go next."""

from __future__ import annotations

from collections.abc import Iterable

from mavrik.core.document import Document
from mavrik.core.workflow.stages import STAGES, JobFacts, StageState


class StageProgress(Document):
    """One stage of one job."""

    stage: str
    title: str
    on_path: bool
    """Whether the job's purpose needs it, or somebody added it; others can be added."""
    state: StageState
    missing: str


class Progress(Document):
    """All stages in the order of the work, and the next thing to do."""

    stages: tuple[StageProgress, ...]
    next_stage: str
    missing: str


def progress(facts: JobFacts, added: Iterable[str] = ()) -> Progress:
    """How far a job is.

    facts: what of the job decides it; added: names of stages that were put on its path by hand
    Returns each stage's state with what it lacks, and the first on the path that lacks something.

    >>> progress(JobFacts(frozenset())).missing
    'the circuit'
    """
    by_hand = set(added)
    rows = []
    for of in STAGES:
        standing = of.standing(facts)
        rows.append(
            StageProgress(
                stage=of.name,
                title=of.title,
                on_path=of.name in by_hand or of.applies(facts),
                state=standing.state,
                missing=standing.missing,
            )
        )
    path = [r for r in rows if r.on_path]
    if facts.handed_over:
        return Progress(stages=tuple(rows), next_stage=path[-1].stage, missing="")
    # Findings follow from the readings: what they lack is measured, not found.
    following = next((r for r in path if r.state is not StageState.DONE and r.stage != "findings"), path[-1])
    return Progress(stages=tuple(rows), next_stage=following.stage, missing=following.missing)

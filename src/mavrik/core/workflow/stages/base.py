"""What a stage of the work is: when it lies on a job's path, and what it lacks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from mavrik.core.circuit import Circuit
from mavrik.core.findings import Findings
from mavrik.core.workflow.purposes import Purpose


class StageState(StrEnum):
    """How far a stage is."""

    DONE = "done"
    PARTLY = "partly"
    OPEN = "open"
    BLOCKED = "blocked"


@dataclass(frozen=True)
class JobFacts:
    """What of a job decides where it stands."""

    purposes: frozenset[Purpose]
    circuit: Circuit | None = None
    findings: Findings | None = None
    """None where there is no circuit yet, it has no operating point, or they are being worked out."""
    being_judged: bool = False
    """Whether they are being worked out."""
    loads_to_add: bool = False
    plans: int = 0
    """How many were kept."""
    disconnects: int = 0
    """How often a disconnect was decided on."""
    disconnect_proven: bool | None = None
    """Whether the last of them does on the vehicle what was promised; None: not all of it has been read."""
    build_steps: tuple[int, int] | None = None
    """How many steps of the work at the bench are done, and how many there are; None: nobody has asked for any yet."""
    handed_over: bool = False

    @property
    def wants_plan(self) -> bool:
        """Whether something is to be changed, and not only mended."""
        return self.loads_to_add or bool(self.purposes & {Purpose.MORE_LOAD, Purpose.BATTERY})


@dataclass(frozen=True)
class Standing:
    """How far a stage is, and what it lacks in words."""

    state: StageState
    missing: str = ""


@dataclass(frozen=True)
class Stage:
    """One stage of the work; the front end has a folder of the same name."""

    order: int
    name: str
    title: str
    applies: Callable[[JobFacts], bool]
    """Whether it lies on the path of such a job."""
    standing: Callable[[JobFacts], Standing]


BLOCKED = Standing(StageState.BLOCKED, "the circuit first")


def without_findings(facts: JobFacts) -> Standing:
    """Where a stage stands that hangs on what was found, while that is not there."""
    return Standing(StageState.PARTLY, "being worked out") if facts.being_judged else BLOCKED

"""What a proposal of leads and fuses is asked for, and what it answers."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mavrik.core.catalogue.conductor import Material, SizeSystem
from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import Circuit
from mavrik.core.document import Ampere, Document, Label
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.planning.figures import Figures
from mavrik.core.thermal.ampacity import InsulationClass


class SizingTarget(Document):
    """What a proposal is for, and from what it may choose."""

    target_current_a: Ampere
    alternator_label: Annotated[str, Field(max_length=60)] = ""
    system: Literal[SizeSystem.METRIC, SizeSystem.AWG] = SizeSystem.METRIC
    fuse_family: FuseFamily = FuseFamily.STRIP_51
    insulation_c: InsulationClass = 105
    material: Material = Material.COPPER
    limit_profile: LimitProfileName = LimitProfileName.COMMON
    set_point_v: Annotated[float, Field(ge=10, le=35, description="Regulator set point that is wanted [V]")] | None = Field(
        None, description="Left out, as it is"
    )
    high_acknowledged: bool = Field(False, description="Somebody has read what a set point above 15.0 V does, and wants it")


class Choice(Document):
    """One thing the proposal decided, and why."""

    branch_id: str
    label: str
    before: str
    after: str
    reason: str


class Accepted(Document):
    """Changes that a plan is made of, and what they came to when it was accepted."""

    change_ids: Annotated[tuple[Annotated[str, Field(max_length=80)], ...], Field(max_length=80)]
    labels: Annotated[tuple[Annotated[str, Field(max_length=120)], ...], Field(max_length=80)]
    before: Figures
    after: Figures
    cost: float = Field(description="Parts and hours by the workshop's prices")
    hours: float
    currency: Annotated[str, Field(max_length=8)] = ""
    without: Annotated[tuple[Label, ...], Field(max_length=60, description="Consumers that are done without")] = ()
    faster_idle: bool = False


class Guided(Document):
    """A guided change that a plan is made of: what was answered, and what the drawing does not show."""

    name: Annotated[str, Field(max_length=40)]
    label: Label
    answers: Annotated[dict[str, Annotated[str, Field(max_length=60)] | float], Field(max_length=80)]
    to_do: Annotated[tuple[Annotated[str, Field(max_length=1000)], ...], Field(max_length=40)]


class Proposal(Document):
    """A new circuit and how it came about."""

    target: SizingTarget
    circuit: Circuit
    choices: tuple[Choice, ...]
    notes: tuple[str, ...]


class SizingError(ValueError):
    """No size that is made meets the target; the message says which lead and why."""

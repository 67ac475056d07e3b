"""Cables and straps: metal with a length and two ends."""

from __future__ import annotations

from enum import StrEnum
from functools import lru_cache
from typing import Annotated, ClassVar

from pydantic import AfterValidator, Field

from mavrik.core.catalogue.conductor import Material, Size, Stranding, at_temperature, cable_resistance, parse_size
from mavrik.core.circuit.branches.base import BranchBase, Symbol
from mavrik.core.document import Document
from mavrik.core.thermal.ampacity import Ampacity, InsulationClass, Place, ampacity


class TerminationKind(StrEnum):
    """How a conductor end is made."""

    CRIMP = "crimp"
    CRIMP_SOLDER = "crimp_solder"
    SOLDER = "solder"
    POST_CLAMP = "post_clamp"
    UNKNOWN = "unknown"


class TerminationCondition(StrEnum):
    """What the eye says of a conductor end."""

    CLEAN = "clean"
    CORRODED = "corroded"
    LOOSE = "loose"
    HEAT_DAMAGED = "heat_damaged"
    UNKNOWN = "unknown"


BAD_LOOKS = (TerminationCondition.CORRODED, TerminationCondition.LOOSE, TerminationCondition.HEAT_DAMAGED)


class Termination(Document):
    """One end of a conductor."""

    kind: TerminationKind = TerminationKind.CRIMP
    condition: TerminationCondition = TerminationCondition.UNKNOWN


def _existing_size(text: str) -> str:
    return parse_size(text).label


SizeText = Annotated[str, AfterValidator(_existing_size), Field(description="2 AWG, 1/0 AWG, 35 mm2", max_length=20)]

LUG_JOINT_OHM = 0.05e-3
"""A crimped lug bolted to clean metal: 0.05 mohm an end. From memory of typical joints; common practice, no source."""


@lru_cache(maxsize=4096)
def _metal_20c_ohm(size: str, length_m: float, material: Material, parallel: int, stranding: Stranding) -> float:
    # Not a cached property of the branch: a changed copy of a document would carry the old value along.
    return cable_resistance(parse_size(size), length_m, 20.0, material, parallel, stranding)


class ConductorBranch(BranchBase):
    """A cable or strap."""

    symbol: ClassVar[Symbol] = Symbol.LINE

    length_m: Annotated[float, Field(ge=1e-3, le=50, description="Length along the route [m]")]
    size: SizeText
    material: Material = Material.COPPER
    stranding: Stranding = Field(Stranding.FLEXIBLE, description="How it is stranded: decides its resistance a metre")
    insulation_c: InsulationClass = 105
    place: Place = Place.ENGINE_SPACE
    ambient_c: Annotated[float, Field(ge=-40, le=120)] | None = Field(
        None, description="Air round it where it differs from its place's [degC]"
    )
    bundled: Annotated[int, Field(ge=1, le=40, description="Loaded cables in its bundle, this one included")] = 1
    parallel: Annotated[int, Field(ge=1, le=4, description="Equal runs side by side")] = 1
    sheathed: bool = Field(False, description="In a sleeve or conduit over its whole length")
    from_end: Termination = Termination()
    to_end: Termination = Termination()

    @property
    def conductor(self) -> Size:
        """The size as geometry."""
        return parse_size(self.size)

    def sound_resistance_ohm(self, temperature_c: float) -> float:
        """Resistance with both ends clean and tight, at a conductor temperature [ohm]."""
        cold = _metal_20c_ohm(self.size, self.length_m, self.material, self.parallel, self.stranding)
        return at_temperature(cold, temperature_c, self.material) + 2 * LUG_JOINT_OHM / self.parallel

    def ampacity(self) -> Ampacity:
        """What it may carry continuously, in its place, by the table of its size series."""
        return ampacity(
            self.conductor, self.insulation_c, self.place, None, self.material, self.parallel, self.ambient_c, self.bundled
        )

    @property
    def in_words(self) -> str:
        """Size and length as one would say them."""
        runs = f"{self.parallel} x " if self.parallel > 1 else ""
        return f"{runs}{self.size.replace('mm2', 'mm²')}, {self.length_m:g} m"

    @property
    def looks_bad(self) -> bool:
        """Whether an end looks corroded, loose or burnt."""
        return self.from_end.condition in BAD_LOOKS or self.to_end.condition in BAD_LOOKS

    @property
    def how_to_mend(self) -> str:
        """What to do about one that has too much resistance."""
        return (
            "Measure each end by itself, lug to stud and lug to cable: the end that reads is the one to clean, tighten or remake. "
            "Neither end reads: the cable itself is broken inside."
        )

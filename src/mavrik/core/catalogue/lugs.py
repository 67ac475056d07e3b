"""Lugs, studs and shrink as they are bought."""

from __future__ import annotations

from enum import StrEnum

from pydantic import BaseModel, ConfigDict

from mavrik.core.catalogue.conductor import Size, Stranding
from mavrik.core.catalogue.tables import Table, load_table


class BarrelData(BaseModel):
    """The tube of a lug."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    inner_mm: float
    outer_mm: float
    depth_mm: float
    """From its mouth to where the conductor stops."""


class StudData(BaseModel):
    """A stud, and the palm that goes over it."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    diameter_mm: float
    pitch_mm: float
    unified: bool = False
    """An inch thread, unified coarse."""
    hole_mm: float
    palm_mm: float
    """Least width of a palm with that hole."""


class ShrinkData(BaseModel):
    """A dual-wall sleeve: as it is bought, and shrunk by itself."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    supplied_mm: float
    recovered_mm: float


class StudMetal(StrEnum):
    """What a stud and its nut are made of."""

    STEEL = "steel_8_8"
    STAINLESS = "stainless_a2_70"
    BRASS = "brass"


class Palm(StrEnum):
    """How the palm of a lug stands to its barrel."""

    FLAT = "flat"
    BENT_45 = "bent_45"
    BENT_90 = "bent_90"


PALM_WORDS = {Palm.FLAT: "flat", Palm.BENT_45: "bent 45°", Palm.BENT_90: "bent 90°"}


class LugTable(Table):
    """The file ``lugs.json``."""

    pull_out_source: str
    pull_out_lbf: dict[str, float]
    """What a crimp holds, by the size of its conductor [lbf]."""
    thread_source: str
    proof_mpa: dict[StudMetal, float]
    nut_factor: float
    """Torque over preload times diameter."""
    proof_share: float
    """Of the proof stress that a nut draws a stud to."""
    strand_fill: dict[Stranding, float]
    """Metal of a stranded conductor over the circle round its strands."""
    barrels: dict[str, BarrelData]
    """By the size they are made for."""
    studs: dict[str, StudData]
    neck_share: float
    """Of a barrel's outer diameter: from where the conductor stops to where the palm begins."""
    clamp_reach_mm: float
    """From the middle of a battery's post to where the conductor stops in its clamp."""
    strip_allowance_mm: float
    """What is stripped beyond the barrel's depth: a hair."""
    shrink: tuple[ShrinkData, ...]
    """The smallest first."""
    shrink_over_cable_mm: float
    """So far a sleeve reaches onto the insulation."""


def lug_table() -> LugTable:
    """Barrels, studs and sleeves, from the data file that says where they come from.

    >>> lug_table().barrels["35 mm2"].inner_mm
    9.0
    """
    return load_table("lugs", LugTable)


def barrel_for(size: Size) -> BarrelData:
    """The barrel that is made for a size.

    size: of a conductor
    Raises ValueError for a size that no lug is made for.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> barrel_for(parse_size("2 AWG")).depth_mm
    18.0
    """
    try:
        return lug_table().barrels[size.label]
    except KeyError:
        made = ", ".join(lug_table().barrels)
        raise ValueError(f"No lug is made for {size.label}. Lugs are made for {made}.") from None


def stud(name: str) -> StudData:
    """A stud by its name.

    name: "M8", "5/16 in"
    Raises ValueError for one that is not listed.

    >>> stud("M8").hole_mm
    8.4
    """
    try:
        return lug_table().studs[name]
    except KeyError:
        raise ValueError(f"No stud '{name}' is listed: {', '.join(lug_table().studs)}.") from None

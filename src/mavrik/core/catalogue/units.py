"""Alternators that can be bought: what they give over shaft speed, what holds them, what they cost."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.document import Document, Label, RatedOutput

MOST_UNITS = 60

Point = Annotated[tuple[float, float], Field(description="Shaft speed [1/min], output at 25 degC [A]")]
Words = Annotated[str, Field(max_length=40)]

HIGHEST_RPM = 40_000.0


class Unit(Document):
    """One alternator of a price list."""

    name: Label
    system_voltage_v: Literal[12, 24] = 12
    kind: Literal["wound_field", "permanent_magnet"] = "wound_field"
    rated_a: RatedOutput
    points: Annotated[tuple[Point, ...], Field(max_length=12)] = ()
    """Of the maker's curve, rising in speed; without, the usual shape up to the rating."""
    limit_rpm: Annotated[float, Field(ge=1000, le=HIGHEST_RPM, description="Most the shaft may turn [1/min]")]
    pulley_mm: Annotated[float, Field(ge=20, le=400, description="Diameter of the pulley it comes with [mm]")]
    price: Annotated[float, Field(ge=0, le=1_000_000, description="In the workshop's currency")]
    regulator: Words = "internal"
    frame: Words = ""
    ears: Words = ""
    foot_mm: Annotated[float, Field(ge=0.1, le=400, description="Width of the foot [mm]")] | None = None
    bore_mm: Annotated[float, Field(ge=0.1, le=80, description="Of the pulley on the shaft [mm]")] | None = None
    rotation: Words = ""
    plug: Words = ""

    @model_validator(mode="after")
    def _rises(self) -> Unit:
        if any(not (0 <= rpm <= HIGHEST_RPM and 0 <= amps <= 2000) for rpm, amps in self.points):
            raise ValueError("A point is a shaft speed to 40000 /min and an output to 2000 A")
        if any(b[0] <= a[0] for a, b in pairwise(self.points)):
            raise ValueError("The points rise in shaft speed, each speed but once")
        return self


class UnitList(Document):
    """All that a workshop can get."""

    units: Annotated[tuple[Unit, ...], Field(max_length=MOST_UNITS)] = ()

    @model_validator(mode="after")
    def _distinct(self) -> UnitList:
        names = [u.name for u in self.units]
        if twice := next((n for n in names if names.count(n) > 1), None):
            raise ValueError(f"Two units are called '{twice}': tell them apart by name")
        return self


class UnitTable(Table):
    """The file ``units.json``."""

    units: tuple[Unit, ...]


def usual_units() -> UnitList:
    """What a workshop begins with: invented units, to be replaced by what its suppliers sell.

    >>> [u.name for u in usual_units().units if u.rated_a == 220]
    ['Quarry 220']
    """
    return UnitList(units=load_table("units", UnitTable).units)

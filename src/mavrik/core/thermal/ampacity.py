"""How much current a cable may carry for good, by named table."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from mavrik.core.catalogue.conductor import Material, Size, SizeSystem, awg_area_mm2, conductor_table
from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.thermal.heat import bundle_factor

INSULATION_CLASSES_C = (60, 75, 80, 90, 105, 125)


def _known_insulation(value: int) -> int:
    if value not in INSULATION_CLASSES_C:
        raise ValueError(f"Insulation classes: {', '.join(map(str, INSULATION_CLASSES_C))} degC")
    return value


InsulationClass = Annotated[
    int,
    AfterValidator(_known_insulation),
    Field(description="Insulation temperature class [degC]", json_schema_extra={"enum": list(INSULATION_CLASSES_C)}),
]


class Place(StrEnum):
    """Where a cable runs: what surrounds it decides what it may carry."""

    ENGINE_SPACE = "engine_space"
    CABIN = "cabin"
    OUTSIDE = "outside"


class AmpacityTableName(StrEnum):
    """The named tables."""

    ABYC_E11 = "abyc_e11"
    ISO_10133 = "iso_10133"


class AmpacityTable(BaseModel):
    """One table: amperes by insulation class and size."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    system: SizeSystem
    outside_ambient_c: float
    engine_space_ambient_c: float
    engine_space_factor: dict[int, float]
    amperes: dict[int, dict[float, float]]


class AmpacityTables(Table):
    """The file ``ampacity.json``."""

    tables: dict[AmpacityTableName, AmpacityTable]


@dataclass(frozen=True)
class Ampacity:
    """An allowed continuous current and how it came about."""

    current_a: float
    table: AmpacityTableName
    table_label: str
    reason: str
    ambient_c: float


def ampacity_tables() -> AmpacityTables:
    """All tables, from the data file that names their sources."""
    return load_table("ampacity", AmpacityTables)


def _row(table: AmpacityTable, size: Size, insulation_c: int) -> tuple[float, str]:
    """Amperes of the size itself, or of the next smaller size the table has, with a word on which."""
    column = table.amperes[insulation_c]
    if size.system is table.system and size.number in column:
        return column[size.number], size.label

    def area(key: float) -> float:
        return awg_area_mm2(int(key)) if table.system is SizeSystem.AWG else key

    fitting = [key for key in column if area(key) <= size.area_mm2]
    if not fitting:
        raise ValueError(f"{size.label} is smaller than the smallest size of {table.label}")
    key = max(fitting, key=area)
    return column[key], f"{size.label} taken as the next smaller row, {Size(table.system, key).label}"


@lru_cache(maxsize=4096)
def ampacity(
    size: Size,
    insulation_c: int,
    place: Place,
    table: AmpacityTableName | None = None,
    material: Material = Material.COPPER,
    parallel: int = 1,
    ambient_c: float | None = None,
    bundled: int = 1,
) -> Ampacity:
    """Continuous current a single cable may carry [A].

    size: conductor size
    insulation_c: insulation temperature class [degC], one of `INSULATION_CLASSES_C`
    place: where it runs; an engine space takes the table's factor
    table: named table; left out, the one whose sizes the cable is bought in (AWG: ABYC E-11, mm2: ISO 10133)
    material: other metals than copper carry less, by the root of the resistivities (same heat per metre)
    parallel: equal runs side by side, 1 or more
    ambient_c: air round it [degC], where it differs from what the table takes for its place
    bundled: loaded cables in its bundle, this one included
    Returns the current, the table used and the words for it. A size that the table does not list takes the next
    smaller row. An ambient of its own corrects by the root of the rise left over the rise the table was made with, as at
    a constant film the rise goes with the square of the current; at or above the insulation's class it may carry nothing.
    Raises ValueError for a class that no table has or a size below every row.
    Source: ABYC E-11 and ISO 10133, from memory, see the data file; bundles by ABYC E-11; the ambient's root as in
    IEC 60364-5-52.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> ampacity(parse_size("2 AWG"), 105, Place.OUTSIDE).current_a
    210.0
    >>> round(ampacity(parse_size("2 AWG"), 105, Place.ENGINE_SPACE).current_a, 1)
    178.5
    """
    if insulation_c not in INSULATION_CLASSES_C:
        allowed = ", ".join(str(c) for c in INSULATION_CLASSES_C)
        raise ValueError(f"No ampacity for {insulation_c} degC insulation. Classes: {allowed} degC.")
    if parallel < 1:
        raise ValueError("A cable has at least one run")
    name = table or (AmpacityTableName.ABYC_E11 if size.system is SizeSystem.AWG else AmpacityTableName.ISO_10133)
    data = ampacity_tables().tables[name]
    current, row = _row(data, size, insulation_c)
    basis = [data.label, f"{row}, {insulation_c} degC insulation"]
    ambient = data.outside_ambient_c
    if ambient_c is not None:
        factor = math.sqrt(max(insulation_c - ambient_c, 0.0) / (insulation_c - ambient))
        current *= factor
        ambient = ambient_c
        basis.append(f"x {factor:.2f} in air of {ambient_c:g} degC")
    elif place is Place.ENGINE_SPACE:
        factor = data.engine_space_factor[insulation_c]
        current *= factor
        ambient = data.engine_space_ambient_c
        basis.append(f"x {factor:g} in the engine space")
    if material is not Material.COPPER:
        materials = conductor_table().materials
        factor = math.sqrt(materials[Material.COPPER].resistivity_ohm_m / materials[material].resistivity_ohm_m)
        current *= factor
        basis.append(f"x {factor:.2f} for {materials[material].label.lower()}")
    if bundled > 1:
        factor = bundle_factor(bundled)
        current *= factor
        basis.append(f"x {factor:g} as one of {bundled} in a bundle")
    if parallel > 1:
        current *= parallel
        basis.append(f"x {parallel} runs")
    return Ampacity(current, name, data.label, ": ".join((basis[0], ", ".join(basis[1:]))), ambient)

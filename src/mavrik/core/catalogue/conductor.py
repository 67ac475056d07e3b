"""Conductors: sizes, cross-sections and resistance at working temperature."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from enum import StrEnum
from functools import cache

from pydantic import BaseModel, ConfigDict

from mavrik.core.catalogue.tables import Table, load_table

LARGEST_AWG = -3  # 4/0
SMALLEST_AWG = 20

CIRCULAR_MIL_MM2 = math.pi / 4 * 0.0254**2
"""A circle of one thousandth of an inch across [mm2]."""
LEAST_CIRCULAR_MIL, MOST_CIRCULAR_MIL = 1000, 300_000

PROPOSED_AWG = ("10 AWG", "8 AWG", "6 AWG", "4 AWG", "2 AWG", "1 AWG", "1/0 AWG", "2/0 AWG", "3/0 AWG", "4/0 AWG")
PROPOSED_METRIC = ("6 mm2", "10 mm2", "16 mm2", "25 mm2", "35 mm2", "50 mm2", "70 mm2", "95 mm2", "120 mm2")


class Material(StrEnum):
    """What the conductor is made of."""

    COPPER = "copper"
    TINNED_COPPER = "tinned_copper"
    COPPER_CLAD_ALUMINIUM = "copper_clad_aluminium"
    ALUMINIUM = "aluminium"


CLASS_5_OVER_ROAD = 1.05
"""Class 5 allows about so much more than road-vehicle cable of the same size; the tables' ratio, checked in the tests."""


class Stranding(StrEnum):
    """How the conductor is made of its strands."""

    FLEXIBLE = "flexible"
    EXTRA_FLEXIBLE = "extra_flexible"
    ROAD_VEHICLE = "road_vehicle"


class SizeSystem(StrEnum):
    """The series a cable is bought in."""

    AWG = "awg"
    METRIC = "mm2"
    CIRCULAR_MIL = "cmil"


class MaterialData(BaseModel):
    """Resistivity at 20 degC and its temperature coefficient."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    resistivity_ohm_m: float
    temperature_coefficient_per_k: float


class StrandingData(BaseModel):
    """A class of stranding: what it is called, the series its metric sizes follow, and the lay of its AWG sizes."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    series: str
    awg_lay: float


class ConductorTable(Table):
    """The file ``conductors.json``."""

    materials: dict[Material, MaterialData]
    strandings: dict[Stranding, StrandingData]
    road_vehicle_max_ohm_per_km: dict[str, float]
    class_5_max_ohm_per_km: dict[str, float]

    @property
    def metric_sizes(self) -> list[str]:
        """Every size that is made in some series [mm2], the smallest first."""
        return sorted({*self.road_vehicle_max_ohm_per_km, *self.class_5_max_ohm_per_km}, key=float)


@dataclass(frozen=True)
class Size:
    """A conductor size that exists: its system, its gauge number or its nominal area."""

    system: SizeSystem
    number: float
    """AWG number (1/0 is 0, 4/0 is -3), nominal area [mm2], or area [circular mil]."""

    @property
    def area_mm2(self) -> float:
        """Metal cross-section of an AWG size, nominal cross-section of a metric one [mm2]."""
        if self.system is SizeSystem.AWG:
            return awg_area_mm2(int(self.number))
        return self.number * CIRCULAR_MIL_MM2 if self.system is SizeSystem.CIRCULAR_MIL else self.number

    @property
    def label(self) -> str:
        """The size as it is written on the cable."""
        if self.system is SizeSystem.METRIC:
            return f"{self.number:g} mm2"
        if self.system is SizeSystem.CIRCULAR_MIL:
            return f"{self.number:.0f} CM"
        return f"{1 - int(self.number)}/0 AWG" if self.number <= 0 else f"{self.number:g} AWG"


def conductor_table() -> ConductorTable:
    """Materials and metric conductors, from the data file that names its sources."""
    return load_table("conductors", ConductorTable)


@cache
def awg_diameter_mm(number: int) -> float:
    """Diameter of a solid AWG conductor [mm].

    number: gauge number; 0, -1, -2, -3 stand for 1/0 to 4/0
    Raises ValueError outside 4/0 to 40.
    Source: ASTM B258, d = 0.005 in x 92^((36 - n)/39).

    >>> round(awg_diameter_mm(2), 3)
    6.544
    """
    if not LARGEST_AWG <= number <= 40:
        raise ValueError(f"AWG number {number} is outside 4/0 to 40")
    return float(0.005 * 25.4 * 92.0 ** ((36 - number) / 39))


def awg_area_mm2(number: int) -> float:
    """Cross-section of a solid AWG conductor [mm2].

    number: gauge number; 0, -1, -2, -3 stand for 1/0 to 4/0
    Raises ValueError outside 4/0 to 40.
    Source: ASTM B258, circle of the diameter.

    >>> round(awg_area_mm2(2), 1)
    33.6
    """
    return math.pi / 4 * awg_diameter_mm(number) ** 2


@cache
def parse_size(text: str) -> Size:
    """A cable size as people write it.

    text: "2 AWG", "1/0", "0000 AWG", "16 mm2", "16 mm²", "16,0 mm2", "66360 CM"
    Returns the size; raises ValueError when it is not written so, or no cable of that size is made.
    Source: ASTM B258, IEC 60228 and ISO 19642 for which sizes exist.

    >>> parse_size("1/0 AWG").number, parse_size("35 mm2").area_mm2
    (0, 35.0)
    """
    clean = text.strip().lower().replace("²", "2").replace(",", ".")
    clean = re.sub(r"\s+", " ", clean)
    metric = re.fullmatch(r"(\d{1,4}(?:\.\d{1,2})?) ?mm ?\^?2", clean)
    if metric:
        number = float(metric.group(1))
        if f"{number:g}" not in conductor_table().metric_sizes:
            made = ", ".join(conductor_table().metric_sizes)
            raise ValueError(f"No cable of {number:g} mm2 is made. Metric sizes: {made} mm2.")
        return Size(SizeSystem.METRIC, number)
    mils = re.fullmatch(r"(\d{3,7}) ?(?:cm|cmil|circular mils?)", clean)
    if mils:
        number = float(mils.group(1))
        if not LEAST_CIRCULAR_MIL <= number <= MOST_CIRCULAR_MIL:
            raise ValueError(f"{number:g} circular mils is no charging cable: {LEAST_CIRCULAR_MIL} to {MOST_CIRCULAR_MIL} CM.")
        return Size(SizeSystem.CIRCULAR_MIL, number)
    gauge = re.fullmatch(r"(?:awg ?)?([1-9]\d?|[1-9]/0|0{1,4})(?: ?awg)?", clean)
    if gauge:
        written = gauge.group(1)
        if written.endswith("/0"):
            number = 1 - int(written[:-2])
        elif set(written) == {"0"}:
            number = 1 - len(written)
        else:
            number = int(written)
        if LARGEST_AWG <= number <= SMALLEST_AWG:
            return Size(SizeSystem.AWG, number)
        raise ValueError(f"No charging cable of {text.strip()} is made. AWG sizes run from 20 AWG to 4/0 AWG.")
    raise ValueError(f"'{text.strip()}' is not a cable size. Write it like 2 AWG, 1/0 AWG or 35 mm2.")


@cache
def resistance_per_m_20c(size: Size, material: Material, stranding: Stranding = Stranding.FLEXIBLE) -> float:
    """Resistance of one metre of stranded conductor at 20 degC [ohm/m].

    size: conductor size
    material: conductor metal
    stranding: class of stranding
    Metric sizes in copper take the maximum of their series (what a cable may have and still be sold); AWG sizes take
    resistivity over metal area with the lay of the strands, which run a helix and so are longer than their cable. Other
    metals scale by resistivity.
    Source: IEC 60228 classes 5 and 6, ISO 6722-1; ASTM B258 with IEC 60028; lay from NEC chapter 9 table 8 and ASTM B172.

    >>> resistance_per_m_20c(parse_size("35 mm2"), Material.COPPER)
    0.000554
    """
    table = conductor_table()
    resistivity = table.materials[material].resistivity_ohm_m
    if size.system is SizeSystem.METRIC:
        name, road = f"{size.number:g}", table.road_vehicle_max_ohm_per_km
        copper = road.get(name, math.inf) / 1000
        if stranding is not Stranding.ROAD_VEHICLE:
            # A size that is made for vehicles alone has in another stranding what that series has more.
            copper = table.class_5_max_ohm_per_km.get(name, CLASS_5_OVER_ROAD * road.get(name, math.inf)) / 1000
        return copper * (resistivity / table.materials[Material.COPPER].resistivity_ohm_m)
    return resistivity * table.strandings[stranding].awg_lay / (size.area_mm2 * 1e-6)


def at_temperature(resistance_20c_ohm: float, temperature_c: float, material: Material) -> float:
    """A resistance known at 20 degC, at another temperature [ohm].

    resistance_20c_ohm: resistance at 20 degC [ohm], 0 or more
    temperature_c: conductor temperature [degC], above -60 and below 300
    material: conductor metal
    Raises ValueError for a negative resistance or a temperature outside the linear range.
    Source: IEC 60028, R = R20 (1 + alpha (T - 20)).

    >>> round(at_temperature(0.001, 75, Material.COPPER), 6)
    0.001216
    """
    if not resistance_20c_ohm >= 0:
        raise ValueError("A resistance is 0 or more")
    if not -60 < temperature_c < 300:
        raise ValueError(f"A conductor temperature of {temperature_c} degC is outside -60 to 300 degC")
    return resistance_20c_ohm * (1 + temperature_coefficient_per_k(material) * (temperature_c - 20))


@cache
def temperature_coefficient_per_k(material: Material) -> float:
    """Rise of a metal's resistance, of its value at 20 degC [1/K].

    material: conductor metal
    Source: IEC 60028 for copper, see the data file.

    >>> temperature_coefficient_per_k(Material.COPPER)
    0.00393
    """
    return conductor_table().materials[material].temperature_coefficient_per_k


def cable_resistance(
    size: Size,
    length_m: float,
    temperature_c: float,
    material: Material = Material.COPPER,
    parallel: int = 1,
    stranding: Stranding = Stranding.FLEXIBLE,
) -> float:
    """Resistance of a cable from end to end of its conductor, without its lugs [ohm].

    size: conductor size
    length_m: length along the route [m], above 0
    temperature_c: conductor temperature [degC]
    material: conductor metal
    parallel: equal runs side by side, 1 or more
    stranding: class of stranding
    Raises ValueError for a length or count that cannot be.
    Source: Ohm's law over `resistance_per_m_20c`.

    >>> round(cable_resistance(parse_size("2 AWG"), 2.0, 20) * 1000, 3)
    1.046
    """
    if not (length_m > 0 and math.isfinite(length_m)):
        raise ValueError("A cable has a length above 0")
    if parallel < 1:
        raise ValueError("A cable has at least one run")
    cold = resistance_per_m_20c(size, material, stranding) * length_m / parallel
    return at_temperature(cold, temperature_c, material)


def circular_mils_for_drop(current_a: float, length_there_and_back_ft: float, drop_v: float) -> float:
    """Conductor area that keeps a drop, by the marine rule of thumb [circular mil].

    current_a: current [A]
    length_there_and_back_ft: length of feed plus return [ft]
    drop_v: allowed drop [V], above 0
    Raises ValueError when the allowed drop is not above 0.
    Source: ABYC E-11, CM = 10.75 x A x ft / V. Used as a second opinion on the sizing, never in its place.

    >>> round(circular_mils_for_drop(100, 20, 0.36))
    59722
    """
    if not drop_v > 0:
        raise ValueError("The allowed drop is above 0 V")
    return 10.75 * current_a * length_there_and_back_ft / drop_v

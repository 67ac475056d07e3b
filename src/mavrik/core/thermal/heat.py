"""How warm a cable gets, for good and for a while: heat made by its current, heat lost to the air round it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from ht.conv_free_immersed import Nu_horizontal_cylinder_Churchill_Chu
from numpy.typing import ArrayLike, NDArray
from pydantic import BaseModel, ConfigDict

from mavrik.core.catalogue.conductor import (
    Material,
    Size,
    Stranding,
    conductor_table,
    resistance_per_m_20c,
    temperature_coefficient_per_k,
)
from mavrik.core.catalogue.tables import Table, load_table

FAILED_C = 250.0
"""Conductor temperature at which every insulation has long failed; nothing is said beyond it."""

STEFAN_BOLTZMANN = 5.670374419e-8
GRAVITY = 9.80665
ZERO_C_K = 273.15
SURFACE_STEPS = 72
TIME_STEPS = 200
SETTLED_SHARE = 0.999
"""A temperature that has come this far towards its end has arrived."""


class AirData(BaseModel):
    """Air at atmospheric pressure over temperature."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    kelvin: tuple[float, ...]
    kinematic_viscosity_um2_per_s: tuple[float, ...]
    conductivity_mw_per_m_k: tuple[float, ...]
    prandtl: tuple[float, ...]


class HeatTable(Table):
    """The file ``heat.json``."""

    air: AirData
    strand_fill: float
    wall_mm_up_to_mm2: dict[float, float]
    jacket_conductivity_w_per_m_k: float
    emissivity: float
    bundle_factors: dict[int, float]
    metal_heat_mj_per_m3_k: dict[Material, float]
    short_circuit_final_c: dict[int, float]


def heat_table() -> HeatTable:
    """Air, jackets and metals, from the data file that names its sources."""
    return load_table("heat", HeatTable)


def lost_w_per_m(surface_c: ArrayLike, ambient_c: float, diameter_m: float) -> NDArray[np.float64]:
    """Heat that one metre of horizontal cable loses in still air [W/m].

    surface_c: temperature of its surface [degC], one or many, not below the ambient
    ambient_c: of the air and of the walls round it [degC]
    diameter_m: outer diameter [m]
    Free convection and radiation; moving air takes more.
    Source: Churchill and Chu's correlation for a horizontal cylinder, as in the package `ht`; Stefan-Boltzmann law.

    >>> round(float(lost_w_per_m(80, 30, 0.011)), 1)
    29.0
    """
    table = heat_table()
    surface = np.asarray(surface_c, dtype=float)
    film_k = (surface + ambient_c) / 2 + ZERO_C_K
    nu = np.interp(film_k, table.air.kelvin, table.air.kinematic_viscosity_um2_per_s) * 1e-6
    conductivity = np.interp(film_k, table.air.kelvin, table.air.conductivity_mw_per_m_k) * 1e-3
    prandtl = np.interp(film_k, table.air.kelvin, table.air.prandtl)
    grashof = GRAVITY / film_k * (surface - ambient_c) * diameter_m**3 / nu**2
    # Takes arrays as well as numbers.
    nusselt = Nu_horizontal_cylinder_Churchill_Chu(prandtl, grashof)  # type: ignore[arg-type]
    film = nusselt * conductivity / diameter_m
    radiated = table.emissivity * STEFAN_BOLTZMANN * ((surface + ZERO_C_K) ** 4 - (ambient_c + ZERO_C_K) ** 4)
    return np.asarray(math.pi * diameter_m * (film * (surface - ambient_c) + radiated), dtype=float)


def bundle_factor(count: int) -> float:
    """Share of its current that a cable may carry among others that carry theirs.

    count: loaded cables in the bundle, this one included, 1 or more
    Source: ABYC E-11, see the data file.

    >>> bundle_factor(1), bundle_factor(3)
    (1.0, 0.7)
    """
    if count < 1:
        raise ValueError("A bundle has at least one cable")
    factors = heat_table().bundle_factors
    return factors[min(k for k in factors if k >= min(count, max(factors)))]


def diameters_mm(size: Size) -> tuple[float, float]:
    """Diameter of a cable's bunch of strands, and over its jacket [mm].

    size: conductor size
    Source: the fill of fine strands and the wall of single conductor cable, see the data file.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> [round(d, 1) for d in diameters_mm(parse_size("35 mm2"))]
    [8.6, 11.7]
    """
    table = heat_table()
    conductor = math.sqrt(4 * size.area_mm2 / (math.pi * table.strand_fill))
    walls = table.wall_mm_up_to_mm2
    return conductor, conductor + 2 * walls[min(a for a in walls if a >= size.area_mm2)]


@dataclass(frozen=True)
class HeatCurve:
    """A cable's balance of heat: for rising conductor temperatures the current that keeps each of them, and what is lost."""

    ambient_c: float
    conductor_c: NDArray[np.float64]
    current_a: NDArray[np.float64]
    """Of one run [A]."""
    lost_w_per_m: NDArray[np.float64]
    ohm_per_m_20c: float
    per_k: float
    heat_j_per_m_k: float
    """Of the metal alone: the jacket follows too slowly to be counted on."""
    bundle_factor: float

    def temperature_c(self, current_a: float) -> float:
        """Conductor temperature that a current of one run settles at [degC], at most `FAILED_C`."""
        return float(np.interp(abs(current_a), self.current_a, self.conductor_c))

    def ampacity_a(self, limit_c: float) -> float:
        """Current of one run that keeps the conductor at a temperature [A]."""
        return float(np.interp(limit_c, self.conductor_c, self.current_a))

    def _gain_k_per_s(self, current_a: float, conductor_c: NDArray[np.float64]) -> NDArray[np.float64]:
        made = (current_a / self.bundle_factor) ** 2 * self.ohm_per_m_20c * (1 + self.per_k * (conductor_c - 20.0))
        lost = np.interp(conductor_c, self.conductor_c, self.lost_w_per_m)
        return np.asarray((made - lost) / self.heat_j_per_m_k)

    def seconds_to(self, current_a: float, to_c: float, from_c: float) -> float:
        """How long a current of one run takes to bring the conductor from one temperature up to another [s].

        Returns infinity where it settles below. Source: heat balance of the metal, integrated over temperature.
        """
        if to_c <= from_c:
            return 0.0
        warm = np.linspace(from_c, to_c, TIME_STEPS)
        gain = self._gain_k_per_s(current_a, warm)
        return float(np.trapezoid(1 / gain, warm)) if (gain > 0).all() else math.inf

    def after_c(self, current_a: float, seconds: float, from_c: float) -> float:
        """Conductor temperature after a current of one run has flowed for a time [degC], at most `FAILED_C`."""
        end = self.temperature_c(current_a)
        if abs(end - from_c) < 1e-6:
            return end
        way = np.concatenate(([0.0], SETTLED_SHARE * -np.expm1(-np.linspace(0, 7, TIME_STEPS)[1:])))
        warm = from_c + (end - from_c) * way
        slope = 1 / self._gain_k_per_s(current_a, warm)
        passed = np.concatenate(([0.0], np.cumsum((slope[1:] + slope[:-1]) / 2 * np.diff(warm))))
        return float(np.interp(seconds, passed, warm))


@lru_cache(maxsize=4096)
def heat_curve(
    size: Size,
    ambient_c: float,
    material: Material = Material.COPPER,
    stranding: Stranding = Stranding.FLEXIBLE,
    bundled: int = 1,
) -> HeatCurve:
    """A cable's balance of heat in still air of a temperature.

    size, material, stranding: the conductor
    ambient_c: of the air round it [degC]
    bundled: loaded cables in its bundle, this one included
    Returns temperatures from the ambient to `FAILED_C` with the current of one run that keeps each. In a bundle a current
    warms as much as a larger one would alone.
    Source: heat balance, see `lost_w_per_m`; the jacket as a resistance in series; IEC 60028 for the metal.

    >>> from mavrik.core.catalogue.conductor import parse_size
    >>> curve = heat_curve(parse_size("2 AWG"), 30.0)
    >>> round(curve.ampacity_a(105)), round(curve.temperature_c(210))
    (248, 84)
    """
    table = heat_table()
    inner, outer = diameters_mm(size)
    surface = ambient_c + (FAILED_C - ambient_c) * np.linspace(1e-3, 1, SURFACE_STEPS) ** 2
    lost = lost_w_per_m(surface, ambient_c, outer / 1000)
    conductor = surface + lost * math.log(outer / inner) / (2 * math.pi * table.jacket_conductivity_w_per_m_k)
    ohm, per_k = resistance_per_m_20c(size, material, stranding), temperature_coefficient_per_k(material)
    factor = bundle_factor(bundled)
    current = np.sqrt(lost / (ohm * (1 + per_k * (conductor - 20.0)))) * factor
    kept = conductor < FAILED_C

    def up_to_failed(values: NDArray[np.float64], first: float) -> NDArray[np.float64]:
        return np.concatenate(([first], values[kept], [np.interp(FAILED_C, conductor, values)]))

    return HeatCurve(
        ambient_c=ambient_c,
        conductor_c=up_to_failed(conductor, ambient_c),
        current_a=up_to_failed(current, 0.0),
        lost_w_per_m=up_to_failed(lost, 0.0),
        ohm_per_m_20c=ohm,
        per_k=per_k,
        heat_j_per_m_k=table.metal_heat_mj_per_m3_k[material] * size.area_mm2,
        bundle_factor=factor,
    )


def temperatures_c(curves: Sequence[HeatCurve], current_a: NDArray[np.float64]) -> NDArray[np.float64]:
    """As `HeatCurve.temperature_c`, of many cables at once.

    curves: one a cable
    current_a: of one run of each (cables,) [A]
    """
    return np.array([c.temperature_c(i) for c, i in zip(curves, current_a.tolist(), strict=True)])


def withstand_factor(material: Material, from_c: float, to_c: float) -> float:
    """k of the short-circuit withstand I2 t = k2 S2 [A s^0.5 / mm2].

    material: conductor metal
    from_c, to_c: conductor temperature before, and the most its insulation bears for seconds [degC]
    Raises ValueError unless the second lies above the first.
    Source: IEC 60364-5-54 annex, k = K sqrt(ln((beta + Tf) / (beta + Ti))) with K2 = Qc (beta + 20) / rho.

    >>> round(withstand_factor(Material.COPPER, 70, 160)), round(withstand_factor(Material.COPPER, 90, 250))
    (115, 143)
    """
    if to_c <= from_c:
        raise ValueError("The final temperature lies above the first")
    metal = conductor_table().materials[material]
    beta = 1 / metal.temperature_coefficient_per_k - 20.0
    heat = heat_table().metal_heat_mj_per_m3_k[material]
    k_metal = math.sqrt(heat * 1e6 * (beta + 20) / metal.resistivity_ohm_m) * 1e-6
    return k_metal * math.sqrt(math.log((beta + to_c) / (beta + from_c)))


def short_circuit_final_c(insulation_c: int) -> float:
    """Conductor temperature an insulation bears for a few seconds [degC].

    insulation_c: its class; up to 90 taken as PVC, above as cross-linked
    Source: IEC 60364-5-54 annex.

    >>> short_circuit_final_c(75), short_circuit_final_c(105)
    (160.0, 250.0)
    """
    return heat_table().short_circuit_final_c[insulation_c]

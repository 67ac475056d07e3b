"""What batteries and alternators give and take, from what is known of them."""

from __future__ import annotations

from functools import cache, lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.document import Document


class SourceTable(Table):
    """The file ``sources.json``."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    rest_v_12: dict[str, dict[float, float]]
    acceptance_c: dict[str, dict[float, float]]
    float_v_12: dict[str, float]
    """What holds a full battery full without gassing, by chemistry [V]."""
    set_point_mv_per_k_12: dict[str, float]
    """How the charging voltage should follow the battery's temperature, from 25 degC, by chemistry [mV/K]."""
    charge_efficiency: dict[str, float]
    """What of the ampere-hours put in comes out again, by chemistry."""
    charge_window_12: dict[str, tuple[float, float]]
    """Least and most that a 12 V battery of a chemistry is charged at for hours. Common practice; its maker's figures win."""
    acceptance_at_v_12: dict[str, float]
    inner_ohm_ah: dict[str, float]
    """Inner resistance times capacity of a new, warm, full battery, by chemistry [ohm Ah]."""
    warm_share_of_cold: float
    """What is left of the inner resistance at -18 degC when it is warm, at the least."""
    resistance_per_k_below_25c: float
    acceptance_per_k_below_25c: float
    alternator_curve: tuple[tuple[float, float], ...]
    magnet_curve: tuple[tuple[float, float], ...]
    fault_output_share: dict[str, float]
    belt_slip: float
    """What of its speed a shaft loses under a belt that slips, where it is hardest to turn."""
    alternator_efficiency: float
    """Electrical over mechanical power, at a load worth the name."""
    belt_friction: float
    """Of a ribbed belt's rubber on a steel pulley."""
    belt_friction_worn: float
    """The same when worn or damp."""
    rib_tension_n: float
    """What a rib of profile PK is set to at most, the mean of both sides [N]."""
    alternator_rise_k: float
    """How much warmer than the air it draws an alternator is at its full output, once it has settled."""
    alternator_tau_s: float
    """How soon it is 63 % of the way there."""
    engine_space_rise_k: float
    """How much warmer the air over a running engine is than outside."""
    cold_factor: float
    hot_factor: float
    clamp_v_12: float
    """What a rectifier of avalanche diodes lets stand at the stud of a 12 V alternator [V]."""
    reference_c: float
    hot_c: float


class CurvePoint(BaseModel):
    """One point of an output curve."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    shaft_rpm: float
    output_a: float


class KnownOutput(Document):
    """One thing that is known of what a unit gives, at full field."""

    shaft_rpm: Annotated[float, Field(ge=200, le=30_000, description="Speed of its shaft [1/min]")]
    output_a: Annotated[float, Field(ge=0, le=2000, description="What it gives there [A]")]
    u_a: Annotated[float, Field(ge=1e-3, le=500, description="Expanded uncertainty [A]; null: a maker's figure")] | None = None
    unit_c: (
        Annotated[float, Field(ge=-40, le=180, description="Temperature of the unit [degC]; null: as ratings are, cold")] | None
    ) = None


class OutputBasis(Document):
    """What an output curve was made of, and how."""

    how: Literal["points", "fitted"] = Field(
        description="points: straight between what is known; fitted: one machine's curve through it"
    )
    known: Annotated[tuple[KnownOutput, ...], Field(max_length=24)] = ()


@cache
def source_table() -> SourceTable:
    """All figures, from the data file that names their sources."""
    return load_table("sources", SourceTable)


def _between(points: dict[float, float], at: float) -> float:
    keys = sorted(points)
    return float(np.interp(at, keys, [points[k] for k in keys]))


@lru_cache(maxsize=1024)
def rest_voltage_v(chemistry: str, state_of_charge: float) -> float:
    """Rest voltage of a 12 V battery [V].

    chemistry: flooded, efb, agm, gel or lifepo4
    state_of_charge: 0 to 1
    Raises ValueError outside 0 to 1.
    Source: BCI for flooded batteries; the data file for the others.

    >>> rest_voltage_v("flooded", 1.0), rest_voltage_v("flooded", 0.25)
    (12.65, 12.06)
    """
    if not 0 <= state_of_charge <= 1:
        raise ValueError("A state of charge is between 0 and 1")
    return _between(source_table().rest_v_12[chemistry], state_of_charge)


@lru_cache(maxsize=1024)
def charging_resistance_ohm(
    chemistry: str, state_of_charge: float, capacity_ah: float, temperature_c: float, least_ohm: float
) -> float:
    """Apparent resistance of a 12 V battery that is being charged [ohm].

    chemistry: as for `rest_voltage_v`
    state_of_charge: 0 to 1
    capacity_ah: nominal capacity [Ah], above 0
    temperature_c: of the battery [degC]
    least_ohm: its internal resistance [ohm]; charging never takes less
    At its absorption voltage a battery takes its acceptance, some part of its capacity an hour; the rest of that voltage
    over its rest voltage is what drives it. Cold batteries take less.
    Source: the data file, common practice.

    >>> round(charging_resistance_ohm("flooded", 1.0, 70, 25, 0.006), 2)  # 1.75 V for 1.4 A
    1.25
    """
    table = source_table()
    current = _between(table.acceptance_c[chemistry], state_of_charge) * capacity_ah
    current *= max(1 - table.acceptance_per_k_below_25c * max(table.reference_c - temperature_c, 0.0), 0.05)
    drive = table.acceptance_at_v_12[chemistry] - rest_voltage_v(chemistry, state_of_charge)
    return max(drive / current, least_ohm)


COLD_DROP_V = 12.6 - 7.2
"""From rest to where SAE J537 lets a battery fall at its cold cranking current, -18 degC."""


def least_inner_ohm(chemistry: str, capacity_ah: float, cca_a: float | None = None) -> float:
    """The least inner resistance a battery of a size is likely to have: one unit of 12 V, new, warm, full [ohm].

    chemistry: as the table names it; capacity_ah: nominal [Ah]; cca_a: cold cranking current [A], where known
    Source: SAE J537's definition of the cold cranking current, a third of that resistance when warm; by capacity an order of
    magnitude, see the data file.

    >>> round(least_inner_ohm("flooded", 70, 640) * 1000, 2), round(least_inner_ohm("lifepo4", 400) * 1000, 2)
    (2.81, 0.25)
    """
    table = source_table()
    if cca_a is not None:
        return table.warm_share_of_cold * COLD_DROP_V / cca_a
    return table.inner_ohm_ah[chemistry] / capacity_ah


def internal_resistance_factor(temperature_c: float, age: float = 0.0) -> float:
    """How much more internal resistance a cold or old battery has than a new one at 25 degC.

    temperature_c: of the battery [degC]
    age: 0 new to 1 worn out, at which it has doubled
    Source: the data file, common practice.

    >>> round(internal_resistance_factor(-18), 3), internal_resistance_factor(25, 1.0)
    (1.516, 2.0)
    """
    table = source_table()
    return (1 + table.resistance_per_k_below_25c * max(table.reference_c - temperature_c, 0.0)) * (1 + age)


def output_limit_a(
    rated_a: float,
    shaft_rpm: float | NDArray[np.float64],
    temperature_c: float,
    curve: tuple[CurvePoint, ...] = (),
    magnet: bool = False,
) -> NDArray[np.float64]:
    """Most an alternator can give at a shaft speed [A].

    rated_a: rated output, at 6000 /min of the shaft and 23 degC (ISO 8854) [A]
    shaft_rpm: speed of its shaft [1/min], one or many
    temperature_c: of the alternator [degC]: cold windings give more, hot ones less
    curve: measured or the maker's points; left out, the usual shape scaled to the rating
    magnet: a permanent-magnet stator, whose curve is flatter
    Source: the data file, common practice; a nameplate is not the idle figure.

    >>> round(float(output_limit_a(170, 1800, 25)), 1), round(float(output_limit_a(170, 1800, 100)), 1)
    (71.4, 60.7)
    """
    table = source_table()
    if curve:
        points = [(p.shaft_rpm, p.output_a) for p in sorted(curve, key=lambda p: p.shaft_rpm)]
    else:
        points = [(rpm, share * rated_a) for rpm, share in (table.magnet_curve if magnet else table.alternator_curve)]
    warmth = (temperature_c - table.reference_c) / (table.hot_c - table.reference_c)
    factor = 1 + (table.hot_factor - 1) * warmth if warmth >= 0 else 1 + (table.cold_factor - 1) * min(-warmth, 1.0)
    return np.asarray(np.interp(shaft_rpm, [r for r, _ in points], [a for _, a in points]) * factor, dtype=float)

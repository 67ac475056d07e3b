"""Fuses: families, ratings, the choice between load and cable, and where a fuse has to sit."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise
from typing import TypeAlias

from pydantic import BaseModel, ConfigDict

from mavrik.core.catalogue.tables import Table, load_table


class FuseFamily(StrEnum):
    """The families this table knows."""

    BLADE_F = "blade_f"
    BLADE_C = "blade_c"
    BLADE_E = "blade_e"
    STRIP_30 = "strip_30"
    STRIP_51 = "strip_51"
    ANL = "anl"
    MRBF = "mrbf"
    CLASS_T = "class_t"


BandPoint: TypeAlias = tuple[float, float, float | None]
"""Multiple of the rating, least and most opening time [s]; no most where it may never open."""


class FuseFamilyData(BaseModel):
    """What one family offers."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    ratings_a: tuple[float, ...]
    voltage_v: float
    interrupting_a: dict[float, float]
    """By the voltage it was rated at [V, A]."""
    stud: str
    drop_at_rating_v: float
    note: str
    opening: tuple[BandPoint, ...]


class BreakerData(BaseModel):
    """What a thermal circuit breaker does."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    interrupting_a: dict[float, float]
    opening: tuple[BandPoint, ...]


class DistanceLimits(BaseModel):
    """Unfused cable allowed between a source and its fuse [m]."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    plain: float
    sheathed: float
    sheathed_at_battery: float


class FuseTable(Table):
    """The file ``fuses.json``."""

    families: dict[FuseFamily, FuseFamilyData]
    breaker: BreakerData
    contact_ratings_a: tuple[float, ...]
    """What switches, relays, connectors and breakers are commonly rated for."""
    continuous_share: float
    distance_limits_m: DistanceLimits
    distance_source: str


@dataclass(frozen=True)
class FuseChoice:
    """A rating between load and cable."""

    rating_a: float
    reason: str


def fuse_table() -> FuseTable:
    """All families, from the data file that names its sources."""
    return load_table("fuses", FuseTable)


def cold_resistance_ohm(family: FuseFamily, rating_a: float) -> float:
    """Resistance of a sound fuse at room temperature [ohm].

    family: fuse family
    rating_a: rated current [A]
    Raises ValueError for a rating the family is not made in.
    Source: drop at rated current over rated current, the family's figure in the data file.

    >>> round(cold_resistance_ohm(FuseFamily.STRIP_51, 200) * 1000, 2)
    0.4
    """
    data = fuse_table().families[family]
    if rating_a not in data.ratings_a:
        made = ", ".join(f"{r:g}" for r in data.ratings_a)
        raise ValueError(f"{data.label} is not made for {rating_a:g} A. Ratings: {made} A.")
    return data.drop_at_rating_v / rating_a


def choose_rating(family: FuseFamily, load_a: float, cable_a: float) -> FuseChoice | None:
    """The rating that carries the load for good and still protects the cable.

    family: fuse family
    load_a: continuous current [A], above 0
    cable_a: ampacity of the weakest cable behind the fuse [A]
    Returns the smallest rating at or above load / 0.8 and at or below the cable, or None where the family has none.
    Raises ValueError for a load that is not above 0.
    Source: fuse above the load and below the cable (common practice); 80 % continuous duty (common practice).

    >>> choose_rating(FuseFamily.STRIP_51, 160, 242).rating_a
    200.0
    >>> choose_rating(FuseFamily.STRIP_51, 160, 190) is None
    True
    """
    if not load_a > 0:
        raise ValueError("The load on a fuse is above 0 A")
    table = fuse_table()
    data = table.families[family]
    least = load_a / table.continuous_share
    for rating in data.ratings_a:
        if least * (1 - 1e-9) <= rating <= cable_a:
            return FuseChoice(
                rating,
                f"{data.label}: smallest rating from {least:.0f} A ({load_a:.0f} A at {table.continuous_share:.0%} duty) "
                f"that is not above the cable's {cable_a:.0f} A",
            )
    return None


def distance_limit_m(sheathed: bool, at_battery: bool) -> float:
    """Longest unfused cable between a source and its fuse [m].

    sheathed: the cable runs in a sleeve or conduit over its whole length
    at_battery: the source end is the battery post itself
    Source: ABYC E-11 (7 in, 40 in, 72 in).

    >>> distance_limit_m(False, True)
    0.178
    """
    limits = fuse_table().distance_limits_m
    if not sheathed:
        return limits.plain
    return limits.sheathed_at_battery if at_battery else limits.sheathed


@dataclass(frozen=True)
class Opening:
    """How soon a fuse or breaker opens: no sooner than, no later than [s]; infinity where it may carry the current for good."""

    least_s: float
    most_s: float

    @property
    def words(self) -> str:
        """The band as one would say it."""
        if math.isinf(self.least_s):
            return "carries it for good"
        if math.isinf(self.most_s):
            return f"not before {seconds_in_words(self.least_s)}, perhaps never"
        return f"{seconds_in_words(self.least_s)} to {seconds_in_words(self.most_s)}"


CHARGING_V_12 = 14.0
"""What a nominal 12 V system stands at while it charges; ratings are given for it."""


def interrupting_at(ratings: Mapping[float, float], system_voltage_v: float) -> tuple[float, float]:
    """Which interrupting rating counts in a system: that of the next voltage above what the system charges at [A, V].

    ratings: amperes by volts; system_voltage_v: nominal, 12 or 24 [V]
    Above every voltage it is rated at, that of the highest; whether a part may be used there at all is another check.
    Source: an interrupting rating belongs to a voltage (makers' sheets of marine block fuses, from memory).

    >>> block = fuse_table().families[FuseFamily.MRBF].interrupting_a
    >>> interrupting_at(block, 12), interrupting_at(block, 24)
    ((10000.0, 14.0), (5000.0, 32.0))
    """
    charging = CHARGING_V_12 * system_voltage_v / 12
    volts = min((v for v in ratings if v >= charging), default=max(ratings))
    return ratings[volts], volts


CURVES = "ISO 8820 and makers' curves, from memory, see the fuse table"
"""Where the opening bands and interrupting ratings come from."""

NEVER = Opening(math.inf, math.inf)


def seconds_in_words(seconds: float) -> str:
    """A time with as many digits as a fuse deserves.

    seconds: 0 or more, infinity for never

    >>> [seconds_in_words(t) for t in (0.0042, 0.31, 12.3, 600, 14400)]
    ['0.004 s', '0.31 s', '12 s', '10 min', '4 h']
    """
    if math.isinf(seconds):
        return "never"
    for least, unit, name in ((7200, 3600, "h"), (120, 60, "min")):
        if seconds >= least:
            return f"{seconds / unit:.0f} {name}"
    return f"{seconds:.0f} s" if seconds >= 10 else f"{seconds:.2g} s" if seconds >= 0.1 else f"{seconds:.1g} s"


def _band(points: tuple[BandPoint, ...], multiple: float) -> Opening:
    """Between the points of a band, straight in the logarithms; beyond the last one I2 t stays what it is there."""
    if multiple < points[0][0]:
        return NEVER
    last, least, most = points[-1]
    if multiple >= last:
        assert most is not None
        return Opening(least * (last / multiple) ** 2, most * (last / multiple) ** 2)
    for (low, low_least, low_most), (high, high_least, high_most) in pairwise(points):
        if multiple < high:
            way = math.log(multiple / low) / math.log(high / low)
            between = low_least * (high_least / low_least) ** way
            # Below the first point that says by when, a fuse may take for ever.
            most_s = math.inf if low_most is None or high_most is None else low_most * (high_most / low_most) ** way
            return Opening(between, most_s)
    raise AssertionError("the points of a band rise")


def opening(family: FuseFamily, rating_a: float, current_a: float) -> Opening:
    """How soon a fuse opens at a current.

    family, rating_a: the fuse
    current_a: through it [A], either sign
    Returns the band of its family at that multiple of its rating.
    Source: ISO 8820-3 and -5 for blades and strips, makers' curves for the others, see the data file.

    >>> opening(FuseFamily.BLADE_C, 20, 40)
    Opening(least_s=0.15, most_s=5.0)
    >>> opening(FuseFamily.STRIP_51, 200, 210) == NEVER
    True
    """
    return _band(fuse_table().families[family].opening, abs(current_a) / rating_a)


def breaker_opening(rating_a: float, current_a: float) -> Opening:
    """How soon a thermal circuit breaker opens at a current; as `opening`."""
    return _band(fuse_table().breaker.opening, abs(current_a) / rating_a)

"""Fuses: families, ratings, the choice between load and cable, and where a fuse has to sit."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from pydantic import BaseModel, ConfigDict

from mavrik.core.tables import Table, load_table


class FuseFamily(StrEnum):
    """The families this table knows."""

    BLADE_C = "blade_c"
    BLADE_E = "blade_e"
    STRIP_30 = "strip_30"
    STRIP_51 = "strip_51"
    ANL = "anl"
    MRBF = "mrbf"
    CLASS_T = "class_t"


class FuseFamilyData(BaseModel):
    """What one family offers."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    ratings_a: tuple[float, ...]
    voltage_v: float
    interrupting_a: float
    stud: str
    drop_at_rating_v: float
    note: str


class DistanceLimits(BaseModel):
    """Unfused cable allowed between a source and its fuse [m]."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    plain: float
    sheathed: float
    sheathed_at_battery: float


class FuseTable(Table):
    """The file ``fuses.json``."""

    families: dict[FuseFamily, FuseFamilyData]
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
        if least <= rating <= cable_a:
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

"""Named limit profiles: how many volts a lead, a side and the whole circuit may lose at rated output."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import cache

from pydantic import BaseModel, ConfigDict, model_validator

from mavrik.core.catalogue.tables import Table, load_table


class Scope(StrEnum):
    """What a limit is about."""

    GROUND = "ground"
    SIDE = "side"
    WHOLE = "whole"


class LimitProfileName(StrEnum):
    """The named profiles."""

    COMMON = "common"
    STRICT = "strict"
    THREE_PERCENT = "three_percent"


class Allowance(BaseModel):
    """Volts (for 12 V) or percent of the system voltage, one of the two."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    volts: float | None = None
    percent: float | None = None

    @model_validator(mode="after")
    def _one(self) -> Allowance:
        if (self.volts is None) == (self.percent is None):
            raise ValueError("an allowance is in volts or in percent")
        return self


class LimitProfile(BaseModel):
    """One named profile."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    label: str
    why: str
    source: str
    side: Allowance
    ground: Allowance
    whole: Allowance


class LimitTable(Table):
    """The file ``limits.json``."""

    hot_joint_w: float
    """What a part may make more than a sound one, at the current that passes it in use [W]."""
    hot_joint_source: str
    profiles: dict[LimitProfileName, LimitProfile]


@dataclass(frozen=True)
class Limit:
    """A limit in volts with its rule in words."""

    volts: float
    rule: str
    source: str

    def with_threshold(self, threshold_v: float) -> Limit:
        """The limit of what also holds a diode: its forward voltage is allowed on top."""
        if not threshold_v:
            return self
        return Limit(self.volts + threshold_v, f"{self.rule}, and {threshold_v:g} V for the diode", self.source)


def limit_table() -> LimitTable:
    """All profiles, from the data file that names its source."""
    return load_table("limits", LimitTable)


@cache
def limit_for(profile: LimitProfileName, scope: Scope, system_voltage_v: float) -> Limit:
    """The volts a scope may lose at rated output.

    profile: named profile
    scope: a ground lead, one side, or the whole circuit
    system_voltage_v: 12 or 24 [V]
    Returns the limit [V] with its rule and source.
    Source: the profile's own.

    >>> limit_for(LimitProfileName.COMMON, Scope.SIDE, 12).volts
    0.2
    >>> round(limit_for(LimitProfileName.THREE_PERCENT, Scope.WHOLE, 24).volts, 2)
    0.72
    """
    data = limit_table().profiles[profile]
    allowance: Allowance = getattr(data, scope.value)
    what = {Scope.GROUND: "a ground lead", Scope.SIDE: "one side", Scope.WHOLE: "the whole circuit"}[scope]
    if allowance.percent is not None:
        volts = allowance.percent / 100 * system_voltage_v
        return Limit(volts, f"{volts:.2f} V for {what} ({allowance.percent:g} % of {system_voltage_v:g} V)", data.source)
    assert allowance.volts is not None
    volts = allowance.volts * (system_voltage_v / 12)
    doubled = ", doubled for 24 V" if system_voltage_v != 12 else ""
    return Limit(volts, f"{volts:g} V for {what} at rated output{doubled}", data.source)


def most_excess_ohm(current_a: float) -> float:
    """What a part may have over a sound one at most, by the heat it makes: a tolerance in milliohms knows no current [ohm].

    current_a: that passes it in use
    Source: Joule's law; the watts are common practice of the trade, no published source.

    >>> round(most_excess_ohm(300) * 1000, 3), most_excess_ohm(0)
    (0.111, inf)
    """
    return limit_table().hot_joint_w / current_a**2 if current_a else float("inf")

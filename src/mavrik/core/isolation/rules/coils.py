"""Has a coil enough to pull in hot and to hold while cranking, and what its own wires lose."""

from __future__ import annotations

import math

from mavrik.core.catalogue.conductor import Material, at_temperature
from mavrik.core.catalogue.fuses import FuseFamily, choose_rating
from mavrik.core.circuit import FuseBranch
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import Sense
from mavrik.core.isolation.rules.base import Answer, Rule, broken, met
from mavrik.core.isolation.table import Row

COIL_C = 105.0
"""A coil that has been on for hours in the engine space. Our choice, by its usual insulation class; its maker's figure wins."""

LEAST_COIL_A = 0.02
"""What takes less is an input, not a coil."""

WIRE_SHARE = 0.05
"""Of its supply the wires of a coil may lose so much. Our choice, no source."""


def _coils(case: Case) -> list[Sense]:
    return [s for s in case.switching.senses if s.takes_a >= LEAST_COIL_A]


def _coil_ohm(case: Case, coil: Sense) -> float:
    """Of its winding at 20 degC."""
    return case.circuit.system_voltage_v / coil.takes_a


def hot_times(coil_c: float = COIL_C) -> float:
    """By how much more voltage a coil needs hot, at its own ends, than at 20 degC.

    coil_c: of its winding [degC]
    Pull is ampere-turns, so the current it needs stays and the voltage follows its resistance.
    Source: resistance of copper over temperature, IEC 60028.

    >>> round(hot_times(105), 3)
    1.334
    """
    return at_temperature(1.0, coil_c, Material.COPPER)


def _supplied(case: Case, coil: Sense, row: Row) -> tuple[float, float]:
    """Volts where a coil's wires start, against its other end, and what they and the switches in them have [ohm]."""
    start, _ = case.supply_of(coil)
    plus, minus = row.node_v[coil.plus_node], row.node_v[coil.minus_node]
    amps = abs(plus - minus) / (_coil_ohm(case, coil) + coil.lead_ohm)
    drawn = abs(row.node_v[start] - plus) / amps if amps > 0 else 0.0
    return abs(row.node_v[start] - minus), coil.lead_ohm + drawn


def _gets(case: Case, coil: Sense, row: Row) -> float:
    """Volts at a hot coil's own ends."""
    supply, wires = _supplied(case, coil, row)
    hot = _coil_ohm(case, coil) * hot_times()
    return supply * hot / (hot + wires)


def _supply(case: Case) -> Answer:
    coils = _coils(case)
    if not coils:
        return met("Nothing here hangs on a coil.")
    rest, cranking = case.used.row("off"), case.used.row("cranking")
    words = []
    for coil in coils:
        at_rest, while_cranking = _gets(case, coil, rest), _gets(case, coil, cranking)
        pulls, lets_go = coil.on_v * hot_times(), coil.off_v * hot_times()
        if at_rest < pulls:
            return broken(
                f"Hot, {coil.label} gets {at_rest:.1f} V and wants {pulls:.1f} V to pull in: after a stop it may not come back.",
                rest, "A coil made for less, thicker wires to it, or a cooler place.",
            )  # fmt: skip
        if while_cranking < lets_go:
            return broken(
                f"Hot, {coil.label} has {while_cranking:.1f} V left while cranking and lets go below {lets_go:.1f} V.",
                cranking, "Feed it from the battery's post, or a relay that holds lower.",
            )  # fmt: skip
        words.append(
            f"{coil.label} at {COIL_C:.0f} °C gets {at_rest:.1f} V where it wants {pulls:.1f} V, and {while_cranking:.1f} V while cranking where it lets go below {lets_go:.1f} V"
        )
    return met(f"{'; '.join(words)}.", rest)


def _wires(case: Case) -> Answer:
    known = [(c, case.supply_of(c)[1]) for c in _coils(case)]
    known = [(c, way) for c, way in known if way or c.lead_ohm > 0]
    if not known:
        return met("No coil's wires are long enough to be known.")
    words, row = [], case.used.row("off")
    for coil, way in known:
        supply, wires = _supplied(case, coil, row)
        share = wires / (_coil_ohm(case, coil) + wires)
        loses = f"its wires and switches lose {share * supply:.2f} V of {supply:.1f} V"
        if share > WIRE_SHARE:
            return broken(
                f"{coil.label}: {loses}, more than {WIRE_SHARE:.0%} of its supply.",
                row,
                "Thicker wires, or better contacts in the switches.",
            )
        usual = choose_rating(FuseFamily.BLADE_C, coil.takes_a, math.inf)
        assert usual is not None
        if way and not isinstance(way[0], FuseBranch):
            return broken(
                f"{coil.label}: nothing fuses {way[0].label} where it leaves the battery.",
                row,
                f"A fuse of {usual.rating_a:g} A there.",
            )
        fused = (
            f"{way[0].label} has {way[0].in_words}"
            if way
            else f"fuse them with {usual.rating_a:g} A where they leave the battery"
        )
        words.append(f"{coil.label}: {loses}, {coil.takes_a:g} A; {fused}")
    return met(f"{'; '.join(words)}.", row)


COIL_SUPPLY = Rule(370, "coil_supply", "Its coil has enough, hot and while cranking", _supply)
COIL_WIRES = Rule(380, "coil_wires", "What the wires to its switches lose", _wires)

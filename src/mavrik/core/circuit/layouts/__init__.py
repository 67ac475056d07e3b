"""Ready circuits to start from. Every figure in them is a starting value to be corrected at the vehicle."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import second_bank, special, starting
from mavrik.core.circuit.layouts.starting import front_battery

__all__ = ["LAYOUTS", "Layout", "build_layout", "front_battery"]


@dataclass(frozen=True)
class Layout:
    """A ready circuit, by name."""

    name: str
    label: str
    when: str
    build: Callable[[int], Circuit]


def _row(build: Callable[[int], Circuit], label: str, when: str) -> Layout:
    return Layout(build.__name__, label, when, build)


LAYOUTS: tuple[Layout, ...] = (
    _row(starting.front_battery, "Battery beside the engine", "Most cars and vans as built."),
    _row(
        starting.rear_battery,
        "Battery in the rear",
        "Battery in the boot or under a bench; metres of cable, return through the body.",
    ),
    _row(
        starting.rear_battery_direct,
        "Battery in the rear, direct ground",
        "The return is a cable of its own, straight to the engine.",
    ),
    _row(
        starting.rear_battery_both,
        "Battery in the rear, both grounds",
        "Through the body and straight to the engine: solves most faults.",
    ),
    _row(starting.parallel_batteries, "Two parallel batteries", "Diesels with two starting batteries on one alternator."),
    _row(second_bank.second_battery_switch, "Second battery, hand switch", "A parallel link that somebody opens and closes."),
    _row(
        second_bank.second_battery_link,
        "Second battery, voltage link",
        "A link that closes while charging and opens when the voltage falls.",
    ),
    _row(
        second_bank.second_battery_converter,
        "Second battery, DC-DC charger",
        "Lithium or far away: a charger next to the battery it charges.",
    ),
    _row(second_bank.tow_and_trailer, "Tow vehicle and trailer", "Ten metres there and back, with a connector in the middle."),
    _row(
        second_bank.house_bank_end,
        "House bank, taken off at one end",
        "A second alternator on four batteries; the near one works hardest.",
    ),
    _row(
        second_bank.house_bank_diagonal, "House bank, taken off diagonally", "The same, so that every battery has the same way."
    ),
    _row(second_bank.boat_isolator, "Boat, diode isolator", "Two batteries behind diodes; the regulator senses at the battery."),
    _row(special.winch, "Winch", "On the starting battery, behind an isolator, with its own return."),
    _row(special.boat_selector, "Boat, battery selector", "Two batteries on a selector, both closed to begin with."),
    _row(special.motorcycle, "Motorcycle", "Permanent-magnet stator with regulator/rectifier."),
    _row(special.competition_car, "Competition car", "Battery in the rear behind a cut-off."),
)


def build_layout(name: str, system_voltage_v: int) -> Circuit:
    """The ready circuit of that name.

    name: one of `LAYOUTS`
    system_voltage_v: 12 or 24 [V]
    Raises ValueError for a name there is no layout of.

    >>> build_layout("motorcycle", 12).layout
    'motorcycle'
    """
    for layout in LAYOUTS:
        if layout.name == name:
            return layout.build(system_voltage_v)
    raise ValueError(f"There is no layout '{name}'. Layouts: {', '.join(layout.name for layout in LAYOUTS)}.")

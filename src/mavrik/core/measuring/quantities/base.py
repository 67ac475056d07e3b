"""What a quantity is: its unit, how it is shown, what can be one, and what a value below zero means."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf


@dataclass(frozen=True)
class Quantity:
    """Something that is read at the bench.

    Values are kept, judged and computed with in `unit`; `shown_unit` is what a technician reads off the meter.
    """

    place_in_list: int
    name: str
    title: str
    unit: str
    """SI, or a unit accepted beside it."""
    shown_unit: str
    shown_per_unit: float = 1.0
    """So many of `shown_unit` are one of `unit`."""
    digits: int = 2
    """Behind the point of a shown value where nothing says how well it is known."""
    meter: str = ""
    """Kind of the instrument it is read with; empty for what the eye, a plate or a meter that is not on the register says."""
    last_digit: float = 0.01
    """Of a value read with nobody knows what, in `unit`."""
    turned_below: float | None = None
    """A value below this says that something is the wrong way round, where a reading goes one way only; None: it may go either way."""
    turned: str = ""
    """What then is the wrong way round, and what to do."""
    most_times_system_v: float | None = None
    """No reading is larger than so many times the system's voltage."""
    least: float | None = None
    most: float | None = None
    """No reading lies outside these, in `unit`."""
    slip: str = ""
    """What a value that cannot be most likely is instead."""
    yes_or_no: bool = False

    def shown(self, value: float) -> float:
        """A value in `shown_unit`."""
        return value * self.shown_per_unit

    def from_shown(self, shown: float) -> float:
        """A value in `unit`, from one in `shown_unit`."""
        return shown / self.shown_per_unit

    def bounds(self, system_voltage_v: float) -> tuple[float, float]:
        """Between which values a reading lies, whatever is wrong, in `unit`.

        system_voltage_v: 12 or 24 [V]
        """
        beyond = inf if self.most_times_system_v is None else self.most_times_system_v * system_voltage_v
        least = -beyond if self.least is None else max(self.least, -beyond)
        most = beyond if self.most is None else min(self.most, beyond)
        return least, most

    def impossible(self, value: float, system_voltage_v: float) -> str:
        """Why a value cannot be one of this quantity; empty where it can.

        value: in `unit`; system_voltage_v: 12 or 24 [V]
        """
        if self.yes_or_no:
            return "" if value in (0, 1) else "This is a yes or a no."
        least_possible, most_possible = self.bounds(system_voltage_v)
        if least_possible <= value <= most_possible:
            return ""
        shown = f"{self.shown(value):g} {self.shown_unit}"
        if self.most_times_system_v is not None and abs(value) > self.most_times_system_v * system_voltage_v:
            return f"{shown} cannot be on a {system_voltage_v:g} V system. {self.slip}".rstrip()
        least = "" if self.least is None else f"{self.shown(self.least):g} to "
        most = "" if self.most is None else f"{self.shown(self.most):g} {self.shown_unit}"
        return f"{shown} cannot be. Allowed: {least}{most}. {self.slip}".rstrip()

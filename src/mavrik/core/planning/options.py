"""What may be fitted: cable sizes and how many runs of them, in the series a shop buys."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.core.catalogue.conductor import PROPOSED_AWG, PROPOSED_METRIC, SizeSystem, parse_size

BOUGHT_BY = (SizeSystem.METRIC, SizeSystem.AWG)
"""The series a shop buys cable by; circular mils only describe what is found."""

SAME_SIZE = 0.95
"""A size of the other series counts as the same when its metal is within 5 %."""

LEAST_DOUBLED_MM2 = 30.0
"""Nobody pulls two thin cables where one thicker will do; two runs start here."""


@dataclass(frozen=True)
class Option:
    """A size, and how many runs of it side by side."""

    size: str
    runs: int = 1

    @property
    def label(self) -> str:
        """As one would order it."""
        return self.size if self.runs == 1 else f"{self.runs} x {self.size}"

    @property
    def area_mm2(self) -> float:
        """Metal of all runs [mm2]."""
        return parse_size(self.size).area_mm2 * self.runs


def options_of(system: SizeSystem) -> tuple[Option, ...]:
    """What may be fitted, in the order it is tried: one run of every size, then two runs.

    system: the series a shop buys

    >>> options_of(SizeSystem.AWG)[0].label, options_of(SizeSystem.METRIC)[-1].label
    ('10 AWG', '2 x 120 mm2')
    """
    series = PROPOSED_AWG if system is SizeSystem.AWG else PROPOSED_METRIC
    return tuple(
        Option(size, runs) for runs in (1, 2) for size in series if runs == 1 or parse_size(size).area_mm2 >= LEAST_DOUBLED_MM2
    )

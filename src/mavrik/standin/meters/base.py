"""What a simulated meter is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from mavrik.standin.hands import Hands


@dataclass(frozen=True)
class SimulatedMeter:
    """One meter of the stand-in."""

    place_in_list: int
    name: str
    query: str
    """What it answers beside READ?."""
    range: float
    """Beyond that it shows an overload, in the unit of its reading."""
    read: Callable[[Hands], float]
    """Raises KeyError or ValueError where there is nothing to be measured."""
    captures: bool = False
    """An oscilloscope: it also gives waveforms."""

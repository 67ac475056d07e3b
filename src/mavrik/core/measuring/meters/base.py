"""What a kind of instrument is."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class MeterKind:
    """A kind of instrument on the register."""

    place_in_list: int
    name: str
    title: str
    unit: str
    """Of its reading, and of its accuracy."""
    typical: tuple[tuple[float, str, float], ...]
    """What it mostly reads in a charging test: value, unit it is said in, so many of those to one of `unit`."""

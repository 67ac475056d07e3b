"""A day of a use as its stretches, and days after one another."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mavrik.core.planning.use import DAY_H, Scene, UseRequest

FIRST_START_H, LAST_START_H = 7.0, 19.0
"""Between which the trips of a day begin. Our choice, no source."""


@dataclass(frozen=True)
class Leg:
    """A stretch of the day in one scene."""

    scene: Scene
    hours: float
    starts: bool
    """Whether the engine is started at its beginning."""


def day_of(use: UseRequest) -> tuple[Leg, ...]:
    """A day as its stretches: as many trips as starts, each through all scenes with the engine on; what is left of the day between.

    use: without starts a day has one trip where any scene has the engine on

    >>> from mavrik.core.planning.use import usual_scenes
    >>> legs = day_of(UseRequest(scenes=usual_scenes(()), starts_a_day=2))
    >>> round(sum(leg.hours for leg in legs), 9), sum(leg.starts for leg in legs)
    (24.0, 2)
    """
    driven = [s for s in use.scenes if s.engine_rpm > 0 and s.hours_a_day > 0]
    still = [s for s in use.scenes if s.engine_rpm == 0 and s.hours_a_day > 0]
    driving = sum(s.hours_a_day for s in driven)
    named = sum(s.hours_a_day for s in still)
    left = max(DAY_H - driving - named, 0.0)
    parts = [(s, s.hours_a_day) for s in still] + ([(Scene(label="Parked", engine_rpm=0), left)] if left > 1e-9 else [])
    resting = named + left
    if not driven:
        return tuple(Leg(s, h, False) for s, h in parts)
    trips = max(use.starts_a_day, 1)
    morning = min(FIRST_START_H, resting)
    night = min(DAY_H - LAST_START_H, resting - morning) if trips > 1 else resting - morning
    between = (resting - morning - night) / (trips - 1) if trips > 1 else 0.0
    gaps = [morning, *([between] * (trips - 1)), night]
    legs: list[Leg] = []

    def rest(hours: float) -> None:
        legs.extend(Leg(s, h * hours / resting, False) for s, h in parts if resting > 0 and h * hours > 0)

    for k in range(trips):
        rest(gaps[k])
        legs += [Leg(s, s.hours_a_day / trips, i == 0 and use.starts_a_day > 0) for i, s in enumerate(driven)]
    rest(gaps[trips])
    return tuple(legs)


def legs(day: Sequence[Leg], days: float) -> Iterator[tuple[Scene, float, bool, float]]:
    """The stretches of as many days, the last cut where the time is over; with the share of the time that is then gone."""
    gone, whole = 0.0, days * DAY_H
    while gone < whole - 1e-9:
        for leg in day:
            hours = min(leg.hours, whole - gone)
            if hours <= 1e-9:
                continue
            gone += hours
            yield leg.scene, hours, leg.starts, gone / whole

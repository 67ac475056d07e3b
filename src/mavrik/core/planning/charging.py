"""Chargers beside the alternator: what feeds them over the day, in which stage each is, and which holds which off."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import pi, sin
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core.circuit import BenchCharger, Circuit, Converter
from mavrik.core.planning.use import DAY_H, Scene

Floats: TypeAlias = NDArray[np.float64]
Bools: TypeAlias = NDArray[np.bool_]

SUNRISE_H, SUNSET_H = 6.0, 18.0
"""Between which the sun feeds a panel, as half a sine. Our choice: the year's mean, no source."""

TAIL_SHARE = 0.05
"""A charger that holds its voltage with less than this of its limit goes to float. Common practice, makers differ, no source."""

TOP_H = 4.0
"""Nor does one hold its first voltage for longer than this. Common practice, makers differ, no source."""

BEGINS_ANEW_V_12 = 0.5
"""So far below float, on a 12 V system, most chargers begin with their first stage anew. Common practice, makers differ, no source."""

HOLDS_V = 0.02
"""As near to what it holds is holding it: far below what tells one stage from the other."""


def sun_share(hour: float, sun_h: float) -> float:
    """What a panel gives of its most at an hour of the day.

    hour: of the day, 0 to 24; sun_h: hours of full sun that the day is worth
    The day's half sine holds as much as those hours, and is cut off at the panel's most: more than that a day does not hold.
    Source: the definition of peak sun hours; the sine, our choice.

    >>> sun_share(12, 3) > sun_share(8, 3) > 0, sun_share(3, 3)
    (True, 0.0)
    """
    if not SUNRISE_H < hour < SUNSET_H:
        return 0.0
    day = SUNSET_H - SUNRISE_H
    return float(min(sin(pi * (hour - SUNRISE_H) / day) * sun_h / (2 * day / pi), 1.0))


def fed_as_a_mean(circuit: Circuit, scene: Scene, sun_h: float) -> Circuit:
    """A circuit with its chargers as a scene has them on an average day: plugged in or not; the sun while the engine stands.

    circuit: the document; scene: of a use; sun_h: hours of full sun a day
    """
    fed = []
    for c in circuit.chargers:
        sun = sun_h / DAY_H if scene.engine_rpm == 0 else 0.0
        share = sun if c.fed_by == "sun" else float(scene.plugged_in)
        if share > 0:
            fed.append(c.model_copy(update={"limit_a": c.limit_a * share}))
    return circuit.model_copy(update={"chargers": tuple(fed)})


@dataclass
class Chargers:
    """All chargers of some vehicles: (vehicles, chargers) wherever there are both."""

    all: Sequence[BenchCharger | Converter]
    """What is fed from outside first, then DC-DC chargers, as the circuit has them."""
    floats: Bools
    """Which have charged and hold float."""
    top_h: Floats
    """How long each has held its first voltage [h]."""

    @classmethod
    def of(cls, circuit: Circuit, vehicles: int) -> Chargers:
        """As they are before anything: in their first stage."""
        every: tuple[BenchCharger | Converter, ...] = (*circuit.chargers, *circuit.converters)
        size = vehicles, len(every)
        return cls(every, np.zeros(size, dtype=bool), np.zeros(size))

    def most_a(self, scene: Scene, hour: float, sun_h: float) -> Floats:
        """What each could give now [A], (chargers,); DC-DC chargers sleep with the engine."""

        def share(c: BenchCharger | Converter) -> float:
            if isinstance(c, Converter):
                return float(scene.engine_rpm > 0)
            return sun_share(hour, sun_h) if c.fed_by == "sun" else float(scene.plugged_in)

        return np.array([c.limit_a * share(c) for c in self.all])

    @property
    def change(self) -> bool:
        """Whether any has another stage to go to, or the sun."""
        return any(c.float_v is not None or isinstance(c, BenchCharger) for c in self.all)

    def holds_v(self) -> Floats:
        """The voltage that each holds in its stage [V]."""
        first = np.array([c.set_point_v for c in self.all])
        float_v = np.array([c.set_point_v if c.float_v is None else c.float_v for c in self.all])
        return np.asarray(np.where(self.floats, float_v, first))

    def go_on(self, hours: float, most_a: Floats, gives_a: Floats, volts: Floats) -> None:
        """To the next stage, or back to the first.

        hours: since it was asked last [h]; most_a: as `most_a` has it; gives_a, volts: of each charger at its terminals [A], [V]
        """
        for k, c in enumerate(self.all):
            if c.float_v is None:
                continue
            scale = 1.0 if c.set_point_v < 20 else 2.0
            again = c.float_v - BEGINS_ANEW_V_12 * scale if c.again_below_v is None else c.again_below_v
            at_top = ~self.floats[:, k] & (volts[:, k] >= c.set_point_v - HOLDS_V)
            self.top_h[:, k] = np.where(at_top, self.top_h[:, k] + hours, 0.0)
            done = at_top & ((gives_a[:, k] <= TAIL_SHARE * c.limit_a) | (self.top_h[:, k] >= TOP_H))
            stays = self.floats[:, k] & (volts[:, k] >= again)
            # Without anything that feeds it, it begins anew when that comes back.
            self.floats[:, k] = (done | stays) & (most_a[k] > 0)

    def held_off(self, most_a: Floats, gives_a: Floats, volts: Floats) -> Bools:
        """Which could give and do not, because somebody else holds a higher voltage."""
        idle = gives_a <= 0.01 * np.array([c.limit_a for c in self.all])
        return np.asarray((most_a > 0) & idle & (volts > self.holds_v() + HOLDS_V / 2))

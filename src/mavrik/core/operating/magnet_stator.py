"""What flows in the windings of an alternator, and how warm that makes it: a magnet cannot be turned down."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Alternator

Amps = TypeVar("Amps", float, NDArray[np.float64])

SHUNT_DROP_V = 1.0
"""Across the thyristor through which a shunt regulator shorts a phase, of those that conduct. Common practice, rough, no source."""


def is_shunted(unit: Alternator) -> bool:
    """Whether what its consumers do not take is shorted behind its stator."""
    return unit.kind == "permanent_magnet" and unit.magnet_regulator == "shunt"


def stator_current_a(unit: Alternator, gives_a: Amps, can_a: Amps) -> Amps:
    """What flows in the stator, as direct current behind its rectifier [A].

    unit: the document's; gives_a: what its consumers get [A]; can_a: the most it could give at its speed [A]
    A field coil is turned down until it makes what is taken, and a series regulator opens the phases it does not need. A shunt
    regulator shorts them: the stator carries all that it can, whatever is on.
    Source: common practice of the trade.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> unit = build_layout("motorcycle", 12).alternator
    >>> unit.magnet_regulator, stator_current_a(unit, 8.0, 22.0)
    ('shunt', 22.0)
    >>> stator_current_a(unit.model_copy(update={"magnet_regulator": "series"}), 8.0, 22.0)
    8.0
    """
    return can_a if is_shunted(unit) else gives_a


def regulator_heat_w(unit: Alternator, gives_a: float, can_a: float) -> float:
    """What a shunt regulator itself turns into heat of what is not taken [W]; none for any other.

    unit, gives_a, can_a: as for `stator_current_a`
    Source: Joule, with the drop of a thyristor.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> regulator_heat_w(build_layout("motorcycle", 12).alternator, 8.0, 22.0)
    14.0
    """
    return SHUNT_DROP_V * max(can_a - gives_a, 0.0) if is_shunted(unit) else 0.0


def settles_at_c(around_c: float | NDArray[np.float64], share: float | NDArray[np.float64]) -> NDArray[np.float64]:
    """Where the windings come to rest [degC].

    around_c: of the air that cools them [degC]; share: what flows in them of the most they can make at their speed, 0 to 1
    Full field heats at any speed, and a slow fan cools less: what counts is the share of what can be made there.
    Source: the source table, common practice.

    >>> float(settles_at_c(40.0, 1.0)), float(settles_at_c(40.0, 0.5))
    (100.0, 55.0)
    """
    return np.asarray(around_c + source_table().alternator_rise_k * np.minimum(share, 1.0) ** 2)

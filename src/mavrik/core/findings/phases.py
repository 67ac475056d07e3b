"""The phases of a stator with magnets: three readings, of which only says something whether they are equal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from mavrik.core.measuring.readings import Measured
from mavrik.core.procedures import Observation
from mavrik.core.procedures.bench.permanent_magnet import PHASES
from mavrik.core.procedures.bench_limits import bench_limits


def phases_equal(observations: Sequence[Observation]) -> list[Observation]:
    """Whether the three phases were equal, as an answer of yes or no; none where not all were read, or where the meter does not tell.

    observations: of all tests
    How many volts they should have nobody knows: they rise with speed, and magnets differ.
    Source: `phase_share` of the bench's limits, common practice of the trade.
    """
    read = {o.point.id: o for o in observations}
    phases = [read[f"phase_v:{p}"] for p in PHASES if f"phase_v:{p}" in read]
    if len(phases) < len(PHASES):
        return []
    volts = np.array([o.measured.value for o in phases])
    most = (bench_limits().limits["phase_share"].most or 0.0) * volts.mean()
    off, last = np.abs(volts - volts.mean()), phases[int(np.argmax(np.abs(volts - volts.mean())))]
    if abs(off.max() - most) <= last.measured.uncertainty:
        return []
    point = replace(
        last.point,
        id="phases_equal",
        label="Three phases equal, plug open",
        quantity="yes_no",
        indicator="phases",
        own_rule=False,
    )
    return [replace(last, point=point, measured=Measured(float(off.max() < most), 0.0))]

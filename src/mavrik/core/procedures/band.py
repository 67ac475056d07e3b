"""Between what a reading passes: found by asking the procedure's own judgement, so that bar and verdict cannot differ."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.procedures.base import Point, Procedure
from mavrik.core.procedures.bench_limits import Limits

SMALLEST, LARGEST, TRIED = 1e-4, 1e4, 320
"""Values are tried from one to the other, each 6 % above the one before: no window of the trade is narrower."""

HALVINGS, WIDE = 40, 5
FIRST = 16
"""So many values show whether there is a rule about this reading at all, and not about what it makes with others."""


@dataclass(frozen=True)
class Band:
    """Where a reading passes, in the unit of its quantity; None at an end that has no limit."""

    least: float | None
    most: float | None


def pass_band(of: Procedure, circuit: Circuit, point: Point, measured: Mapping[str, Measured], limits: Limits) -> Band | None:
    """Between what a reading of a procedure passes, a meter without error taken for granted.

    of, circuit, point: the procedure and a point of it on a circuit
    measured: its other readings, for a rule that sets one against another
    limits: of the job
    Returns None for a yes or a no, for a point that is judged by no rule of its own, and where every value passes or none.
    Source: the procedure's judgement, asked at many values and halved to where it changes.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.procedures import procedure
    >>> test, car = procedure("regulated"), front_battery(12)
    >>> fast = next(p for p in test.points(car) if p.id == "regulated_v:fast")
    >>> pass_band(test, car, fast, {}, Limits())
    Band(least=13.9, most=14.8)
    """
    if point.kind.yes_or_no:
        return None

    def passes(value: float) -> bool:
        judgements = of.judge(circuit, {**measured, point.id: Measured(value, 0.0)}, limits)
        return next((j.verdict is Verdict.PASS for j in judgements if j.point == point.id), False)

    def speaks(value: float) -> bool:
        judgements = of.judge(circuit, {**measured, point.id: Measured(value, 0.0)}, limits)
        return any(j.point == point.id and abs(j.value) == abs(value) for j in judgements)

    up = np.geomspace(SMALLEST, LARGEST, TRIED)
    kind, volts = point.kind, circuit.system_voltage_v
    tried = [v for v in (*(-up[::-1]).tolist(), 0.0, *up.tolist()) if not kind.impossible(v, volts)]
    # Most have no rule: that is seen from a few values.
    if not any(speaks(v) for v in tried[:: len(tried) // FIRST or 1]):
        return None
    # A window that is wide is met with fewer of them; where none is, it may be narrow.
    for step in (WIDE, 1):
        some = sorted({*tried[::step], tried[-1], *(v for v in tried if v == 0)})
        good = [passes(v) for v in some]
        if any(good):
            break
    tried = some
    if not any(good) or all(good):
        return None
    first = good.index(True)
    last = next((k for k in range(first, len(good)) if not good[k]), len(good)) - 1

    def edge(inside: float, outside: float) -> float:
        for _ in range(HALVINGS):
            middle = (inside + outside) / 2
            inside, outside = (middle, outside) if passes(middle) else (inside, middle)
        return inside

    least = edge(tried[first], tried[first - 1]) if first > 0 else None
    most = edge(tried[last], tried[last + 1]) if last + 1 < len(tried) else None
    return Band(None if least is None else float(f"{least:.6g}"), None if most is None else float(f"{most:.6g}"))

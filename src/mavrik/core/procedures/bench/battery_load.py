"""Battery under load: half its cold cranking current for 15 s, without that rating by its ampere hours, or what a conductance tester says."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from mavrik.core.circuit import Battery, Chemistry, Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState, load_test_a
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import BenchLimit, Limits

LOAD_V = ((-18.0, 8.5), (-1.0, 9.1), (21.0, 9.6))
"""Temperature [degC] and least volts of a 12 V battery at the end of the load. BCI, from memory."""


def least_load_v(temperature_c: float) -> float:
    """The least a sound 12 V battery shows after 15 s at half its cold cranking current [V].

    temperature_c: of the battery [degC]
    Straight lines between the points of the table; level beyond them.
    Source: BCI load test, from memory: 9.6 V at 21 degC, 9.1 V at -1 degC, 8.5 V at -18 degC.

    >>> least_load_v(21), round(least_load_v(10), 2)
    (9.6, 9.35)
    """
    points = np.array(LOAD_V)
    return float(np.interp(temperature_c, points[:, 0], points[:, 1]))


def _points(circuit: Circuit) -> tuple[Point, ...]:
    points: list[Point] = []
    for b in circuit.batteries:
        points += [
            Point(f"load_v:{b.id}", f"{b.label}: after 15 s at {load_test_a(b):.0f} A", "voltage", BenchState.BATTERY_LOAD, b.positive_node, b.negative_node, b.id),
            Point(f"battery_c:{b.id}", f"{b.label}: temperature", "temperature", BenchState.REST, element=b.id, own_rule=True),
        ]  # fmt: skip
        if b.cca_a:
            points.append(Point(f"tester_cca:{b.id}", f"{b.label}: cold cranking current by conductance tester", "stated_current", BenchState.REST, element=b.id, asked_elsewhere=True))  # fmt: skip
    return tuple(points)


def _least(battery: Battery, warm: Measured | None, limits: Limits) -> BenchLimit:
    """What it has to show under its load."""
    if battery.chemistry is Chemistry.LIFEPO4:
        return limits.of("lithium_load")
    temperature = warm.value if warm else battery.temperature_c
    known = "" if warm else ", taken from the circuit's document"
    least = least_load_v(temperature)
    load = "half the cold cranking current" if battery.cca_a else f"{load_test_a(battery):.0f} A, by its ampere hours"
    rule = f"at least {least:.2f} V of 12 V after 15 s at {load}, at {temperature:.0f} °C{known}"
    return BenchLimit(least=least, rule=rule, source="BCI load test, from memory")


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    judgements = []
    for b in circuit.batteries:
        points = {a.id.split(":")[0]: a for a in _points(circuit) if a.element == b.id}
        load, tester = measured.get(f"load_v:{b.id}"), measured.get(f"tester_cca:{b.id}")
        if load is not None:
            limit = _least(b, measured.get(f"battery_c:{b.id}"), limits)
            judgements.append(
                against(points["load_v"], load, limit, scale, "It carries its load.", "It does not carry its load.", "Charge it fully and repeat; the same again: replace it.")
            )  # fmt: skip
        if tester is not None and b.cca_a:
            share = Measured(tester.value / (b.cca_a * b.parallel), tester.uncertainty / (b.cca_a * b.parallel))
            words = f"{share.value:.0%} of its rated {b.cca_a * b.parallel:g} A."
            judgements.append(
                against(
                    points["tester_cca"],
                    share,
                    limits.of("cca_share"),
                    1,
                    words,
                    words,
                    "Charge it and repeat; a load test settles a doubt.",
                ).of(tester)
            )
    return judgements


BATTERY_LOAD = Procedure(
    40, "battery_load", "Battery under load", "A battery may rest at full voltage and have nothing behind it.", 6, "off, rested and charged",
    ("jewellery", "hydrogen", "load_time"),
    (
        BenchStep("Only a battery at 12.4 V or more at rest, disconnected or with everything off; each battery alone."),
        BenchStep("Its temperature by infrared on the case."),
        BenchStep("Load bank at half the cold cranking current, or at the current that stands beside the battery: read the volts at the end of 15 s.", 15, orders_off=True),
        BenchStep("A lithium battery: no more than its maker allows; where its own switch opens, that is the reading: 0 V."),
        BenchStep("Or a conductance tester set to its rating and kind: enter what it shows."),
    ),
    _points, _judge, each_more=5,
)  # fmt: skip

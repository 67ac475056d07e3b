"""Drop along each lead while charging, loads on: where the volts are lost."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.limits import Scope, limit_for
from mavrik.core.procedures.base import Ask, BenchLimit, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.states import BenchState, carrying
from mavrik.core.topology import find_ring

LEAST_SHARE = 0.1
"""Of the rated output: with less flowing, a drop cannot be brought to it."""


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    ring = find_ring(circuit)
    wanted = [*ring.feed, *ring.home]
    wanted += [i for i in carrying(circuit, BenchState.FAST_LOADED) if i not in ring.ids]
    asks = [
        Ask(f"drop_v:{b.id}", b.label, Unit.VOLT, BenchState.FAST_LOADED, b.from_node, b.to_node, b.id, drop=True)
        for b in (circuit.branch(i) for i in wanted)
    ]
    alternator, battery = circuit.alternator, circuit.battery
    feed = Ask(
        "feed_v",
        "Feed side, stud to battery",
        Unit.VOLT,
        BenchState.FAST_LOADED,
        alternator.stud_node,
        battery.positive_node,
        drop=True,
    )
    home = Ask(
        "return_v",
        "Return side, battery to case",
        Unit.VOLT,
        BenchState.FAST_LOADED,
        battery.negative_node,
        alternator.case_node,
        drop=True,
    )
    amps = Ask(
        f"charge_a:{alternator.id}",
        f"{alternator.label}: output meanwhile",
        Unit.AMPERE,
        BenchState.FAST_LOADED,
        element=alternator.id,
    )
    return (amps, feed, home, *asks)


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    """Each side, and each ground lead, with what was read brought to the rated output: drops grow with the current."""
    alternator = circuit.alternator
    output = taken.get(f"charge_a:{alternator.id}")
    if output is None or output.value < LEAST_SHARE * alternator.rated_a:
        return []
    to_rated = alternator.rated_a / output.value
    ring = find_ring(circuit)
    # What a diode holds before any current does not grow with it, and is no cable's to mend.
    held = {
        name: sum(circuit.branch(i).threshold_v for i in side) for name, side in (("feed_v", ring.feed), ("return_v", ring.home))
    }
    scopes = {"feed_v": Scope.SIDE, "return_v": Scope.SIDE}
    scopes |= {f"drop_v:{b.id}": Scope.GROUND for b in circuit.branches if b.kind == "ground_strap"}
    said = []
    for ask in _asks(circuit):
        read, scope = taken.get(ask.id), scopes.get(ask.id)
        if read is None or scope is None:
            continue
        own = held.get(ask.id, 0.0)
        limit = limit_for(limits.profile, scope, circuit.system_voltage_v).beside(own)
        share = np.hypot(read.uncertainty / max(abs(read.value), 1e-6), output.uncertainty / output.value)
        ohmic = max(abs(read.value) - own, 0.0) * to_rated
        rated = Taken(ohmic + own, float(ohmic * share))
        rule = f"{limit.rule}; {read.value * 1000:.0f} mV at {output.value:.0f} A brought to {alternator.rated_a:g} A"
        said.append(
            against(
                ask, rated, BenchLimit(most=limit.volts, rule=rule, source=limit.source, exact=True), 1.0, "It loses little enough.",
                "It loses too much at rated output.", "Lead by lead along this side: the step that is too high is the bad part.",
            )
        )  # fmt: skip
    return said


CHARGING_DROPS = Procedure(
    "charging_drops", "Drop while charging", "Whole first, then side by side, then lead by lead: the step that is too high is the bad part.", 10, "2000 /min, loads on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Loads on, 2000 /min; note the output current."), BenchStep("Feed side and return side first. Only a side that is too high is worth taking apart."), BenchStep("Then each lead, end to end; red probe nearer the stud on the feed side.")),
    _asks, _judge,
)  # fmt: skip

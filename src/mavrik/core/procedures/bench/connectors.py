"""Connectors under load: small contacts that have closed up or are dirty heat and melt."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit, ConnectorBranch
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    plugs = [b for b in circuit.branches if isinstance(b, ConnectorBranch)]
    if not plugs:
        return ()
    around = Point("around_c", "Air round the connectors", "temperature", BenchState.FAST_LOADED, own_rule=True)
    return (
        around,
        *(
            Point(
                f"plug_c:{b.id}", f"{b.label}: at its hottest", "temperature", BenchState.FAST_LOADED, element=b.id, own_rule=True
            )
            for b in plugs
        ),
    )


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    around = measured.get("around_c")
    judgements = []
    for point in _points(circuit)[1:]:
        read = measured.get(point.id)
        if read is None or around is None:
            continue
        rise = Measured(read.value - around.value, (read.uncertainty**2 + around.uncertainty**2) ** 0.5)
        words = f"{rise.value:.0f} K above its surroundings."
        then = "Drop across it under the same current; pins that have closed up: a keyed high-current connector, one per circuit."
        judgements.append(against(point, rise, limits.of("connector_rise"), 1, words, words, then).of(read))
    return judgements


CONNECTORS = Procedure(
    170, "connectors", "Connectors, heat", "A better plug on the same thin cable gains almost nothing; a bad one burns.", 12, "loads on, ten minutes",
    ("running_engine",),
    (BenchStep("All that flows through the connectors on, ten minutes.", 600), BenchStep("Infrared on each shell where the contacts sit, and the air beside it.")),
    _points, _judge,
)  # fmt: skip

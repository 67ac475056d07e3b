"""Connectors under load: small contacts that have closed up or are dirty heat and melt."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit, ConnectorBranch
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.states import BenchState


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    plugs = [b for b in circuit.branches if isinstance(b, ConnectorBranch)]
    if not plugs:
        return ()
    around = Ask("around_c", "Air round the connectors", Unit.CELSIUS, BenchState.FAST_LOADED, beside=True)
    return (
        around,
        *(
            Ask(f"plug_c:{b.id}", f"{b.label}: at its hottest", Unit.CELSIUS, BenchState.FAST_LOADED, element=b.id, beside=True)
            for b in plugs
        ),
    )


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    around = taken.get("around_c")
    said = []
    for ask in _asks(circuit)[1:]:
        read = taken.get(ask.id)
        if read is None or around is None:
            continue
        rise = Taken(read.value - around.value, (read.uncertainty**2 + around.uncertainty**2) ** 0.5)
        words = f"{rise.value:.0f} K above its surroundings."
        then = "Drop across it under the same current; pins that have closed up: a keyed high-current connector, one per circuit."
        said.append(against(ask, rise, limits.of("connector_rise"), 1, words, words, then).of(read))
    return said


CONNECTORS = Procedure(
    "connectors", "Connectors, heat", "A better plug on the same thin cable gains almost nothing; a bad one burns.", 12, "loads on, ten minutes",
    ("running_engine",),
    (BenchStep("All that flows through the connectors on, ten minutes.", 600), BenchStep("Infrared on each shell where the contacts sit, and the air beside it.")),
    _asks, _judge,
)  # fmt: skip

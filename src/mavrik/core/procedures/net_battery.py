"""Net battery current: does the battery gain or give, with everything on?"""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.states import BenchState


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    return tuple(
        Ask(f"net_a_{name}:{b.id}", f"{b.label}: current in, {words}", Unit.AMPERE, state, element=b.id, signed=True, beside=True)
        for b in circuit.batteries
        for name, words, state in (
            ("idle", "idle, everything on", BenchState.IDLE_LOADED),
            ("fast", "2000 /min, everything on", BenchState.FAST_LOADED),
        )
    )


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    said = []
    for ask in _asks(circuit):
        read = taken.get(ask.id)
        if read is None:
            continue
        fails = f"The battery gives {-read.value:.0f} A." if read.value < 0 else "Breaking even is not charging."
        then = "Is the loaded output good? Then nothing is broken: the loads ask for more than the unit gives here. Budget."
        said.append(against(ask, read, limits.of("net_battery"), 1, f"It takes {read.value:.0f} A.", fails, then))
    return said


NET_BATTERY = Procedure(
    "net_battery", "Net battery current", "The one number that says whether a journey charges or drains.", 4, "idle, then 2000 /min, everything on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Clamp round the negative lead, all of its wires; arrow so that current into the battery reads positive. Zero it."), BenchStep("Everything on: read at idle, then at 2000 /min.")),
    _asks, _judge,
)  # fmt: skip

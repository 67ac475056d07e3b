"""Net battery current: does the battery gain or give, with everything on?"""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(f"net_a_{name}:{b.id}", f"{b.label}: current in, {words}", "current", state, element=b.id, signed=True)
        for b in circuit.batteries
        for name, words, state in (
            ("idle", "idle, everything on", BenchState.IDLE_LOADED),
            ("fast", "2000 /min, everything on", BenchState.FAST_LOADED),
        )
    )


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    judgements = []
    for point in _points(circuit):
        read = measured.get(point.id)
        if read is None:
            continue
        fails = f"The battery gives {-read.value:.0f} A." if read.value < 0 else "Breaking even is not charging."
        then = "Is the loaded output good? Then nothing is broken: the loads point for more than the unit gives here. Budget."
        judgements.append(against(point, read, limits.of("net_battery"), 1, f"It takes {read.value:.0f} A.", fails, then))
    return judgements


NET_BATTERY = Procedure(
    150, "net_battery", "Net battery current", "The one number that says whether a journey charges or drains.", 4, "idle, then 2000 /min, everything on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Clamp round the negative lead, all of its wires; arrow so that current into the battery reads positive. Zero it."), BenchStep("Everything on: read at idle, then at 2000 /min.")),
    _points, _judge, each_more=1,
)  # fmt: skip

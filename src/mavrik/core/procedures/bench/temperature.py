"""Temperature after a loaded run: a hot unit has a diode, a stator, or flat batteries."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(f"{name}:{a.id}", f"{a.label}: case {words}", "temperature", BenchState.FAST_LOADED, element=a.id, own_rule=True)
        for a in circuit.alternators
        for name, words in (("case_c", "after the run"), ("case_later_c", "two minutes later"))
    )


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    judgements = []
    for a in circuit.alternators:
        first, later = measured.get(f"case_c:{a.id}"), measured.get(f"case_later_c:{a.id}")
        read = later or first
        if read is None:
            continue
        climbs = first is not None and later is not None and later.value - first.value > later.uncertainty + first.uncertainty
        point = next(x for x in _points(circuit) if x.id == f"{'case_later_c' if later else 'case_c'}:{a.id}")
        words = "Hot, and still climbing." if climbs else "Hot."
        judgements.append(
            against(point, read, limits.of("case_temperature"), 1, "Not too hot." + (" Still climbing: look again." if climbs else ""), words, "Ripple for diode and stator; are the batteries flat and asking for all it has?")
        )  # fmt: skip
    return judgements


TEMPERATURE = Procedure(
    160, "temperature", "Temperature", "Heat is where the current is lost.", 12, "2000 /min, loads on, then off",
    ("running_engine",),
    (BenchStep("Ten minutes at 2000 /min, loads on.", 600), BenchStep("Infrared on the case, away from the exhaust; shiny metal reads low: aim at paint or tape.", 120), BenchStep("Two minutes later once more: does it climb?")),
    _points, _judge,
)  # fmt: skip

"""Temperature after a loaded run: a hot unit has a diode, a stator, or flat batteries."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.states import BenchState


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    return tuple(
        Ask(f"{name}:{a.id}", f"{a.label}: case {words}", Unit.CELSIUS, BenchState.FAST_LOADED, element=a.id, beside=True)
        for a in circuit.alternators
        for name, words in (("case_c", "after the run"), ("case_later_c", "two minutes later"))
    )


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    said = []
    for a in circuit.alternators:
        first, later = taken.get(f"case_c:{a.id}"), taken.get(f"case_later_c:{a.id}")
        read = later or first
        if read is None:
            continue
        climbs = first is not None and later is not None and later.value - first.value > later.uncertainty + first.uncertainty
        ask = next(x for x in _asks(circuit) if x.id == f"{'case_later_c' if later else 'case_c'}:{a.id}")
        words = "Hot, and still climbing." if climbs else "Hot."
        said.append(
            against(ask, read, limits.of("case_temperature"), 1, "Not too hot." + (" Still climbing: look again." if climbs else ""), words, "Ripple for diode and stator; are the batteries flat and asking for all it has?")
        )  # fmt: skip
    return said


TEMPERATURE = Procedure(
    "temperature", "Temperature", "Heat is where the current is lost.", 12, "2000 /min, loads on, then off",
    ("running_engine",),
    (BenchStep("Ten minutes at 2000 /min, loads on.", 600), BenchStep("Infrared on the case, away from the exhaust; shiny metal reads low: aim at paint or tape.", 120), BenchStep("Two minutes later once more: does it climb?")),
    _asks, _judge,
)  # fmt: skip

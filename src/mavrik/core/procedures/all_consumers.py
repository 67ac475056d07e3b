"""Output with all consumers on: the other school of the output test, judged against the maker's window."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchLimit, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.full_output import HOT_C
from mavrik.core.procedures.states import FAST_RPM, BenchState
from mavrik.core.sources import output_limit_a


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    if not any(not x.cranking for x in circuit.loads):
        return ()
    a = circuit.alternator
    return (
        Ask(f"consumers_a:{a.id}", f"{a.label}: output at 2000 /min, all consumers on", Unit.AMPERE, BenchState.FAST_LOADED, element=a.id, beside=True),
    )  # fmt: skip


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    said = []
    a = circuit.alternator
    for ask in _asks(circuit):
        read = taken.get(ask.id)
        if read is None:
            continue
        usual = limits.of("consumers_output")
        if not usual.exact:
            able = float(output_limit_a(a.rated_a, FAST_RPM * a.pulley_ratio, HOT_C, a.curve, a.kind == "permanent_magnet"))
            asked = sum(x.current_a for x in circuit.loads if not x.cranking)
            least = (usual.least or 0.0) * min(able, asked)
            rule = f"{usual.rule}: {least:.0f} A, of {asked:.0f} A asked for and {able:.0f} A possible"
            usual = BenchLimit(least=least, rule=rule, source=usual.source)
        said.append(
            against(
                ask,
                read,
                usual,
                1,
                "It carries the consumers.",
                "It gives less than it should.",
                "Full load by the bank to 12.0 V: that takes it to its limit.",
            )
        )
    return said


ALL_CONSUMERS = Procedure(
    "all_consumers", "Output, all consumers on", "Without a load bank: judged against the maker's window, where there is one.", 5, "2000 /min, all consumers on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Clamp zeroed, on the output wire, arrow to the battery."), BenchStep("Everything on (the maker may name which), 2000 /min: read the amperes after ten seconds.", 10)),
    _asks, _judge,
)  # fmt: skip

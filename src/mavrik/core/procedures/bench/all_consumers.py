"""Output with all consumers on: the other school of the output test, judged against the maker's window."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.operating.prediction import FAST_RPM
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench.full_output import HOT_C
from mavrik.core.procedures.bench_limits import BenchLimit, Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    if not any(not x.cranking for x in circuit.loads):
        return ()
    a = circuit.alternator
    return (
        Point(f"consumers_a:{a.id}", f"{a.label}: output at 2000 /min, all consumers on", "current", BenchState.FAST_LOADED, element=a.id),
    )  # fmt: skip


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    judgements = []
    a = circuit.alternator
    for point in _points(circuit):
        read = measured.get(point.id)
        if read is None:
            continue
        usual = limits.of("consumers_output")
        if not usual.exact:
            able = float(unit_output_a(a, FAST_RPM * a.pulley_ratio, HOT_C))
            load_a = sum(x.current_a for x in circuit.loads if not x.cranking)
            least = (usual.least or 0.0) * min(able, load_a)
            rule = f"{usual.rule}: {least:.0f} A, of {load_a:.0f} A asked for and {able:.0f} A possible"
            usual = BenchLimit(least=least, rule=rule, source=usual.source)
        said = against(
            point, read, usual, 1, "It carries the consumers.", "It gives less than it should.",
            "Full load by the bank to 12.0 V: that takes it to its limit.",
        )  # fmt: skip
        if said.verdict is Verdict.FAIL and len(circuit.alternators) > 1:
            # How several units share what is asked for nobody knows.
            said = replace(said, verdict=Verdict.CLOSE, why=f"It gives {read.value:.0f} A; another unit may carry the rest.")
        judgements.append(said)
    return judgements


ALL_CONSUMERS = Procedure(
    100, "all_consumers", "Output, all consumers on", "Without a load bank: judged against the maker's window, where there is one.", 5, "2000 /min, all consumers on",
    ("running_engine", "never_disconnect"),
    (BenchStep("Clamp zeroed, on the output wire, arrow to the battery."), BenchStep("Everything on (the maker may name which), 2000 /min: read the amperes after ten seconds.", 10)),
    _points, _judge,
)  # fmt: skip

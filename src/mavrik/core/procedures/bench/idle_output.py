"""Output at idle with everything on, shaft speed by tachometer: what the unit gives where most batteries starve."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench.full_output import HOT_C
from mavrik.core.procedures.bench_limits import BenchLimit, Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    points = [Point("engine_rpm", "Engine speed, by the dash or a tachometer", "speed", BenchState.IDLE_LOADED, own_rule=True)]
    for a in circuit.alternators:
        points += [
            Point(f"shaft_rpm:{a.id}", f"{a.label}: pulley speed by tachometer", "speed", BenchState.IDLE_LOADED, element=a.id, indicator="shaft"),
            Point(f"idle_a:{a.id}", f"{a.label}: output at idle, everything on", "current", BenchState.IDLE_LOADED, element=a.id),
        ]  # fmt: skip
    return tuple(points)


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    points = {a.id: a for a in _points(circuit)}
    engine = measured.get("engine_rpm")
    # How several units share what is asked for nobody knows.
    asked_a = sum(x.current_a for x in circuit.loads if not x.cranking) if len(circuit.alternators) == 1 else 0.0
    judgements = []
    for a in circuit.alternators:
        shaft, output = measured.get(f"shaft_rpm:{a.id}"), measured.get(f"idle_a:{a.id}")
        if shaft is not None and engine is not None and engine.value > 0:
            turned = engine.value * a.pulley_ratio
            share = shaft.value / turned
            u = share * ((shaft.uncertainty / max(shaft.value, 1)) ** 2 + (engine.uncertainty / engine.value) ** 2) ** 0.5
            words = f"The shaft turns at {share:.0%} of {turned:.0f} /min, engine speed times the pulley ratio."
            judgements.append(against(points[f"shaft_rpm:{a.id}"], Measured(share, u), limits.of("slip"), 1, words, words, "Belt tension, glaze and wear; or the pulley is another size than the document says.").of(shaft))  # fmt: skip
        if shaft is not None and output is not None:
            able = float(unit_output_a(a, shaft.value, HOT_C))
            judgements.append(_given(points[f"idle_a:{a.id}"], output, shaft.value, able, asked_a, limits.of("output_share")))
    return judgements


def _given(point: Point, output: Measured, shaft_rpm: float, able_a: float, asked_a: float, usual: BenchLimit) -> Judgement:
    """What a unit gives, against its curve and against what it is asked for: no unit gives more than is taken.

    able_a: by its curve; asked_a: by the loads that are listed; 0: nobody knows
    """
    share = usual.least or 0.0
    words = f"It gives {output.value:.0f} A where its curve says {able_a:.0f} A"
    of_curve = BenchLimit(
        least=share * able_a,
        rule=f"{usual.rule}: {share * able_a:.0f} A of {able_a:.0f} A at {shaft_rpm:.0f} /min",
        source=usual.source,
    )
    then = "Loaded output at 2000 /min, then ripple."
    whole = against(point, output, of_curve, 1, f"{words}.", f"{words}.", then)
    if whole.verdict is Verdict.PASS:
        return whole
    if asked_a > 0:
        least = share * min(able_a, asked_a)
        rule = f"{usual.rule}, or of what is asked for where that is less: {least:.0f} A, of {asked_a:.0f} A listed"
        return against(
            point,
            output,
            BenchLimit(least=least, rule=rule, source=usual.source),
            1,
            f"{words}: the loads that are listed ask for {asked_a:.0f} A, and that it gives.",
            f"{words} and the listed loads ask for {asked_a:.0f} A.",
            then,
        )
    open_words = f"{words}. Whether it was asked for more, the battery says."
    beside = "Clamp the battery in the same state: where it gives, the unit is short; where it takes, no more is asked for."
    return replace(whole, verdict=Verdict.CLOSE, why=open_words, next_step=beside)


IDLE_OUTPUT = Procedure(
    140, "idle_output", "Output at idle", "A nameplate is not the idle figure: shaft speed and heat decide.", 6, "hot idle, everything on",
    ("running_engine", "never_disconnect"),
    (
        BenchStep("Reflective tape on the pulley, clean; clamp zeroed on the output wire."), BenchStep("Hot idle, everything on: engine speed, pulley speed, amperes."),
        BenchStep("After a pulley or unit change repeat at the same engine speed."),
    ),
    _points, _judge,
)  # fmt: skip

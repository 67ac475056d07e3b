"""Output at idle with everything on, shaft speed by tachometer: what the unit gives where most batteries starve."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchLimit, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.full_output import HOT_C
from mavrik.core.procedures.states import BenchState
from mavrik.core.sources import output_limit_a


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    asks = [Ask("engine_rpm", "Engine speed, by the dash or a tachometer", Unit.PER_MINUTE, BenchState.IDLE_LOADED, beside=True)]
    for a in circuit.alternators:
        asks += [
            Ask(f"shaft_rpm:{a.id}", f"{a.label}: pulley speed by tachometer", Unit.PER_MINUTE, BenchState.IDLE_LOADED, element=a.id, sign="shaft"),
            Ask(f"idle_a:{a.id}", f"{a.label}: output at idle, everything on", Unit.AMPERE, BenchState.IDLE_LOADED, element=a.id, beside=True),
        ]  # fmt: skip
    return tuple(asks)


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    asks = {a.id: a for a in _asks(circuit)}
    engine = taken.get("engine_rpm")
    said = []
    for a in circuit.alternators:
        shaft, output = taken.get(f"shaft_rpm:{a.id}"), taken.get(f"idle_a:{a.id}")
        if shaft is not None and engine is not None and engine.value > 0:
            turned = engine.value * a.pulley_ratio
            share = shaft.value / turned
            u = share * ((shaft.uncertainty / max(shaft.value, 1)) ** 2 + (engine.uncertainty / engine.value) ** 2) ** 0.5
            words = f"The shaft turns at {share:.0%} of {turned:.0f} /min, engine speed times the pulley ratio."
            said.append(against(asks[f"shaft_rpm:{a.id}"], Taken(share, u), limits.of("slip"), 1, words, words, "Belt tension, glaze and wear; or the pulley is another size than the document says.").of(shaft))  # fmt: skip
        if shaft is not None and output is not None:
            able = float(output_limit_a(a.rated_a, shaft.value, HOT_C, a.curve, a.kind == "permanent_magnet"))
            usual = limits.of("output_share")
            least = (usual.least or 0.0) * able
            limit = BenchLimit(
                least=least, rule=f"{usual.rule}: {least:.0f} A of {able:.0f} A at {shaft.value:.0f} /min", source=usual.source
            )
            words = f"It gives {output.value:.0f} A where its curve says {able:.0f} A."
            said.append(against(asks[f"idle_a:{a.id}"], output, limit, 1, words, f"{words} With loads that ask for less, that is no fault.", "Loaded output at 2000 /min, then ripple."))  # fmt: skip
    return said


IDLE_OUTPUT = Procedure(
    "idle_output", "Output at idle", "A nameplate is not the idle figure: shaft speed and heat decide.", 6, "hot idle, everything on",
    ("running_engine", "never_disconnect"),
    (
        BenchStep("Reflective tape on the pulley, clean; clamp zeroed on the output wire."), BenchStep("Hot idle, everything on: engine speed, pulley speed, amperes."),
        BenchStep("After a pulley or unit change repeat at the same engine speed."),
    ),
    _asks, _judge,
)  # fmt: skip

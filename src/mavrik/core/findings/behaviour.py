"""What a circuit does that no part is to blame for: a voltage that is wrong for a battery, a link that chatters."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.graph import metal_of, reach
from mavrik.core.findings.bench import Bench
from mavrik.core.operating.bench_states import BenchState, Setup, state_of
from mavrik.core.operating.devices import battery_units
from mavrik.core.operating.prediction import predict_what_can_be
from mavrik.core.protection.documents import Finding, Severity

WITHIN_V = 0.1
"""Of a 12 V system: a regulator is no better than that."""


def _chargers(circuit: Circuit, battery_post: str) -> list[tuple[str, float]]:
    """What charges a battery over metal, or over a diode: labels and set points [V]."""
    joined = reach(metal_of(circuit.branches), battery_post)
    behind = {b.from_node for b in circuit.branches if b.conducts and b.by_voltage and b.to_node in joined}
    chargers = [(a.label, a.set_point_v) for a in circuit.alternators if a.stud_node in joined | behind]
    return chargers + [(c.label, c.set_point_v) for c in circuit.converters if c.out_node in joined]


def charging_voltage_findings(circuit: Circuit, regulated_v: Mapping[str, float]) -> list[Finding]:
    """Set points that are wrong for the chemistry of a battery they charge.

    circuit: the document; regulated_v: the highest charging voltage that was read, by battery [V]; too high, it goes before what the document says
    Source: the table of sources, common practice; a battery maker's figures win.
    """
    findings = []
    for b in circuit.batteries:
        least, most = (v * battery_units(circuit, b) for v in source_table().charge_window_12[b.chemistry.value])
        margin = WITHIN_V * circuit.system_voltage_v / 12
        chargers = _chargers(circuit, b.positive_node)
        for label, volts in chargers:
            read = regulated_v.get(b.id, 0.0)
            # What is read too low may have many causes; too high has this one.
            at, words = (read, "was read") if read > max(volts, most + margin) else (volts, "is its set point")
            if least - margin <= at <= most + margin:
                continue
            what = "too much: it gasses, dries out and ages" if at > most else "too little: it never gets full, and sulphates"
            findings.append(
                Finding(
                    code="set_point_for_chemistry",
                    severity=Severity.WARNING,
                    branch_id=None,
                    title=f"{b.label}: {label} charges it with the wrong voltage for {b.chemistry.value}",
                    why=f"{at:.1f} V {words}; {b.chemistry.value} takes {least:.1f} to {most:.1f} V for hours. That is {what}.",
                    rule=f"{least:.1f} to {most:.1f} V for {b.chemistry.value}",
                    source="Common practice of the trade; the battery maker's figures win",
                )
            )
            break
    return findings


def chattering_findings(bench: Bench) -> list[Finding]:
    """Voltage links that close, are loaded, fall below their threshold and open again, for ever.

    bench: the circuit with its readings; the parts are as those have them
    Source: the network, whose links keep turning within one state.
    """
    links = {b.id: b for b in bench.circuit.branches if b.by_voltage and b.settable}
    if not links:
        return []
    fitted = bench.posterior.best.fitted
    excess = dict(zip(fitted.problem.branch_ids, fitted.excess_ohm.tolist(), strict=True)) if fitted is not None else None
    chatters: dict[str, str] = {}
    for state, words in (
        (BenchState.IDLE_LOADED, "at idle with loads on"),
        (BenchState.FAST_LOADED, "at 2,000 /min with loads on"),
    ):
        seen = predict_what_can_be(bench.circuit, state_of(Setup(state), bench.circuit), bench.ring, excess)
        for i in seen.chattering:
            chatters.setdefault(i, words)
    return [
        Finding(
            code="link_chatters",
            severity=Severity.WARNING,
            branch_id=i,
            title=f"{links[i].label} chatters {when}",
            why="It closes, what is behind it pulls the voltage below its threshold, it opens, and the voltage is back: for ever.",
            rule="A link stays closed while the alternator charges",
            source="The network solved at that state",
        )
        for i, when in chatters.items()
        if i in links
    ]

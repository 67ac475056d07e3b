"""Key on, engine off: the lamp, the output stud, the sense wire."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit
from mavrik.core.procedures.states import BenchState, joined_by_metal
from mavrik.core.uncertainty import Verdict


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    fed = joined_by_metal(circuit)
    asks = [
        Ask(f"key_stud_v:{a.id}", f"{a.label}: stud to case", Unit.VOLT, BenchState.KEY_ON, a.stud_node, a.case_node)
        for a in circuit.alternators
        if a.stud_node in fed
    ]
    asks += [
        Ask(f"key_sense_v:{a.id}", f"{a.label}: sense to case", Unit.VOLT, BenchState.KEY_ON, a.sense_positive_node, a.case_node)
        for a in circuit.alternators
        if a.sense_positive_node and a.sense_positive_node != a.stud_node
    ]
    asks += [
        Ask(f"lamp:{a.id}", f"{a.label}: warning lamp lit", Unit.YES_NO, BenchState.KEY_ON, sign="lamp", element=a.id)
        for a in circuit.alternators
        if a.kind == "wound_field"
    ]
    battery = circuit.battery
    return (Ask("key_battery_v", "Battery", Unit.VOLT, BenchState.KEY_ON, battery.positive_node, battery.negative_node), *asks)


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    limit = limits.of("key_on_stud")
    assert limit.within is not None
    allowed = limit.within * circuit.system_voltage_v / 12
    said = []
    battery = taken.get("key_battery_v")
    for ask in _asks(circuit):
        read = taken.get(ask.id)
        if read is None:
            continue
        if ask.sign == "lamp":
            lit = read.value > 0.5
            said.append(
                Judgement(
                    ask.id, ask.label, read.value, 0.0, ask.unit, Verdict.PASS if lit else Verdict.FAIL,
                    "the warning lamp lights with the key on", "Common practice of the trade",
                    "The exciter circuit is whole." if lit else "Open rotor, worn-out brushes, or an open lamp circuit.",
                    "" if lit else "Key feed at the exciter pin? Then measure the rotor through its brushes; no feed: follow the lamp circuit.",
                )
            )  # fmt: skip
        elif battery is not None and ask.id != "key_battery_v":
            short = battery.value - read.value
            u = (battery.uncertainty**2 + read.uncertainty**2) ** 0.5
            verdict = Verdict.PASS if short + u <= allowed else Verdict.FAIL if short - u > allowed else Verdict.CLOSE
            said.append(
                Judgement(
                    ask.id, ask.label, read.value, read.uncertainty, ask.unit, verdict, limit.rule, limit.source,
                    "The way from the battery is whole." if verdict is Verdict.PASS else "The way from the battery is open or bad: fuse, link or cable.",
                    "" if verdict is Verdict.PASS else "Follow the feed from the battery with the meter until the voltage appears.",
                )
            )  # fmt: skip
    return said


KEY_ON = Procedure(
    "key_on", "Key on, engine off", "Lamp, stud and sense wire say in a minute whether feed and exciter are whole.", 2, "off, key on",
    ("jewellery",),
    (BenchStep("Key on, engine off, everything else off."), BenchStep("Look for the warning lamp."), BenchStep("Black probe on the alternator case, red on the stud, then on the sense wire.")),
    _asks, _judge,
)  # fmt: skip

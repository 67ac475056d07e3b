"""Cranking: the battery's least voltage, and the drop along each lead that carries the starter."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against
from mavrik.core.procedures.states import BenchState, carrying

SHARE = 0.05
"""Of the starter's current; a lead that carries less tells nothing."""


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    if not any(x.cranking for x in circuit.loads):
        return ()
    battery = circuit.battery
    leads = [circuit.branch(i) for i in carrying(circuit, BenchState.CRANKING, SHARE)]
    asks = [
        Ask(
            "crank_v",
            "Battery while cranking",
            Unit.VOLT,
            BenchState.CRANKING,
            battery.positive_node,
            battery.negative_node,
            capture="cranking",
        )
    ]
    asks += [
        Ask(f"crank_drop:{b.id}", f"{b.label}, cranking", Unit.VOLT, BenchState.CRANKING, b.from_node, b.to_node, b.id, drop=True)
        for b in leads
    ]
    return tuple(asks)


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    said = []
    for ask in _asks(circuit):
        read = taken.get(ask.id)
        if read is None:
            continue
        if ask.drop:
            size = Taken(abs(read.value), read.uncertainty)
            said.append(
                against(
                    ask,
                    size,
                    limits.of("cranking_lead"),
                    scale,
                    "The lead is good for the starter.",
                    "This lead eats the starter's volts.",
                    "Clean both ends and read again; still high: a larger or new lead.",
                )
            )
        else:
            said.append(
                against(
                    ask,
                    read,
                    limits.of("cranking"),
                    scale,
                    "The battery holds up.",
                    "The battery falls too far: weak, empty, or the starter takes too much.",
                    "Load or conductance test of the battery at rest, then the starter's current.",
                )
            )
    return said


CRANKING = Procedure(
    "cranking", "Cranking", "The starter is the hardest load there is: bad leads and batteries show at once.", 5, "cranking, fuel or ignition held off",
    ("jewellery", "running_engine"),
    (BenchStep("Hold fuel or ignition off so that it cranks without starting."), BenchStep("Crank for five seconds and keep the least reading.", 5), BenchStep("Then each lead end to end, cranking again; let the starter cool between.")),
    _asks, _judge,
)  # fmt: skip

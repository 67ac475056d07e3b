"""A high-current relay whose coil runs through two control switches in series: either alone opens it."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import Growing
from mavrik.core.isolation.documents import Sense
from mavrik.core.isolation.topologies.base import (
    HIGH_CURRENT_RELAY,
    Isolated,
    Topology,
    behind_contacts,
    by_a_link,
    contacts_of,
    usual_switching,
)
from mavrik.core.isolation.topologies.wires import CONTROLS, control_wire

PULL_IN_SHARE, DROP_OUT_SHARE = 0.67, 0.2
"""Of the system's voltage, where a relay of this kind pulls in and lets go. Common practice, makers differ, no source."""
COIL_A = 0.6
"""The coil at the system's voltage. Rough, no source."""


def _build(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, HIGH_CURRENT_RELAY, charge_stays=True)
    first, volts, grow = made.battery, made.system_voltage_v, Growing(made)
    wire = control_wire(grow, first.positive_node, "Relay coil", COIL_A)
    wired = grow.done()
    coil = Sense(
        id="coil", label="Relay coil", plus_node=wire.end, minus_node=first.negative_node, on_v=PULL_IN_SHARE * volts,
        off_v=DROP_OUT_SHARE * volts, takes_a=COIL_A,
    )  # fmt: skip
    contacts = (*contacts_of(wired, behind, "coil"), *wire.contacts)
    done = switching.model_copy(update={"controls": CONTROLS, "senses": (coil,), "contacts": contacts})
    return Isolated(wired, done, (*moves, wire.moved), (*assumed, wire.assumed))


TWO_CONTROLS = Topology(
    50, "two_controls", "A relay whose coil runs through two switches",
    "One for the driver, one outside, small wires to both; either opens the relay. Its coil takes current for as long as it is on.",
    _build,
    by_a_link,
)  # fmt: skip

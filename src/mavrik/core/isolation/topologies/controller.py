"""A power controller that sees a sense wire and drops everything it feeds when that goes low."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import Growing
from mavrik.core.isolation.documents import Sense, SwitchedConsumer
from mavrik.core.isolation.topologies.base import (
    HIGH_CURRENT_RELAY,
    Isolated,
    Topology,
    behind_contacts,
    contacts_of,
    usual_switching,
)
from mavrik.core.isolation.topologies.wires import CONTROLS, control_wire

ON_V, OFF_V = 4.2, 3.6
"""Common practice, one set-up, no source."""
INPUT_A = 0.012
"""Of an input with a kilohm to the body, which pulls it low when its wire is open."""

NOT_PRICED = "The controller's box is in no price list: it is reckoned as the relays in it; its maker's price is to be asked for."


def _build(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, HIGH_CURRENT_RELAY)
    first, grow = made.battery, Growing(made)
    wire = control_wire(grow, first.positive_node, "Sense input", INPUT_A)
    done = grow.done()
    awake = Sense(
        id="awake",
        label="Sense input",
        plus_node=wire.end,
        minus_node=first.negative_node,
        on_v=ON_V,
        off_v=OFF_V,
        takes_a=INPUT_A,
    )
    # Every output hangs on the one condition, so that all is dead before the engine has run down.
    consumers = tuple(
        SwitchedConsumer(load_id=c.load_id, role=c.role, when=f"awake and {c.when}", needs_v=c.needs_v)
        for c in switching.consumers
    )
    switched = switching.model_copy(
        update={
            "controls": CONTROLS, "senses": (awake,), "consumers": consumers,
            "contacts": (*contacts_of(done, behind, "awake"), *wire.contacts),
        }
    )  # fmt: skip
    return Isolated(done, switched, (*moves, wire.moved), (*assumed, wire.assumed, NOT_PRICED))


CONTROLLER = Topology(
    60, "controller", "A power controller with a sense wire",
    "The controller sees the sense wire go low and drops coils, pump and every other output; only thin wires go to the switches.",
    _build,
)  # fmt: skip

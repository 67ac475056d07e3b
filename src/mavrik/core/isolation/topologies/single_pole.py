"""One switch with one pole: in the negative, in the positive, or in the positive with the alternator on the battery's side."""

from __future__ import annotations

from mavrik.core.circuit import Circuit, SwitchBranch
from mavrik.core.isolation.documents import Control, ControlPlace
from mavrik.core.isolation.topologies.base import (
    CONTACT_MOHM,
    Isolated,
    Topology,
    behind_contacts,
    by_a_link,
    contacts_of,
    usual_switching,
)

RATING_A = 300.0
"""The class of a heavy single-pole isolator. Common practice, no source."""


def _switch(own: str, label: str, from_node: str, to_node: str) -> SwitchBranch:
    return SwitchBranch(
        id=own, label=label, from_node=from_node, to_node=to_node, resistance_mohm=CONTACT_MOHM, rating_a=RATING_A
    )


def _built(circuit: Circuit, negative: bool = False, charge_stays: bool = False) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, _switch, negative, charge_stays)
    control = Control(id="isolator", label="Isolator", place=ControlPlace.BATTERY, lockable=True, removable=True)
    done = switching.model_copy(update={"controls": (control,), "contacts": contacts_of(made, behind, "isolator")})
    return Isolated(made, done, moves, assumed)


NEGATIVE = Topology(
    10, "negative", "Single pole in the negative",
    "The workshop's way for storage and service: nothing that falls on the body makes a spark. A running engine does not notice it.",
    lambda c: _built(c, negative=True),
)  # fmt: skip
POSITIVE = Topology(
    20, "positive", "Single pole in the positive",
    "At the positive post, all leads behind it, the alternator's too. With the engine running the alternator feeds the vehicle on.",
    _built,
)  # fmt: skip
ALTERNATOR_SIDE = Topology(
    30, "alternator_side", "Positive, with the alternator on the battery's side",
    "The charge lead goes to the battery side of the switch and the whole vehicle to the other: opened, it leaves both sources alone.",
    lambda c: _built(c, charge_stays=True),
    by_a_link,
)  # fmt: skip

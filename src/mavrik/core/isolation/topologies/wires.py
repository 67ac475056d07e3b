"""The thin fused wire from a battery's post through both control switches to a coil or an input."""

from __future__ import annotations

import math
from dataclasses import dataclass

from mavrik.core.catalogue.fuses import FuseFamily, choose_rating
from mavrik.core.circuit import SwitchBranch
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.controls import ControlPlace
from mavrik.core.circuit.layouts.parts import cable, fuse
from mavrik.core.isolation.documents import Control, MovedContact
from mavrik.core.thermal.ampacity import Place

CONTROLS = (
    Control(id="driver", label="Driver's switch", place=ControlPlace.DRIVER, marked=True),
    Control(id="outside", label="Outer switch", place=ControlPlace.OUTSIDE, marked=True),
)

SIZE = "1.5 mm2"
"""Thin enough for small switches, thick enough to be crimped and clamped. Common practice, no source."""
LEADS_M = {"driver": 2.0, "outside": 2.0, "back": 3.0}
"""To the driver's switch, on to the outer one, and back. Our choice: nobody has measured them."""
SWITCH_MOHM, SWITCH_A = 10.0, 5.0


@dataclass(frozen=True)
class ControlWire:
    """What was drawn."""

    end: str
    """The node at the coil or the input."""
    contacts: tuple[MovedContact, ...]
    """The switches in it."""
    moved: str
    """Where it runs, in words."""
    assumed: str
    """What nobody had said of it."""


def control_wire(grow: Growing, post: str, end_label: str, takes_a: float) -> ControlWire:
    """A fused wire from a post through the switches of `CONTROLS`, in series, to a coil or an input.

    grow: the circuit it is put into; post: where it starts; end_label: of what it ends at; takes_a: what that takes [A], above 0
    Source: common practice of the trade; the fuse as `choose_rating`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> grow = Growing(front_battery(12))
    >>> made = control_wire(grow, "bat_pos", "Relay coil", 0.6)
    >>> [b.label for b in grow.done().branches][-6:-3]
    ['Control fuse', "Wire to Driver's switch", "Driver's switch"]
    """
    rated = choose_rating(FuseFamily.BLADE_C, takes_a, math.inf)
    assert rated is not None
    at = grow.node("control_fuse_out", "Control fuse, far side")
    grow.put("branches", fuse(grow.free("control_fuse"), "Control fuse", post, at, rated.rating_a, FuseFamily.BLADE_C))
    contacts = []
    for control in CONTROLS:
        inlet = grow.node(f"{control.id}_in", f"{control.label}, in")
        outlet = grow.node(f"{control.id}_out", f"{control.label}, out")
        pole = SwitchBranch(
            id=grow.free(f"{control.id}_switch"), label=control.label, from_node=inlet, to_node=outlet, resistance_mohm=SWITCH_MOHM,
            rating_a=SWITCH_A,
        )  # fmt: skip
        wire = grow.free(f"{control.id}_wire")
        grow.put("branches", cable(wire, f"Wire to {control.label}", at, inlet, LEADS_M[control.id], SIZE, Place.CABIN), pole)
        contacts.append(MovedContact(branch_id=pole.id, when=control.id))
        at = outlet
    end = grow.node("control_end", end_label)
    grow.put("branches", cable(grow.free("control_back"), f"Wire to {end_label}", at, end, LEADS_M["back"], SIZE, Place.CABIN))
    metres = f"{LEADS_M['driver']:g} m to the driver's switch, {LEADS_M['outside']:g} m on to the outer one, {LEADS_M['back']:g} m back"
    return ControlWire(
        end,
        tuple(contacts),
        f"A wire of {SIZE.replace('mm2', 'mm²')} of its own, fused with {rated.rating_a:g} A at the battery's post, through both switches to the {end_label.lower()}.",
        f"The wires to the switches are taken to be {metres}: measure them.",
    )

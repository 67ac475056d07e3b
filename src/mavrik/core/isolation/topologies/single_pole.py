"""One switch with one pole: in the negative, in the positive, or in the positive with the alternator on the battery's side."""

from __future__ import annotations

from mavrik.core.circuit import Circuit, SwitchBranch
from mavrik.core.circuit.controls import ControlPlace
from mavrik.core.isolation.documents import Control
from mavrik.core.isolation.topologies.base import (
    Isolated,
    Topology,
    behind_contacts,
    by_a_link,
    contact_maker,
    contacts_of,
    usual_switching,
)

RATING_A = 300.0
"""The class of a heavy single-pole isolator. Common practice, no source."""


_switch = contact_maker(SwitchBranch, RATING_A)


def _built(circuit: Circuit, negative: bool = False, charge_stays: bool = False) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, _switch, negative, charge_stays)
    control = Control(id="isolator", label="Isolator", place=ControlPlace.BATTERY, lockable=True, removable=True)
    done = switching.model_copy(update={"controls": (control,), "contacts": contacts_of(made, behind, "isolator")})
    return Isolated(made, done, moves, assumed)


POST_RATING_A = 125.0
"""What a knob on a post is commonly good for continuously. Common practice, makers differ, no source."""
POST_HEIGHT_MM = 30
"""What it adds to a post. Common practice, rough, no source."""


_post_switch = contact_maker(SwitchBranch, POST_RATING_A, 500)


def _on_the_post(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, _post_switch, negative=True)
    control = Control(id="knob", label="Knob on the post", place=ControlPlace.BATTERY, removable=True)
    done = switching.model_copy(update={"controls": (control,), "contacts": contacts_of(made, behind, "knob")})
    room = f"It adds about {POST_HEIGHT_MM} mm to the post: see that bonnet, strap and brace stay clear of it, a hand's breadth over a live post."
    return Isolated(made, done, (*moves, room), assumed)


PULLS = (
    Control(id="driver", label="Driver's handle", place=ControlPlace.DRIVER, marked=True),
    Control(id="outside", label="Outer pull", place=ControlPlace.OUTSIDE, marked=True),
)


def _by_cable(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, _switch, charge_stays=True)
    done = switching.model_copy(update={"controls": PULLS, "contacts": contacts_of(made, behind, "driver and outside")})
    cable = "A pull cable from the outer handle to the switch's lever: sealed where it passes a panel, held so that it does not move, no bend tighter than its maker's."
    return Isolated(made, done, (*moves, cable), assumed)


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
POST = Topology(
    15, "post", "A knob on the negative post",
    "Where there is room above the battery and little to carry: it goes on the post itself, and no lead is cut. For storage and service.",
    _on_the_post,
)  # fmt: skip
PULL_CABLE = Topology(
    35, "pull_cable", "One switch, pulled from two places",
    "The alternator on the battery's side, one heavy switch, and a cable from an outer handle to its lever: either hand opens it, with no coil.",
    _by_cable,
    by_a_link,
)  # fmt: skip

"""A switch that takes off a part of the vehicle alone: the further batteries, or the winch."""

from __future__ import annotations

from mavrik.core.circuit import Circuit, SwitchBranch
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.controls import ControlPlace
from mavrik.core.circuit.editing import with_parts
from mavrik.core.isolation.documents import Control, MovedContact
from mavrik.core.isolation.topologies.base import Isolated, Topology, behind_contacts, contact_maker, contacts_of, usual_switching

RATING_A = 300.0
"""The class of a heavy single-pole isolator. Common practice, no source."""


_switch = contact_maker(SwitchBranch, RATING_A, 1000)


def _banks(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, _switch, batteries={b.id for b in drawn.batteries[1:]})
    control = Control(id="bank", label="Second-bank isolator", place=ControlPlace.BATTERY, lockable=True, removable=True)
    done = switching.model_copy(update={"controls": (control,), "contacts": contacts_of(made, behind, "bank")})
    return Isolated(made, done, moves, assumed)


def _winch(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    grow, moved, rehung, words = Growing(drawn), [], {}, []
    for winch in (x for x in drawn.loads if x.role == "winch"):
        stud = grow.node("winch_feed", f"{winch.label}, behind its isolator")
        contact = _switch(grow.free("isolator"), f"Isolator of {winch.label}", winch.from_node, stud)
        grow.put("branches", contact)
        moved.append(MovedContact(branch_id=contact.id, when="winch"))
        rehung[winch.id] = stud
        words.append(f"Before {winch.label}, in its own lead.")
    done = grow.done()
    loads = tuple(x.model_copy(update={"from_node": rehung[x.id]}) if x.id in rehung else x for x in done.loads)
    control = Control(id="winch", label="Winch isolator", place=ControlPlace.DRIVER)
    switched = switching.model_copy(update={"controls": (control,), "contacts": tuple(moved)})
    return Isolated(with_parts(done, loads=loads), switched, tuple(words), assumed)


BANKS = Topology(
    70, "further_banks", "A switch at the further batteries",
    "The second bank alone goes off, with all that hangs on it; the vehicle goes on.", _banks,
    lambda c: "" if len(c.batteries) > 1 else "There is one battery only.",
)  # fmt: skip
WINCH = Topology(
    80, "winch", "An isolator in the winch's own lead",
    "Off, the winch is dead on the road, and its long lead with it; nothing else is touched.", _winch,
    lambda c: "" if any(x.role == "winch" for x in c.loads) else "No winch is drawn.",
)  # fmt: skip

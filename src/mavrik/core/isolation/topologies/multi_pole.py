"""Switches with a main pole and poles for what must go with it: ignition and a run-down resistor, or the field."""

from __future__ import annotations

from mavrik.core.circuit import Circuit, Load, LoadKind, SwitchBranch
from mavrik.core.circuit.additions import Growing, near_ground
from mavrik.core.circuit.controls import ControlPlace
from mavrik.core.circuit.editing import with_parts
from mavrik.core.isolation.documents import ConsumerRole, Control, FieldSupply, MovedContact, SwitchedConsumer
from mavrik.core.isolation.topologies.base import (
    Isolated,
    Topology,
    behind_contacts,
    contact_maker,
    contacts_of,
    usual_switching,
)

RUN_DOWN_OHM = 3.0
"""Of the resistor that takes what a stopping alternator still makes. Common practice, no source."""


_switch = contact_maker(SwitchBranch, 250, 1000)


def _build(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, _switch)
    grow = Growing(made)
    poles, rehung = [], {}
    critical = {c.load_id for c in switching.consumers if c.role is ConsumerRole.IGNITION}
    for x in made.loads:
        if x.id in critical:
            feed = grow.node("pole", f"{x.label}, behind its pole")
            pole = SwitchBranch(
                id=grow.free("ignition_pole"), label=f"Ignition pole of {x.label}"[:60], from_node=x.from_node, to_node=feed, resistance_mohm=5.0,
                rating_a=20,
            )  # fmt: skip
            grow.put("branches", pole)
            poles.append(MovedContact(branch_id=pole.id, when="master"))
            rehung[x.id] = feed
    out = behind[made.battery.id]
    resistor = Load(
        id=grow.free("run_down"), label="Run-down resistor", from_node=out, to_node=near_ground(made),
        current_a=made.system_voltage_v / RUN_DOWN_OHM, law=LoadKind.RESISTANCE, on=False,
    )  # fmt: skip
    grow.put("loads", resistor)
    done = grow.done()
    loads = tuple(x.model_copy(update={"from_node": rehung[x.id]}) if x.id in rehung else x for x in done.loads)
    done = with_parts(done, loads=loads)
    consumers = (*switching.consumers, SwitchedConsumer(load_id=resistor.id, role=ConsumerRole.OTHER, when="not master"))
    control = Control(id="master", label="Master switch", place=ControlPlace.DRIVER, marked=True, removable=True)
    switched = switching.model_copy(
        update={"controls": (control,), "contacts": (*contacts_of(done, behind, "master"), *poles), "consumers": consumers}
    )
    more = tuple(f"Through the ignition pole: {x.label}." for x in made.loads if x.id in critical)
    resistor_on = "The run-down resistor to the body, closed while the switch is off."
    order = "In this order: the ignition pole opens and the resistor closes before the main pole opens. Whether this switch does so is in its maker's data."
    return Isolated(done, switched, (*moves, *more, resistor_on, order), assumed)


MULTI_POLE = Topology(
    40, "multi_pole", "Main pole, ignition pole and run-down resistor",
    "One shaft moves all poles: the ignition stops, the battery is cut, and the resistor takes what the alternator still makes.",
    _build,
)  # fmt: skip


def _field_cut(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    made, behind, moves = behind_contacts(drawn, _switch)
    fields = tuple(FieldSupply(alternator_id=a.id, when="key and master", self_excites=False) for a in made.alternators)
    control = Control(id="master", label="Master switch", place=ControlPlace.DRIVER, marked=True, removable=True)
    switched = switching.model_copy(
        update={"controls": (control,), "contacts": contacts_of(made, behind, "master"), "fields": fields}
    )
    through = tuple(f"Through the field pole: the exciter wire of {a.label}." for a in made.alternators)
    outside = "The field of the alternator is fed from outside, by that wire alone: a unit that feeds its own field runs on."
    order = "In this order: the field pole opens before the main pole, or the battery is cut from a unit that still charges. Whether this switch does so is in its maker's data."
    return Isolated(made, switched, (*moves, *through, order), (*assumed, outside))


def _has_a_field(circuit: Circuit) -> str:
    magnets = [a.label for a in circuit.alternators if a.kind == "permanent_magnet"]
    return f"{magnets[0]} has a permanent magnet: there is no field to cut." if magnets else ""


FIELD_CUT = Topology(
    45, "field_cut", "Main pole and field pole",
    "The alternator's field goes with the battery: what turns then makes nothing, and its lead stays where it is.",
    _field_cut,
    _has_a_field,
)  # fmt: skip

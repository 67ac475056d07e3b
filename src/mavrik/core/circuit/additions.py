"""Parts to add to a drawn circuit, each with all that it needs: its nodes, its leads, its fuses."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import (
    Alternator,
    AnyBranch,
    BenchCharger,
    Chemistry,
    Circuit,
    Converter,
    LinkBranch,
    Load,
    Node,
    NodeRole,
    SwitchBranch,
)
from mavrik.core.circuit.editing import free_id, with_parts
from mavrik.core.circuit.layouts.parts import battery, cable, fuse, node
from mavrik.core.thermal.ampacity import Place


@dataclass(frozen=True)
class Addition:
    """Something to add, and what it is for."""

    name: str
    label: str
    when: str
    build: Callable[[Circuit], Circuit]


class Growing:
    """A circuit that parts are put into under ids of their own."""

    def __init__(self, circuit: Circuit) -> None:
        self.circuit = circuit
        self._nodes: list[Node] = []
        self._more: dict[str, list[Any]] = {}
        self._used: set[str] = set()

    def free(self, wish: str) -> str:
        """An id that nothing has yet."""
        name = free_id(self.circuit, wish, self._used)
        self._used.add(name)
        return name

    def node(self, wish: str, label: str, role: NodeRole = NodeRole.STUD) -> str:
        """A new node; returns its id."""
        made = node(self.free(wish), label, role)
        self._nodes.append(made)
        return made.id

    def put(self, kind: str, *parts: Any) -> None:
        """Parts into one of the document's lists."""
        self._more.setdefault(kind, []).extend(parts)

    def done(self) -> Circuit:
        """The larger circuit."""
        more = {kind: (*getattr(self.circuit, kind), *parts) for kind, parts in self._more.items()}
        return with_parts(self.circuit, nodes=(*self.circuit.nodes, *self._nodes), **more)


def near_ground(circuit: Circuit) -> str:
    """Where a return goes: the body, or else the battery's negative post."""
    chassis = [n.id for n in circuit.nodes if n.role is NodeRole.CHASSIS]
    return chassis[-1] if chassis else circuit.battery.negative_node


def _house(grow: Growing, chemistry: Chemistry) -> tuple[str, str]:
    """A second battery with its return; returns its positive post and its id."""
    number = len(grow.circuit.batteries) + 1
    label = f"Battery {number}"
    plus = grow.node(f"bat{number}_pos", f"{label} +", NodeRole.BATTERY_POSITIVE)
    minus = grow.node(f"bat{number}_neg", f"{label} −", NodeRole.BATTERY_NEGATIVE)
    battery_id = grow.free(f"battery_{number}")
    grow.put(
        "batteries",
        battery(battery_id, label).model_copy(
            update={"positive_node": plus, "negative_node": minus, "chemistry": chemistry, "capacity_ah": 100.0, "cca_a": None}
        ),
    )
    grow.put(
        "branches", cable(grow.free("ground"), f"{label} ground", minus, near_ground(grow.circuit), 1.0, "35 mm2", Place.CABIN)
    )
    return plus, label


def _linked(circuit: Circuit, contact: Callable[[Growing, str, str], AnyBranch] | None) -> Circuit:
    """A second battery on a fused lead, behind a contact where there is one."""
    grow = Growing(circuit)
    plus, label = _house(grow, Chemistry.AGM)
    start, far = grow.node("link_in", f"{label} link, start side"), grow.node("link_far", f"{label} fuse stud")
    grow.put("branches", fuse(grow.free("link_fuse"), f"{label} link fuse, start", circuit.battery.positive_node, start, 125))
    begin = start
    if contact:
        begin = grow.node("link_out", f"{label} link, far side")
        grow.put("branches", contact(grow, start, begin))
    grow.put(
        "branches",
        cable(grow.free("link_cable"), f"{label} feed", begin, far, 3.0, "35 mm2", Place.CABIN),
        fuse(grow.free("far_fuse"), f"{label} link fuse, far", far, plus, 125),
    )
    return grow.done()


def _switch(grow: Growing, start: str, end: str) -> AnyBranch:
    switch_id = grow.free("link_switch")
    return SwitchBranch(id=switch_id, label="Link switch", from_node=start, to_node=end, resistance_mohm=0.2, rating_a=300)


def _voltage_link(grow: Growing, start: str, end: str) -> AnyBranch:
    scale = grow.circuit.system_voltage_v / 12
    return LinkBranch(
        id=grow.free("link"), label="Voltage link", from_node=start, to_node=end, resistance_mohm=0.5, rating_a=140,
        cut_in_v=13.3 * scale, cut_out_v=12.7 * scale,
    )  # fmt: skip


def _by_converter(circuit: Circuit) -> Circuit:
    grow = Growing(circuit)
    plus, label = _house(grow, Chemistry.LIFEPO4)
    scale = circuit.system_voltage_v / 12
    stud, dc_in = grow.node("feed_stud", "Charger feed stud"), grow.node("dc_in", "Charger input", NodeRole.CONSUMER)
    dc_out = grow.node("dc_out", "Charger output")
    grow.put(
        "branches",
        fuse(grow.free("feed_fuse"), "Charger feed fuse", circuit.battery.positive_node, stud, 40, FuseFamily.STRIP_30),
        cable(grow.free("feed_cable"), "Charger feed", stud, dc_in, 4.5, "10 mm2", Place.CABIN),
        fuse(grow.free("out_fuse"), f"{label} fuse", dc_out, plus, 40, FuseFamily.MRBF),
    )
    grow.put(
        "converters",
        Converter(
            id=grow.free("converter"), label="DC-DC charger", in_node=dc_in, out_node=dc_out, ground_node=near_ground(circuit),
            limit_a=25, set_point_v=14.4 * scale, input_cut_off_v=11.5 * scale,
        ),
    )  # fmt: skip
    return grow.done()


def _load(circuit: Circuit) -> Circuit:
    grow = Growing(circuit)
    first = circuit.battery
    grow.put(
        "loads",
        Load(id=grow.free("load"), label="New load", from_node=first.positive_node, to_node=first.negative_node, current_a=10),
    )
    return grow.done()


def _load_on_a_lead(circuit: Circuit) -> Circuit:
    grow = Growing(circuit)
    stud, inlet = grow.node("load_stud", "Load fuse stud"), grow.node("load_in", "New load, inlet", NodeRole.CONSUMER)
    grow.put(
        "branches",
        fuse(grow.free("load_fuse"), "Load fuse", circuit.battery.positive_node, stud, 30, FuseFamily.STRIP_30),
        cable(grow.free("load_feed"), "Load feed", stud, inlet, 2.0, "6 mm2", Place.CABIN),
    )
    load_id = grow.free("load")
    grow.put("loads", Load(id=load_id, label="New load", from_node=inlet, to_node=near_ground(circuit), current_a=20))
    return grow.done()


def _bench_charger(circuit: Circuit) -> Circuit:
    grow = Growing(circuit)
    first = circuit.battery
    grow.put(
        "chargers",
        BenchCharger(
            id=grow.free("bench_charger"), label="Bench charger", positive_node=first.positive_node, negative_node=first.negative_node,
            limit_a=20, set_point_v=14.4 * circuit.system_voltage_v / 12,
        ),
    )  # fmt: skip
    return grow.done()


def _solar(circuit: Circuit) -> Circuit:
    grow = Growing(circuit)
    last, scale = circuit.batteries[-1], circuit.system_voltage_v / 12
    out = grow.node("solar_out", "Solar controller output")
    grow.put("branches", fuse(grow.free("solar_fuse"), "Solar fuse", out, last.positive_node, 30, FuseFamily.STRIP_30))
    grow.put(
        "chargers",
        BenchCharger(
            id=grow.free("solar"), label="Solar controller", positive_node=out, negative_node=last.negative_node, fed_by="sun",
            limit_a=15, set_point_v=14.4 * scale, float_v=13.6 * scale,
        ),
    )  # fmt: skip
    return grow.done()


def _second_alternator(circuit: Circuit) -> Circuit:
    grow = Growing(circuit)
    first = circuit.alternator
    stud = grow.node("alt2_stud", "Alternator 2 stud", NodeRole.ALTERNATOR_STUD)
    far = grow.node("alt2_fuse", "Alternator 2 fuse stud")
    case = grow.node("alt2_case", "Alternator 2 case", NodeRole.ALTERNATOR_CASE)
    block = next((n.id for n in circuit.nodes if n.role is NodeRole.ENGINE_BLOCK), circuit.battery.negative_node)
    last = circuit.batteries[-1]
    grow.put(
        "alternators",
        Alternator(
            id=grow.free("alternator"), label="Alternator 2", stud_node=stud, case_node=case, rated_a=first.rated_a,
            set_point_v=first.set_point_v, pulley_ratio=first.pulley_ratio,
        ),
    )  # fmt: skip
    grow.put(
        "branches",
        cable(grow.free("charge_cable"), "Charge cable 2", stud, far, 2.0, "50 mm2"),
        fuse(grow.free("charge_fuse"), "Charge fuse 2", far, last.positive_node, 150),
        cable(grow.free("alt_ground"), "Alternator 2 ground", case, block, 0.4, "50 mm2"),
    )
    return grow.done()


def _ground(circuit: Circuit, role: NodeRole, what: str) -> Circuit:
    """A lead from the first battery's negative post to a place of its own."""
    grow = Growing(circuit)
    to = (
        circuit.alternator.case_node
        if role is NodeRole.ALTERNATOR_CASE
        else next((n.id for n in circuit.nodes if n.role is role), None)
    )
    if to is None or to == circuit.battery.negative_node:
        return circuit
    grow.put("branches", cable(grow.free("ground"), f"Ground to {what}", circuit.battery.negative_node, to, 1.0, "35 mm2"))
    return grow.done()


ADDITIONS: tuple[Addition, ...] = (
    Addition("load", "Load at the battery", "A consumer whose own lead does not matter here.", _load),
    Addition("load_on_a_lead", "Load on a lead of its own", "Fuse at the battery, feed, return to the body.", _load_on_a_lead),
    Addition("ground_block", "Ground lead to the engine", "Straight from the battery: solves most faults of a rear battery.", lambda c: _ground(c, NodeRole.ENGINE_BLOCK, "engine")),
    Addition("ground_case", "Ground lead to the alternator case", "The fourth lead that counts.", lambda c: _ground(c, NodeRole.ALTERNATOR_CASE, "alternator case")),
    Addition("ground_chassis", "Ground lead to the body", "The factory's own way.", lambda c: _ground(c, NodeRole.CHASSIS, "body")),
    Addition("battery_parallel", "Battery in parallel", "Fused at both ends; alike in age and kind, or the weaker drags the other.", lambda c: _linked(c, None)),
    Addition("battery_switch", "Battery behind a switch", "A link that somebody opens and closes.", lambda c: _linked(c, _switch)),
    Addition("battery_link", "Battery behind a voltage link", "Closes while charging, opens when the voltage falls.", lambda c: _linked(c, _voltage_link)),
    Addition("battery_converter", "Battery behind a DC-DC charger", "Lithium, or far away; the charger sits next to it.", _by_converter),
    Addition("alternator", "Second alternator", "With cable, fuse and ground of its own, on the last battery.", _second_alternator),
    Addition("solar", "Solar panel with its controller", "Fused at the last battery; gives by day what the sun leaves.", _solar),
    Addition("bench_charger", "Bench charger", "Plugged in at the battery while it stands.", _bench_charger),
)  # fmt: skip


def add_to(circuit: Circuit, name: str) -> Circuit:
    """A circuit with one of the `ADDITIONS` in it, at starting values to be corrected at the vehicle.

    circuit: the document
    name: what to add
    Returns the larger circuit, or the same one where it has no place for it (no body to ground to).
    Raises ValueError for a name there is no addition of, pydantic.ValidationError where a list of the document is full.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> [b.label for b in add_to(front_battery(12), "battery_link").batteries]
    ['Battery', 'Battery 2']
    """
    for addition in ADDITIONS:
        if addition.name == name:
            return addition.build(circuit)
    raise ValueError(f"There is nothing to add called '{name}'. Additions: {', '.join(a.name for a in ADDITIONS)}.")

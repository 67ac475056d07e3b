"""Ready circuits to start from. Every figure in them is a starting value to be corrected at the vehicle."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from mavrik.core.ampacity import Place
from mavrik.core.circuit import (
    Alternator,
    AnyBranch,
    Battery,
    BodyBranch,
    CableBranch,
    Circuit,
    ConnectorBranch,
    FuseBranch,
    GroundStrapBranch,
    JointBranch,
    Node,
    NodeRole,
    SwitchBranch,
    Termination,
    TerminationKind,
)
from mavrik.core.protection import FuseFamily

CLAMP = Termination(kind=TerminationKind.POST_CLAMP)


def blank_branches() -> tuple[AnyBranch, ...]:
    """A branch of every kind with starting values, to be put between two nodes and corrected at the vehicle.

    >>> [b.kind for b in blank_branches()]
    ['cable', 'ground_strap', 'fuse', 'connector', 'switch', 'joint', 'body']
    """
    ends = {"from_node": "from", "to_node": "to"}
    return (
        CableBranch(id="new_cable", label="New cable", length_m=0.5, size="25 mm2", **ends),
        GroundStrapBranch(id="new_strap", label="New strap", length_m=0.5, size="25 mm2", **ends),
        FuseBranch(id="new_fuse", label="New fuse", family=FuseFamily.STRIP_51, rating_a=150, **ends),
        ConnectorBranch(id="new_connector", label="New connector", resistance_mohm=0.2, **ends),
        SwitchBranch(id="new_switch", label="New switch", resistance_mohm=0.3, **ends),
        JointBranch(id="new_joint", label="New joint", resistance_mohm=0.2, **ends),
        BodyBranch(id="new_body", label="Body metal", resistance_mohm=0.3, **ends),
    )


@dataclass(frozen=True)
class Layout:
    """A ready circuit, by name."""

    name: str
    label: str
    when: str
    build: Callable[[int], Circuit]


def _node(node_id: str, role: NodeRole, label: str) -> Node:
    return Node(id=node_id, role=role, label=label)


ALTERNATOR_NODES = (
    _node("alt_stud", NodeRole.ALTERNATOR_STUD, "Alternator stud"),
    _node("alt_case", NodeRole.ALTERNATOR_CASE, "Alternator case"),
)
BATTERY_NODES = (
    _node("bat_pos", NodeRole.BATTERY_POSITIVE, "Battery +"),
    _node("bat_neg", NodeRole.BATTERY_NEGATIVE, "Battery −"),
)
FUSE_STUD = _node("fuse_stud", NodeRole.STUD, "Fuse stud")
FUSE_OUT = _node("fuse_out", NodeRole.STUD, "Fuse, battery end")
BLOCK = _node("block", NodeRole.ENGINE_BLOCK, "Engine block")
CHASSIS = _node("chassis", NodeRole.CHASSIS, "Chassis")

MOUNT = JointBranch(id="mount", label="Alternator mount", from_node="block", to_node="alt_case", resistance_mohm=0.1)
ENGINE_STRAP = GroundStrapBranch(
    id="engine_strap", label="Engine strap", from_node="chassis", to_node="block", length_m=0.4, size="16 mm2"
)


def _set_point(system_voltage_v: int) -> float:
    return 14.4 * system_voltage_v / 12


def _alternator(system_voltage_v: int) -> Alternator:
    return Alternator(
        id="alternator",
        label="Alternator",
        stud_node="alt_stud",
        case_node="alt_case",
        rated_a=90,
        set_point_v=_set_point(system_voltage_v),
    )


def _battery(battery_id: str, label: str, positive: str, negative: str) -> Battery:
    return Battery(id=battery_id, label=label, positive_node=positive, negative_node=negative, capacity_ah=70, cca_a=640)


def _circuit(
    name: str, volts: int, nodes: tuple[Node, ...], branches: tuple[AnyBranch, ...], batteries: tuple[Battery, ...]
) -> Circuit:
    return Circuit.model_validate(
        {
            "layout": name,
            "system_voltage_v": volts,
            "nodes": nodes,
            "branches": branches,
            "alternators": (_alternator(volts),),
            "batteries": batteries,
        }
    )


def front_battery(system_voltage_v: int) -> Circuit:
    """Battery beside the engine: short charge cable, ground to block and to body.

    system_voltage_v: 12 or 24 [V]

    >>> len(front_battery(12).branches)
    7
    """
    return _circuit(
        "front_battery",
        system_voltage_v,
        (*ALTERNATOR_NODES, FUSE_STUD, FUSE_OUT, *BATTERY_NODES, BLOCK, CHASSIS),
        (
            CableBranch(
                id="charge_cable", label="Charge cable", from_node="alt_stud", to_node="fuse_stud", length_m=1.2, size="25 mm2"
            ),
            FuseBranch(
                id="charge_fuse",
                label="Charge fuse",
                from_node="fuse_stud",
                to_node="fuse_out",
                family=FuseFamily.STRIP_51,
                rating_a=125,
            ),
            CableBranch(
                id="battery_lead",
                label="Battery lead",
                from_node="fuse_out",
                to_node="bat_pos",
                length_m=0.15,
                size="25 mm2",
                to_end=CLAMP,
            ),
            CableBranch(
                id="block_ground",
                label="Battery to block",
                from_node="bat_neg",
                to_node="block",
                length_m=0.7,
                size="25 mm2",
                from_end=CLAMP,
            ),
            MOUNT,
            CableBranch(
                id="body_ground",
                label="Battery to body",
                from_node="bat_neg",
                to_node="chassis",
                length_m=0.4,
                size="10 mm2",
                from_end=CLAMP,
            ),
            ENGINE_STRAP,
        ),
        (_battery("battery", "Battery", "bat_pos", "bat_neg"),),
    )


def rear_battery(system_voltage_v: int) -> Circuit:
    """Battery in the rear: long feed, return through the body and the engine strap.

    system_voltage_v: 12 or 24 [V]

    >>> rear_battery(24).alternator.set_point_v
    28.8
    """
    return _circuit(
        "rear_battery",
        system_voltage_v,
        (
            *ALTERNATOR_NODES,
            _node("bulkhead", NodeRole.STUD, "Front junction stud"),
            FUSE_STUD,
            FUSE_OUT,
            *BATTERY_NODES,
            _node("chassis_rear", NodeRole.CHASSIS, "Chassis, rear"),
            _node("chassis_front", NodeRole.CHASSIS, "Chassis, front"),
            BLOCK,
        ),
        (
            CableBranch(
                id="charge_cable", label="Charge cable", from_node="alt_stud", to_node="bulkhead", length_m=1.0, size="35 mm2"
            ),
            CableBranch(
                id="long_feed",
                label="Feed to the rear",
                from_node="bulkhead",
                to_node="fuse_stud",
                length_m=4.5,
                size="70 mm2",
                place=Place.CABIN,
            ),
            FuseBranch(
                id="charge_fuse",
                label="Battery fuse",
                from_node="fuse_stud",
                to_node="fuse_out",
                family=FuseFamily.STRIP_51,
                rating_a=150,
            ),
            CableBranch(
                id="battery_lead",
                label="Battery lead",
                from_node="fuse_out",
                to_node="bat_pos",
                length_m=0.15,
                size="70 mm2",
                place=Place.CABIN,
                to_end=CLAMP,
            ),
            CableBranch(
                id="rear_ground",
                label="Battery to body",
                from_node="bat_neg",
                to_node="chassis_rear",
                length_m=0.4,
                size="35 mm2",
                place=Place.CABIN,
                from_end=CLAMP,
            ),
            BodyBranch(id="body", label="Body metal", from_node="chassis_rear", to_node="chassis_front", resistance_mohm=0.3),
            ENGINE_STRAP.model_copy(update={"from_node": "chassis_front", "size": "35 mm2"}),
            MOUNT,
        ),
        (_battery("battery", "Rear battery", "bat_pos", "bat_neg"),),
    )


def parallel_batteries(system_voltage_v: int) -> Circuit:
    """Two batteries in parallel, as on many diesels: linked positives, each with its own ground.

    system_voltage_v: 12 or 24 [V]

    >>> [b.id for b in parallel_batteries(12).batteries]
    ['battery', 'battery_2']
    """
    front = front_battery(system_voltage_v)
    return _circuit(
        "parallel_batteries",
        system_voltage_v,
        (
            *front.nodes,
            _node("link_stud", NodeRole.STUD, "Link fuse stud"),
            _node("link_stud_2", NodeRole.STUD, "Link fuse 2 stud"),
            _node("bat2_pos", NodeRole.BATTERY_POSITIVE, "Battery 2 +"),
            _node("bat2_neg", NodeRole.BATTERY_NEGATIVE, "Battery 2 −"),
        ),
        (
            *front.branches,
            FuseBranch(
                id="link_fuse",
                label="Link fuse",
                from_node="bat_pos",
                to_node="link_stud",
                family=FuseFamily.STRIP_51,
                rating_a=200,
            ),
            CableBranch(
                id="link_cable", label="Link cable", from_node="link_stud", to_node="link_stud_2", length_m=1.6, size="70 mm2"
            ),
            FuseBranch(
                id="link_fuse_2",
                label="Link fuse 2",
                from_node="link_stud_2",
                to_node="bat2_pos",
                family=FuseFamily.STRIP_51,
                rating_a=200,
            ),
            CableBranch(
                id="ground_2",
                label="Battery 2 to block",
                from_node="bat2_neg",
                to_node="block",
                length_m=0.9,
                size="25 mm2",
                from_end=CLAMP,
            ),
        ),
        (_battery("battery", "Battery 1", "bat_pos", "bat_neg"), _battery("battery_2", "Battery 2", "bat2_pos", "bat2_neg")),
    )


LAYOUTS: tuple[Layout, ...] = (
    Layout("front_battery", "Battery beside the engine", "Most cars and vans as built.", front_battery),
    Layout(
        "rear_battery",
        "Battery in the rear",
        "Battery in the boot or under a bench; metres of cable, return through the body.",
        rear_battery,
    ),
    Layout(
        "parallel_batteries",
        "Two parallel batteries",
        "Diesels with two starting batteries on one alternator.",
        parallel_batteries,
    ),
)


def build_layout(name: str, system_voltage_v: int) -> Circuit:
    """The ready circuit of that name.

    name: one of `LAYOUTS`
    system_voltage_v: 12 or 24 [V]
    Raises ValueError for a name there is no layout of.
    """
    for layout in LAYOUTS:
        if layout.name == name:
            return layout.build(system_voltage_v)
    raise ValueError(f"There is no layout '{name}'. Layouts: {', '.join(layout.name for layout in LAYOUTS)}.")

"""Starting batteries: beside the engine, in the rear with each way of grounding it, two in parallel."""

from __future__ import annotations

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import AnyBranch, BodyBranch, Circuit, NodeRole
from mavrik.core.circuit.layouts.parts import (
    ALTERNATOR_NODES,
    BATTERY_NODES,
    BLOCK,
    CHASSIS,
    ENGINE_STRAP,
    FUSE_NODES,
    MOUNT,
    battery,
    cable,
    circuit,
    fuse,
    node,
    posts,
    refused,
)
from mavrik.core.thermal.ampacity import Place


def front_battery(system_voltage_v: int) -> Circuit:
    """Battery beside the engine: short charge cable, ground to block and to body.

    system_voltage_v: 12 or 24 [V]

    >>> len(front_battery(12).branches)
    7
    """
    return circuit(
        "front_battery",
        system_voltage_v,
        (*ALTERNATOR_NODES, *FUSE_NODES, *BATTERY_NODES, BLOCK, CHASSIS),
        (
            cable("charge_cable", "Charge cable", "alt_stud", "fuse_stud", 1.2, "25 mm2"),
            fuse("charge_fuse", "Charge fuse", "fuse_stud", "fuse_out", 125),
            cable("battery_lead", "Battery lead", "fuse_out", "bat_pos", 0.15, "25 mm2"),
            cable("block_ground", "Battery to block", "bat_neg", "block", 0.7, "25 mm2"),
            MOUNT,
            cable("body_ground", "Battery to body", "bat_neg", "chassis", 0.4, "10 mm2"),
            ENGINE_STRAP,
        ),
    )


def _rear(name: str, system_voltage_v: int, grounds: tuple[AnyBranch, ...], through_body: bool) -> Circuit:
    body = (
        node("chassis_rear", "Chassis, rear", NodeRole.CHASSIS),
        node("chassis_front", "Chassis, front", NodeRole.CHASSIS),
    )
    return circuit(
        name,
        system_voltage_v,
        (
            *ALTERNATOR_NODES,
            node("bulkhead", "Front junction stud"),
            *FUSE_NODES,
            *BATTERY_NODES,
            *(body if through_body else ()),
            BLOCK,
        ),
        (
            cable("charge_cable", "Charge cable", "alt_stud", "bulkhead", 1.0, "35 mm2"),
            cable("long_feed", "Feed to the rear", "bulkhead", "fuse_stud", 4.5, "70 mm2", Place.CABIN),
            fuse("charge_fuse", "Battery fuse", "fuse_stud", "fuse_out", 150),
            cable("battery_lead", "Battery lead", "fuse_out", "bat_pos", 0.15, "70 mm2", Place.CABIN),
            *grounds,
            MOUNT,
        ),
        batteries=(battery("battery", "Rear battery"),),
    )


CHAIN = (
    cable("rear_ground", "Battery to body", "bat_neg", "chassis_rear", 0.4, "35 mm2", Place.CABIN),
    BodyBranch(id="body", label="Body metal", from_node="chassis_rear", to_node="chassis_front", resistance_mohm=0.3),
    ENGINE_STRAP.model_copy(update={"from_node": "chassis_front", "size": "35 mm2"}),
)
DIRECT = (cable("direct_ground", "Battery to engine", "bat_neg", "block", 5.0, "70 mm2", Place.CABIN),)


def rear_battery(system_voltage_v: int) -> Circuit:
    """Battery in the rear: long feed, return through the body and the engine strap.

    system_voltage_v: 12 or 24 [V]

    >>> rear_battery(24).alternator.set_point_v
    28.8
    """
    return _rear("rear_battery", system_voltage_v, CHAIN, True)


def rear_battery_direct(system_voltage_v: int) -> Circuit:
    """Battery in the rear: the return is a cable of its own, straight to the engine.

    system_voltage_v: 12 or 24 [V]

    >>> rear_battery_direct(12).branch("direct_ground").to_node
    'block'
    """
    return _rear("rear_battery_direct", system_voltage_v, DIRECT, False)


def rear_battery_both(system_voltage_v: int) -> Circuit:
    """Battery in the rear: return through the body, and a cable straight to the engine beside it.

    system_voltage_v: 12 or 24 [V]

    >>> len(rear_battery_both(12).branches)
    9
    """
    return _rear("rear_battery_both", system_voltage_v, (*CHAIN, *DIRECT), True)


def parallel_batteries(system_voltage_v: int) -> Circuit:
    """Two batteries in parallel, as on many diesels: linked positives, each with its own ground.

    system_voltage_v: 12 or 24 [V]

    >>> [b.id for b in parallel_batteries(12).batteries]
    ['battery', 'battery_2']
    """
    front = front_battery(system_voltage_v)
    return circuit(
        "parallel_batteries",
        system_voltage_v,
        (*front.nodes, node("link_stud", "Link fuse stud"), node("link_stud_2", "Link fuse 2 stud"), *posts("2", "Battery 2")),
        (
            # Two batteries on one fuse: their short-circuit current is more than a strip can break.
            *refused(front.branches, "charge_fuse", 130, FuseFamily.ANL),
            fuse("link_fuse", "Link fuse", "bat_pos", "link_stud", 200, FuseFamily.ANL),
            cable("link_cable", "Link cable", "link_stud", "link_stud_2", 1.6, "70 mm2"),
            fuse("link_fuse_2", "Link fuse 2", "link_stud_2", "bat2_pos", 200, FuseFamily.ANL),
            cable("ground_2", "Battery 2 to block", "bat2_neg", "block", 0.9, "25 mm2"),
        ),
        batteries=(battery("battery", "Battery 1"), battery("battery_2", "Battery 2", "2")),
    )

"""Winch, boat with a selector, motorcycle, competition car with a cut-off."""

from __future__ import annotations

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import Circuit, JointBranch, Load, LoadKind, NodeRole, RelayBranch, SwitchBranch
from mavrik.core.circuit.layouts.parts import (
    ALTERNATOR_NODES,
    BATTERY_NODES,
    FUSE_NODES,
    alternator,
    battery,
    cable,
    circuit,
    fuse,
    node,
    posts,
    with_more,
)
from mavrik.core.circuit.layouts.starting import front_battery


def _starter(feed: str, ground: str = "block", current_a: float = 350) -> Load:
    return Load(
        id="starter", label="Starter", from_node=feed, to_node=ground, current_a=current_a, law=LoadKind.RESISTANCE, cranking=True
    )


def winch(system_voltage_v: int) -> Circuit:
    """A winch on the starting battery, behind a fuse and an isolator, with a return of its own.

    system_voltage_v: 12 or 24 [V]

    >>> winch(12).loads[0].on
    False
    """
    return with_more(
        front_battery(system_voltage_v),
        "winch",
        (node("winch_in", "Winch fuse stud"), node("winch_stud", "Isolator stud"), node("winch_pos", "Winch +", NodeRole.CONSUMER), node("winch_neg", "Winch −", NodeRole.CONSUMER),
         node("starter_stud", "Starter stud", NodeRole.STARTER_STUD)),
        (
            fuse("winch_fuse", "Winch fuse", "bat_pos", "winch_in", 225, FuseFamily.ANL),
            RelayBranch(id="isolator", label="Winch isolator", from_node="winch_in", to_node="winch_stud", resistance_mohm=0.2, rating_a=300, intermittent_a=500),
            cable("winch_feed", "Winch feed", "winch_stud", "winch_pos", 2.0, "50 mm2"),
            cable("winch_return", "Winch return", "winch_neg", "bat_neg", 2.0, "50 mm2"),
            cable("starter_cable", "Starter cable", "bat_pos", "starter_stud", 1.1, "50 mm2"),
        ),
        loads=(
            Load(id="winch", label="Winch motor", from_node="winch_pos", to_node="winch_neg", current_a=300, law=LoadKind.RESISTANCE, role="winch", on=False, on_s=60),
            _starter("starter_stud"),
        ),
    )  # fmt: skip


def boat_selector(system_voltage_v: int) -> Circuit:
    """A boat with two batteries on a selector, drawn as its two contacts; both are closed to begin with.

    system_voltage_v: 12 or 24 [V]

    >>> [b.kind for b in boat_selector(12).branches if b.id.startswith("selector")]
    ['switch', 'switch']
    """
    return circuit(
        "boat_selector",
        system_voltage_v,
        (*ALTERNATOR_NODES, *FUSE_NODES, node("common", "Selector common"), node("sel_1", "Selector 1 stud"), node("sel_2", "Selector 2 stud"), *BATTERY_NODES, *posts("2", "Battery 2"),
         node("block", "Engine block", NodeRole.ENGINE_BLOCK), node("bus_neg", "Negative bus", NodeRole.BUSBAR)),
        (
            cable("charge_cable", "Charge cable", "alt_stud", "fuse_stud", 1.5, "35 mm2"),
            fuse("charge_fuse", "Charge fuse", "fuse_stud", "fuse_out", 150, FuseFamily.ANL),
            cable("common_lead", "Selector lead", "fuse_out", "common", 0.15, "70 mm2"),
            SwitchBranch(
                id="selector_1", label="Selector 1", from_node="common", to_node="sel_1", resistance_mohm=0.2, rating_a=300, selector="Battery selector"
            ),
            fuse("post_fuse_1", "Battery 1 fuse", "sel_1", "bat_pos", 250, FuseFamily.MRBF),
            SwitchBranch(
                id="selector_2", label="Selector 2", from_node="common", to_node="sel_2", resistance_mohm=0.2, rating_a=300, selector="Battery selector"
            ),
            fuse("post_fuse_2", "Battery 2 fuse", "sel_2", "bat2_pos", 250, FuseFamily.MRBF),
            cable("negative_1", "Battery 1 negative", "bat_neg", "bus_neg", 0.6, "50 mm2"),
            cable("negative_2", "Battery 2 negative", "bat2_neg", "bus_neg", 0.9, "50 mm2"),
            cable("engine_ground", "Engine ground", "bus_neg", "block", 1.2, "50 mm2"),
            JointBranch(id="mount", label="Alternator mount", from_node="block", to_node="alt_case", resistance_mohm=0.1),
        ),
        batteries=(battery("battery", "Battery 1"), battery("battery_2", "Battery 2", "2")),
    )  # fmt: skip


def motorcycle(system_voltage_v: int) -> Circuit:
    """A motorcycle: permanent-magnet stator with its regulator/rectifier, thin leads, a breaker-sized fuse.

    system_voltage_v: 12 or 24 [V]

    >>> motorcycle(12).alternator.kind
    'permanent_magnet'
    """
    return circuit(
        "motorcycle",
        system_voltage_v,
        (node("alt_stud", "Regulator +", NodeRole.ALTERNATOR_STUD), node("alt_case", "Regulator −", NodeRole.ALTERNATOR_CASE), *FUSE_NODES, *BATTERY_NODES,
         node("frame", "Frame", NodeRole.CHASSIS)),
        (
            cable("charge_cable", "Regulator lead +", "alt_stud", "fuse_stud", 0.6, "10 AWG"),
            fuse("charge_fuse", "Main fuse", "fuse_stud", "fuse_out", 30, FuseFamily.BLADE_C),
            cable("battery_lead", "Battery lead", "fuse_out", "bat_pos", 0.15, "10 AWG"),
            cable("frame_ground", "Battery to frame", "bat_neg", "frame", 0.3, "8 AWG"),
            cable("regulator_ground", "Regulator lead −", "frame", "alt_case", 0.5, "10 AWG"),
        ),
        alternators=(
            alternator(system_voltage_v, 25, label="Stator", kind="permanent_magnet", pulley_ratio=1.0, set_point_v=14.5 * system_voltage_v / 12),
        ),
        batteries=(battery("battery", "Battery", capacity_ah=12, cca_a=180, internal_mohm=14),),
        loads=(Load(id="headlamp", label="Headlamp", from_node="bat_pos", to_node="frame", current_a=5, law=LoadKind.RESISTANCE),),
    )  # fmt: skip


def competition_car(system_voltage_v: int) -> Circuit:
    """A competition car: battery in the rear, cut-off beside it, the alternator on the switched side.

    system_voltage_v: 12 or 24 [V]

    >>> competition_car(12).branch("cut_off").closed
    True
    """
    return circuit(
        "competition_car",
        system_voltage_v,
        (*ALTERNATOR_NODES, *FUSE_NODES, node("cut_in", "Cut-off, car side"), node("bulkhead", "Front junction stud"), *BATTERY_NODES,
         node("block", "Engine block", NodeRole.ENGINE_BLOCK), node("chassis", "Roll cage", NodeRole.CHASSIS)),
        (
            cable("charge_cable", "Charge cable", "alt_stud", "bulkhead", 0.8, "50 mm2"),
            cable("long_feed", "Feed to the rear", "bulkhead", "cut_in", 3.5, "70 mm2"),
            SwitchBranch(
                id="cut_off", label="Cut-off switch", from_node="cut_in", to_node="fuse_stud", resistance_mohm=0.3, rating_a=250
            ),
            fuse("charge_fuse", "Battery fuse", "fuse_stud", "fuse_out", 200),
            cable("battery_lead", "Battery lead", "fuse_out", "bat_pos", 0.15, "70 mm2"),
            cable("cage_ground", "Battery to cage", "bat_neg", "chassis", 0.4, "50 mm2"),
            cable("engine_ground", "Cage to engine", "chassis", "block", 0.5, "50 mm2"),
            JointBranch(id="mount", label="Alternator mount", from_node="block", to_node="alt_case", resistance_mohm=0.1),
        ),
        batteries=(battery("battery", "Battery", capacity_ah=30, cca_a=450, internal_mohm=7),),
        loads=(
            Load(id="ignition", label="Ignition and pump", from_node="cut_in", to_node="block", current_a=18),
            _starter("cut_in", current_a=250),
        ),
    )  # fmt: skip

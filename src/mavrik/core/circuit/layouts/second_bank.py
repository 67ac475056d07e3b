"""A second battery or a house bank: by a parallel link, a voltage-sensitive link, a DC-DC charger, on a trailer, with an
alternator of its own."""

from __future__ import annotations

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import (
    AnyBranch,
    Chemistry,
    Circuit,
    ConnectorBranch,
    Converter,
    DiodeBranch,
    JointBranch,
    LinkBranch,
    Load,
    LoadKind,
    Node,
    NodeRole,
    SwitchBranch,
)
from mavrik.core.circuit.layouts.parts import alternator, battery, cable, fuse, node, posts, refused, with_more
from mavrik.core.circuit.layouts.starting import front_battery
from mavrik.core.thermal.ampacity import Place

HOUSE_LOADS = (
    Load(id="fridge", label="Fridge", from_node="bat2_pos", to_node="bat2_neg", current_a=5, law=LoadKind.POWER, cut_off_v=10.4),
    Load(id="lamps", label="Lamps", from_node="bat2_pos", to_node="bat2_neg", current_a=6, law=LoadKind.RESISTANCE),
)


def _linked(name: str, system_voltage_v: int, contact: AnyBranch) -> Circuit:
    """A second battery behind a contact between `link_in` and `link_out`, fused at both ends."""
    front = front_battery(system_voltage_v)
    # With the link closed both batteries feed a fault behind the charge fuse: more than a strip can break.
    front = front.model_copy(update={"branches": refused(front.branches, "charge_fuse", 130, FuseFamily.ANL)})
    return with_more(
        front,
        name,
        (
            node("link_in", "Link, start side"),
            node("link_out", "Link, house side"),
            node("house_stud", "House fuse stud"),
            *posts("2", "House"),
        ),
        (
            fuse("link_fuse", "Link fuse, start", "bat_pos", "link_in", 125),
            contact,
            cable("house_feed", "House feed", "link_out", "house_stud", 3.0, "35 mm2", Place.CABIN),
            fuse("house_fuse", "Link fuse, house", "house_stud", "bat2_pos", 125),
            cable("house_ground", "House ground", "bat2_neg", "chassis", 1.2, "35 mm2", Place.CABIN),
        ),
        batteries=(
            battery("house", "House battery", "2", capacity_ah=100, cca_a=None, chemistry=Chemistry.AGM, state_of_charge=0.6),
        ),
        loads=HOUSE_LOADS,
    )


def second_battery_switch(system_voltage_v: int) -> Circuit:
    """A second battery by a parallel link with a hand switch.

    system_voltage_v: 12 or 24 [V]

    >>> second_battery_switch(12).branch("link_switch").kind
    'switch'
    """
    ends = {"from_node": "link_in", "to_node": "link_out"}
    contact = SwitchBranch(id="link_switch", label="Link switch", resistance_mohm=0.2, rating_a=300, **ends)
    return _linked("second_battery_switch", system_voltage_v, contact)


def second_battery_link(system_voltage_v: int) -> Circuit:
    """A second battery by a voltage-sensitive link.

    system_voltage_v: 12 or 24 [V]

    >>> second_battery_link(24).branch("link").cut_in_v
    26.6
    """
    scale = system_voltage_v / 12
    contact = LinkBranch(
        id="link",
        label="Voltage link",
        from_node="link_in",
        to_node="link_out",
        resistance_mohm=0.5,
        rating_a=140,
        cut_in_v=13.3 * scale,
        cut_out_v=12.7 * scale,
    )
    return _linked("second_battery_link", system_voltage_v, contact)


def second_battery_converter(system_voltage_v: int) -> Circuit:
    """A second battery by a DC-DC charger next to it.

    system_voltage_v: 12 or 24 [V], of both batteries

    >>> second_battery_converter(12).converters[0].limit_a
    25.0
    """
    scale = system_voltage_v / 12
    return with_more(
        front_battery(system_voltage_v),
        "second_battery_converter",
        (node("feed_stud", "Charger feed stud"), node("dc_in", "Charger input"), node("dc_out", "Charger output"), *posts("2", "House")),
        (
            fuse("feed_fuse", "Charger feed fuse", "bat_pos", "feed_stud", 40, FuseFamily.STRIP_30),
            cable("feed_cable", "Charger feed", "feed_stud", "dc_in", 4.5, "10 mm2", Place.CABIN),
            fuse("house_fuse", "House fuse", "dc_out", "bat2_pos", 40, FuseFamily.MRBF),
            cable("house_ground", "House ground", "bat2_neg", "chassis", 1.0, "16 mm2", Place.CABIN),
        ),
        batteries=(
            battery("house", "House battery", "2", capacity_ah=100, cca_a=None, chemistry=Chemistry.LIFEPO4, internal_mohm=4, state_of_charge=0.5),
        ),
        converters=(
            Converter(
                id="charger", label="DC-DC charger", in_node="dc_in", out_node="dc_out", ground_node="chassis", limit_a=25,
                set_point_v=14.4 * scale, input_cut_off_v=11.5 * scale,
            ),
        ),
        loads=HOUSE_LOADS,
    )  # fmt: skip


def tow_and_trailer(system_voltage_v: int) -> Circuit:
    """A trailer fed from the tow vehicle: a long run there and back, a connector, a DC-DC charger at the trailer's battery.

    system_voltage_v: 12 or 24 [V]

    >>> tow_and_trailer(12).branch("coupling_feed").kind
    'connector'
    """
    scale = system_voltage_v / 12
    nodes = ("tow_stud", "Trailer feed stud"), ("tow_rear", "Socket +"), ("trailer_front", "Plug +"), ("dc_in", "Charger input")
    back = (
        ("dc_out", "Charger output"),
        ("trailer_ground", "Trailer ground bar"),
        ("plug_ground", "Plug −"),
        ("tow_ground", "Socket −"),
    )
    return with_more(
        front_battery(system_voltage_v),
        "tow_and_trailer",
        (*(node(i, label) for i, label in (*nodes, *back)), *posts("2", "Trailer")),
        (
            fuse("tow_fuse", "Trailer feed fuse", "bat_pos", "tow_stud", 50, FuseFamily.STRIP_30),
            cable("tow_feed", "Feed to the tow bar", "tow_stud", "tow_rear", 5.5, "16 mm2", Place.CABIN),
            ConnectorBranch(id="coupling_feed", label="Coupling +", from_node="tow_rear", to_node="trailer_front", resistance_mohm=0.6, rating_a=50),
            cable("trailer_feed", "Feed in the trailer", "trailer_front", "dc_in", 5.0, "16 mm2", Place.OUTSIDE),
            fuse("trailer_fuse", "Trailer fuse", "dc_out", "bat2_pos", 40, FuseFamily.STRIP_30),
            cable("trailer_lead", "Trailer ground", "bat2_neg", "trailer_ground", 0.5, "16 mm2", Place.OUTSIDE),
            cable("trailer_return", "Return in the trailer", "trailer_ground", "plug_ground", 5.0, "16 mm2", Place.OUTSIDE),
            ConnectorBranch(id="coupling_return", label="Coupling −", from_node="plug_ground", to_node="tow_ground", resistance_mohm=0.6, rating_a=50),
            cable("tow_return", "Return to the battery", "tow_ground", "bat_neg", 5.5, "16 mm2", Place.CABIN),
        ),
        batteries=(battery("trailer", "Trailer battery", "2", capacity_ah=110, cca_a=None, chemistry=Chemistry.AGM, state_of_charge=0.5),),
        converters=(
            Converter(
                id="charger", label="DC-DC charger", in_node="dc_in", out_node="dc_out", ground_node="trailer_ground", limit_a=25,
                set_point_v=14.4 * scale, input_cut_off_v=11.0 * scale,
            ),
        ),
    )  # fmt: skip


BANK_SIZE = 4


def _house_bank(name: str, system_voltage_v: int, diagonal: bool) -> Circuit:
    """A second alternator on a bank of parallel batteries, joined to the start battery by a voltage-sensitive link."""
    count, scale = BANK_SIZE, system_voltage_v / 12
    nodes: list[Node] = [
        node("alt2_stud", "House alternator stud", NodeRole.ALTERNATOR_STUD), node("alt2_case", "House alternator case", NodeRole.ALTERNATOR_CASE),
        node("bus_pos", "House bus +", NodeRole.BUSBAR), node("bus_neg", "House bus −", NodeRole.BUSBAR), node("link_in", "Link, start side"),
    ]  # fmt: skip
    branches: list[AnyBranch] = [
        fuse("link_fuse", "Link fuse", "bat_pos", "link_in", 125),
        LinkBranch(
            id="link", label="Voltage link", from_node="link_in", to_node="bus_pos", resistance_mohm=0.5, rating_a=140,
            cut_in_v=13.3 * scale, cut_out_v=12.7 * scale,
        ),
        cable("charge_2", "House charge cable", "alt2_stud", "bus_pos", 1.5, "70 mm2"),
        JointBranch(id="mount_2", label="House alternator mount", from_node="block", to_node="alt2_case", resistance_mohm=0.1),
        cable("house_ground", "House ground", "bus_neg", "block", 1.5, "70 mm2", Place.CABIN),
        fuse("bank_fuse", "Bank fuse", "bus_pos", "bat11_pos", 250, FuseFamily.CLASS_T),
    ]  # fmt: skip
    for k in range(1, count + 1):
        nodes += posts(f"1{k}", f"Bank {k}")
    for k in range(1, count):
        branches.append(cable(f"join_pos_{k}", f"Join + {k}", f"bat1{k}_pos", f"bat1{k + 1}_pos", 0.17, "50 mm2", Place.CABIN))
        branches.append(cable(f"join_neg_{k}", f"Join − {k}", f"bat1{k + 1}_neg", f"bat1{k}_neg", 0.17, "50 mm2", Place.CABIN))
    taken_off = f"bat1{count}_neg" if diagonal else "bat11_neg"
    branches.append(cable("bank_return", "Bank return", taken_off, "bus_neg", 0.8, "70 mm2", Place.CABIN))
    return with_more(
        front_battery(system_voltage_v),
        name,
        tuple(nodes),
        tuple(branches),
        alternators=(
            alternator(system_voltage_v, 150, id="alternator_2", label="House alternator", stud_node="alt2_stud", case_node="alt2_case", pulley_ratio=2.8),
        ),
        batteries=tuple(
            battery(f"bank_{k}", f"Bank {k}", f"1{k}", capacity_ah=110, cca_a=None, chemistry=Chemistry.AGM, state_of_charge=0.5) for k in range(1, count + 1)
        ),
        loads=(Load(id="inverter", label="Inverter", from_node="bus_pos", to_node="bus_neg", current_a=60, law=LoadKind.POWER, cut_off_v=10.5 * scale),),
    )  # fmt: skip


def house_bank_end(system_voltage_v: int) -> Circuit:
    """A second alternator and a bank of four, both leads taken off the same end.

    system_voltage_v: 12 or 24 [V]

    >>> len(house_bank_end(12).batteries)
    5
    """
    return _house_bank("house_bank_end", system_voltage_v, diagonal=False)


def house_bank_diagonal(system_voltage_v: int) -> Circuit:
    """The same bank taken off diagonally, so that every battery has the same way.

    system_voltage_v: 12 or 24 [V]

    >>> house_bank_diagonal(12).branch("bank_return").from_node
    'bat14_neg'
    """
    return _house_bank("house_bank_diagonal", system_voltage_v, diagonal=True)


def boat_isolator(system_voltage_v: int) -> Circuit:
    """Two batteries charged through a diode isolator; the regulator senses at the start battery, behind the diodes.

    system_voltage_v: 12 or 24 [V]

    >>> boat_isolator(12).alternator.sense_positive_node
    'bat_pos'
    """
    base = front_battery(system_voltage_v)
    moved = tuple(b.model_copy(update={"to_node": "iso_in"}) if b.id == "charge_cable" else b for b in base.branches)
    base = base.model_copy(
        update={
            "branches": moved,
            "alternators": (alternator(system_voltage_v, sense_positive_node="bat_pos", sense_negative_node="bat_neg"),),
        }
    )
    return with_more(
        base,
        "boat_isolator",
        (node("iso_in", "Isolator input"), node("iso_2", "Isolator output 2"), *posts("2", "House")),
        (
            DiodeBranch(
                id="diode_1",
                label="Isolator, start",
                from_node="iso_in",
                to_node="fuse_stud",
                resistance_mohm=1.0,
                rating_a=120,
                forward_v=0.7,
            ),
            DiodeBranch(
                id="diode_2",
                label="Isolator, house",
                from_node="iso_in",
                to_node="iso_2",
                resistance_mohm=1.0,
                rating_a=120,
                forward_v=0.7,
            ),
            fuse("house_fuse", "House fuse", "iso_2", "bat2_pos", 125),
            cable("house_ground", "House ground", "bat2_neg", "block", 1.2, "35 mm2", Place.CABIN),
        ),
        batteries=(battery("house", "House battery", "2", capacity_ah=100, cca_a=None, state_of_charge=0.6),),
        loads=HOUSE_LOADS,
    )

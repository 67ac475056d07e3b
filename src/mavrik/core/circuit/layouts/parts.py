"""Pieces that ready circuits are made of, and short ways to write them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import (
    Alternator,
    AnyBranch,
    Battery,
    CableBranch,
    Circuit,
    FuseBranch,
    GroundStrapBranch,
    JointBranch,
    Node,
    NodeRole,
    Termination,
    TerminationKind,
)
from mavrik.core.thermal.ampacity import Place

CLAMP = Termination(kind=TerminationKind.POST_CLAMP)
POSTS = {"bat_pos": NodeRole.BATTERY_POSITIVE, "bat_neg": NodeRole.BATTERY_NEGATIVE}


def node(node_id: str, label: str, role: NodeRole = NodeRole.STUD) -> Node:
    """A point; a stud unless it says otherwise."""
    return Node(id=node_id, role=role, label=label)


def posts(number: str, label: str) -> tuple[Node, Node]:
    """Both posts of a battery: ids `bat{number}_pos` and `bat{number}_neg`."""
    return (
        node(f"bat{number}_pos", f"{label} +", NodeRole.BATTERY_POSITIVE),
        node(f"bat{number}_neg", f"{label} −", NodeRole.BATTERY_NEGATIVE),
    )


def cable(
    branch_id: str, label: str, start: str, end: str, length_m: float, size: str, place: Place = Place.ENGINE_SPACE
) -> CableBranch:
    """A cable; an end on a battery's post is a post clamp."""

    def made(at: str) -> Termination:
        return CLAMP if at.startswith("bat") and at.endswith(("_pos", "_neg")) else Termination()

    return CableBranch(
        id=branch_id,
        label=label,
        from_node=start,
        to_node=end,
        length_m=length_m,
        size=size,
        place=place,
        from_end=made(start),
        to_end=made(end),
    )


def fuse(
    branch_id: str, label: str, start: str, end: str, rating_a: float, family: FuseFamily = FuseFamily.STRIP_51
) -> FuseBranch:
    """A fuse."""
    return FuseBranch(id=branch_id, label=label, from_node=start, to_node=end, family=family, rating_a=rating_a)


def refused(branches: Iterable[AnyBranch], branch_id: str, rating_a: float, family: FuseFamily) -> tuple[AnyBranch, ...]:
    """The same branches with another fuse in place of one of them."""
    return tuple(fuse(b.id, b.label, b.from_node, b.to_node, rating_a, family) if b.id == branch_id else b for b in branches)


def alternator(system_voltage_v: int, rated_a: float = 90, **changes: Any) -> Alternator:
    """The alternator between its stud and its case."""
    made = Alternator(
        id="alternator",
        label="Alternator",
        stud_node="alt_stud",
        case_node="alt_case",
        rated_a=rated_a,
        set_point_v=14.4 * system_voltage_v / 12,
    )
    return made.model_copy(update=changes)


def battery(battery_id: str, label: str, number: str = "", **changes: Any) -> Battery:
    """A battery between the posts of that number."""
    made = Battery(
        id=battery_id, label=label, positive_node=f"bat{number}_pos", negative_node=f"bat{number}_neg", capacity_ah=70, cca_a=640
    )
    return made.model_copy(update=changes)


def circuit(name: str, volts: int, nodes: tuple[Node, ...], branches: tuple[AnyBranch, ...], **rest: Any) -> Circuit:
    """The document; one alternator and one battery unless it says otherwise."""
    return Circuit.model_validate(
        {
            "layout": name,
            "system_voltage_v": volts,
            "nodes": nodes,
            "branches": branches,
            "alternators": (alternator(volts),),
            "batteries": (battery("battery", "Battery"),),
            **rest,
        }
    )


def with_more(
    base: Circuit, name: str, nodes: tuple[Node, ...] = (), branches: tuple[AnyBranch, ...] = (), **rest: Any
) -> Circuit:
    """A ready circuit with more in it; `rest` adds to the document's lists."""
    values = {f: getattr(base, f) for f in Circuit.model_fields}
    values |= {"layout": name, "nodes": (*base.nodes, *nodes), "branches": (*base.branches, *branches)}
    values |= {f: (*values[f], *more) for f, more in rest.items()}
    return Circuit.model_validate(values)


ALTERNATOR_NODES = (
    node("alt_stud", "Alternator stud", NodeRole.ALTERNATOR_STUD),
    node("alt_case", "Alternator case", NodeRole.ALTERNATOR_CASE),
)
BATTERY_NODES = posts("", "Battery")
FUSE_NODES = (node("fuse_stud", "Fuse stud"), node("fuse_out", "Fuse, battery end"))
BLOCK = node("block", "Engine block", NodeRole.ENGINE_BLOCK)
CHASSIS = node("chassis", "Chassis", NodeRole.CHASSIS)
MOUNT = JointBranch(id="mount", label="Alternator mount", from_node="block", to_node="alt_case", resistance_mohm=0.1)
ENGINE_STRAP = GroundStrapBranch(
    id="engine_strap", label="Engine strap", from_node="chassis", to_node="block", length_m=0.4, size="16 mm2"
)

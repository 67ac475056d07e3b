"""Editing a drawn circuit: a branch in series, beside, of another kind, taken out. Each gives a new document."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from mavrik.core.catalogue.fuses import FuseFamily, fuse_table
from mavrik.core.circuit.branches import AnyBranch, blank_branches
from mavrik.core.circuit.branches.fuse import FuseBranch
from mavrik.core.circuit.document import Circuit, Node, NodeRole


def free_id(circuit: Circuit, wish: str, used: Collection[str] = ()) -> str:
    """An id that nothing in a circuit has yet.

    circuit: the document; wish: what it should be; used: further ids that are taken
    """
    used_ids = {n.id for n in circuit.nodes} | {e.id for e in circuit.elements} | set(used)
    if wish not in used_ids:
        return wish
    return next(f"{wish}_{k}" for k in range(2, 10_000) if f"{wish}_{k}" not in used_ids)


def with_parts(circuit: Circuit, **changes: object) -> Circuit:
    """A circuit with some of its lists changed, validated anew.

    Raises pydantic.ValidationError where that is no circuit.
    """
    return Circuit.model_validate({**{name: getattr(circuit, name) for name in Circuit.model_fields}, **changes})


def _blank(kind: str) -> AnyBranch:
    blanks = {getattr(b, "kind"): b for b in blank_branches()}  # noqa: B009
    if kind not in blanks:
        raise ValueError(f"There is no kind of branch '{kind}'.")
    return blanks[kind]


def tied_nodes(circuit: Circuit) -> set[str]:
    """Nodes that a source, load, converter or charger sits on: they stay whatever branches come and go."""
    return (
        {n for a in circuit.alternators for n in (a.stud_node, a.case_node)}
        | {n for b in circuit.batteries for n in (b.positive_node, b.negative_node)}
        | {n for x in circuit.loads for n in (x.from_node, x.to_node)}
        | {n for c in circuit.converters for n in (c.in_node, c.out_node, c.ground_node)}
        | {n for c in circuit.chargers for n in (c.positive_node, c.negative_node)}
    )


def insert_after(circuit: Circuit, branch_id: str, kind: str) -> tuple[Circuit, str]:
    """A new branch in series behind one, with a stud between the two.

    circuit: the document; branch_id: of the one it comes behind; kind: of the new one, at its starting values
    Returns the circuit and the new branch's id.
    Raises KeyError for a branch that is not there, ValueError for a kind that is not.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> longer, new = insert_after(front_battery(12), "charge_cable", "connector")
    >>> longer.branch("charge_cable").to_node == longer.branch(new).from_node, longer.branch(new).to_node
    (True, 'fuse_stud')
    """
    before = circuit.branch(branch_id)
    stud = free_id(circuit, "stud")
    added = free_id(circuit, kind, (stud,))
    fresh = _blank(kind).model_copy(update={"id": added, "from_node": stud, "to_node": before.to_node})
    branches: list[AnyBranch] = []
    for b in circuit.branches:
        branches += [b.model_copy(update={"to_node": stud}), fresh] if b.id == branch_id else [b]
    nodes = (*circuit.nodes, Node(id=stud, role=NodeRole.STUD, label="New stud"))
    return with_parts(circuit, nodes=nodes, branches=tuple(branches)), added


def add_parallel(circuit: Circuit, branch_id: str) -> tuple[Circuit, str]:
    """A second branch between the same two nodes, as a copy to be corrected.

    circuit: the document; branch_id: of the first
    Returns the circuit and the new branch's id. Raises KeyError for a branch that is not there.
    """
    one = circuit.branch(branch_id)
    added = free_id(circuit, branch_id)
    copy = one.model_copy(update={"id": added, "label": f"{one.label[:57]} 2"})
    return with_parts(circuit, branches=(*circuit.branches, copy)), added


def change_kind(circuit: Circuit, branch_id: str, kind: str) -> Circuit:
    """A branch as one of another kind; what both kinds have is kept: ends, name, length and size, ratings.

    circuit: the document; branch_id, kind: which, and what it becomes
    Raises KeyError for a branch that is not there, ValueError for a kind that is not.
    """
    old, fresh = circuit.branch(branch_id), _blank(kind)
    fields: Collection[str] = type(fresh).model_fields
    kept: dict[str, Any] = {n: getattr(old, n) for n in type(old).model_fields if n in fields and n != "kind"}
    if isinstance(fresh, FuseBranch) and not isinstance(old, FuseBranch):
        kept["rating_a"] = _made_rating(fresh.family, kept.get("rating_a") or fresh.rating_a)
    changed = fresh.model_copy(update=kept)
    return with_parts(circuit, branches=tuple(changed if b.id == branch_id else b for b in circuit.branches))


def _made_rating(family: FuseFamily, rating_a: float) -> float:
    ratings = fuse_table().families[family].ratings_a
    return next((r for r in ratings if r >= rating_a), ratings[-1])


def change_family(circuit: Circuit, branch_id: str, family: FuseFamily) -> Circuit:
    """A fuse of another family; a rating that the family is not made in goes to the next one above, or its largest.

    circuit: the document; branch_id: of a fuse; family: the new one
    Raises KeyError for a branch that is not there, ValueError for one that is no fuse.
    """
    fuse = circuit.branch(branch_id)
    if not isinstance(fuse, FuseBranch):
        raise ValueError(f"{fuse.label} is no fuse.")
    changed = fuse.model_copy(update={"family": family, "rating_a": _made_rating(family, fuse.rating_a)})
    return with_parts(circuit, branches=tuple(changed if b.id == branch_id else b for b in circuit.branches))


def remove_branch(circuit: Circuit, branch_id: str) -> Circuit:
    """A circuit without a branch: in a chain the gap is closed, a branch beside another just goes, bare nodes go with it.

    circuit: the document; branch_id: of the one that goes
    Raises KeyError for a branch that is not there.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> shorter = remove_branch(front_battery(12), "charge_fuse")
    >>> shorter.branch("charge_cable").to_node == shorter.branch("battery_lead").from_node
    True
    """
    gone = circuit.branch(branch_id)
    branches = [b for b in circuit.branches if b.id != branch_id]
    fixed = tied_nodes(circuit)

    def touching(node: str) -> int:
        return sum(node in (b.from_node, b.to_node) for b in branches)

    merged = next((n for n in (gone.to_node, gone.from_node) if n not in fixed and touching(n) == 1), None)
    if merged is not None:
        stays = gone.from_node if merged == gone.to_node else gone.to_node
        ends = ("from_node", "to_node")
        branches = [b.model_copy(update={e: stays for e in ends if getattr(b, e) == merged}) for b in branches]
    used = fixed | {n for b in branches for n in (b.from_node, b.to_node)}
    return with_parts(circuit, branches=tuple(branches), nodes=tuple(n for n in circuit.nodes if n.id in used))

"""Where fuses go: at every source that can feed a fault, as near to it as can be."""

from __future__ import annotations

from mavrik.core.catalogue.fuses import FuseFamily, distance_limit_m, fuse_table
from mavrik.core.circuit import CableBranch, Circuit, ConductorBranch, FuseBranch, Node, NodeRole
from mavrik.core.circuit.editing import free_id, remove_branch, with_parts
from mavrik.core.protection.case import series_run
from mavrik.core.protection.sources import Reached, starter_leads, unprotected_reach

FUSE_TAIL_M = 0.15
"""Cable from the source to a newly placed fuse: inside the 178 mm that ABYC E-11 allows."""

MOST_FUSES = 24


def _wanting(circuit: Circuit) -> tuple[Reached, str] | None:
    """A way that a battery feeds with nothing to open it, and that battery's post; None where every way has its fuse.

    Ways without any fuse come before those whose fuse is too far: what is too far may be a starter's lead once the others are fused.
    """
    studs = {a.stud_node for a in circuit.alternators}
    plus = {b.positive_node for b in circuit.batteries}
    served = {x.from_node for x in circuit.loads if not x.cranking} | {c.in_node for c in circuit.converters}
    starting, plain = starter_leads(circuit), distance_limit_m(False, at_battery=True)
    far: tuple[Reached, str] | None = None
    for battery in circuit.batteries:
        for at in unprotected_reach(circuit, battery):
            if at.node in studs or (at.node in plus | served and at.length_m > plain):
                return at, battery.positive_node
            too_far = isinstance(circuit.branch(at.last), ConductorBranch) and at.length_m > distance_limit_m(at.sheathed, True)
            if too_far and at.last not in starting and far is None:
                far = at, battery.positive_node
    return far


def _place(circuit: Circuit, at: Reached, post: str) -> tuple[str, str]:
    """The branch that a fuse goes into and its node at the source: behind the last starter stud on the way, which cranking passes."""
    starters = {x.from_node for x in circuit.loads if x.cranking}
    node, place = post, (at.way[0], post)
    for branch_id in at.way:
        if node in starters:
            place = (branch_id, node)
        branch = circuit.branch(branch_id)
        node = branch.to_node if branch.from_node == node else branch.from_node
    return place


def _with_fuse(circuit: Circuit, branch_id: str, source: str, family: FuseFamily, old: FuseBranch | None) -> tuple[Circuit, str]:
    """The circuit with a fuse in a branch, at its end on the source; as a fuse that was there before, where one moves."""
    into = circuit.branch(branch_id)
    label = circuit.node(source).label
    end = "from_node" if into.from_node == source else "to_node"
    inner, outer = free_id(circuit, "new_fuse_out"), free_id(circuit, "new_fuse_in")
    fuse_id = old.id if old else free_id(circuit, "new_fuse")
    # A marine block sits on the post itself, and a stud takes any fuse.
    on_source = family is FuseFamily.MRBF or source not in {b.positive_node for b in circuit.batteries}
    nodes = [*circuit.nodes, Node(id=outer, role=NodeRole.STUD, label=f"Fuse stud, {into.label}"[:60])]
    near = source if on_source else inner
    forward = end == "to_node"  # charging current runs towards the source
    fuse = FuseBranch(
        id=fuse_id,
        label=old.label if old else f"{into.label} fuse"[:60],
        from_node=outer if forward else near,
        to_node=near if forward else outer,
        family=family,
        rating_a=fuse_table().families[family].ratings_a[0],
    )
    added = [fuse]
    branches = [b.model_copy(update={end: outer}) if b.id == branch_id else b for b in circuit.branches]
    if not on_source:
        nodes.append(Node(id=inner, role=NodeRole.STUD, label=f"Fuse, {label}"[:60]))
        known = {n: getattr(into, n) for n in ("size", "place", "insulation_c", "material") if isinstance(into, ConductorBranch)}
        tail = CableBranch(
            id=free_id(circuit, "new_fuse_tail"),
            label=f"{label} to fuse"[:60],
            from_node=inner if forward else source,
            to_node=source if forward else inner,
            length_m=FUSE_TAIL_M,
            **{"size": "35 mm2", **known},
        )
        return with_parts(circuit, nodes=tuple(nodes), branches=(*branches, *added, tail)), fuse_id
    return with_parts(circuit, nodes=tuple(nodes), branches=(*branches, *added)), fuse_id


def fuse_every_source(circuit: Circuit, family: FuseFamily) -> tuple[Circuit, tuple[str, ...], list[str]]:
    """A circuit in which no battery feeds a lead that nothing opens.

    circuit: the document; family: of fuses that are added
    On every way from a battery to the alternator, to another battery or to a consumer that meets no fuse within the distance, one
    is put at the battery's post, or behind the starter's stud where cranking passes it. A fuse that sat at the wrong end of such a
    lead moves. Links inside a bank and starters' leads are left alone. The rating is to be chosen still.
    Returns the circuit, the ids of fuses that were added or moved, and what is said of it.
    Source: a fuse at the source end, both ends where two sources feed (common practice); distances, ABYC E-11.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> fuse_every_source(front_battery(12), FuseFamily.STRIP_51)[1]
    ()
    """
    placed: list[str] = []
    notes: list[str] = []
    for _ in range(MOST_FUSES):
        wanting = _wanting(circuit)
        if wanting is None:
            break
        branch_id, source = _place(circuit, *wanting)
        posts = {b.positive_node for b in circuit.batteries}
        run = series_run(circuit, branch_id)
        # One that protects another source's end of the same lead stays where it is.
        ends = {n for b in run for n in (b.from_node, b.to_node)}
        old = None
        if len(ends & posts) < 2:
            old = next((b for b in run if isinstance(b, FuseBranch) and b.id not in placed), None)
        if old is not None:
            circuit = remove_branch(circuit, old.id)
        if branch_id not in {b.id for b in circuit.branches}:
            break
        circuit, fuse_id = _with_fuse(circuit, branch_id, source, family, old)
        placed.append(fuse_id)
        at, label = circuit.node(source).label, circuit.branch(fuse_id).label
        notes.append(
            f"{label} moved to {at}: the battery is the source that can feed a fault."
            if old
            else f"A fuse was added at {at}: the battery is the source that can feed a fault."
        )
    return circuit, tuple(placed), notes

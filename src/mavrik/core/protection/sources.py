"""Is every source fused, near enough to it?"""

from __future__ import annotations

from mavrik.core.catalogue.fuses import distance_limit_m, fuse_table
from mavrik.core.circuit import Circuit, ConductorBranch, FuseBranch
from mavrik.core.circuit.graph import around, graph_of
from mavrik.core.protection.documents import Finding, Severity


def unfused(circuit: Circuit) -> list[Finding]:
    """What each battery can feed before its current meets a fuse.

    circuit: the document
    Source: distances, see the fuse table; two sources on one lead, common practice.
    """
    source = fuse_table().distance_source
    graph = graph_of(circuit.branches)
    findings: dict[tuple[str, str], Finding] = {}
    others = {b.positive_node: b for b in circuit.batteries}
    for battery in circuit.batteries:
        seen = {battery.positive_node}
        todo: list[tuple[str, float, bool]] = [(battery.positive_node, 0.0, True)]
        while todo:
            node, length, sheathed = todo.pop()
            for other, branch in around(graph, node):
                if isinstance(branch, FuseBranch) or other in seen:
                    continue
                seen.add(other)
                far, wrapped = length, sheathed
                if isinstance(branch, ConductorBranch):
                    far, wrapped = length + branch.length_m, sheathed and branch.sheathed
                allowed = distance_limit_m(wrapped, at_battery=True)
                if other == circuit.alternator.stud_node:
                    findings[("no_fuse", branch.id)] = Finding(
                        code="no_fuse",
                        severity=Severity.DANGER,
                        branch_id=branch.id,
                        title=f"No fuse between {battery.label} and the alternator",
                        why=f"{far:.2f} m of live cable with nothing to open it: one rub-through and the battery feeds the fault.",
                        rule="A fuse at the source end, as near to the battery as possible",
                        source=source,
                    )
                elif other in others and far <= distance_limit_m(False, at_battery=True):
                    # Posts joined by links no longer than a fuse may be away are one bank, fused where it is taken off.
                    todo.append((other, 0.0, True))
                    continue
                elif other in others:
                    pair = "_".join(sorted((battery.id, others[other].id)))
                    findings[("two_sources", pair)] = Finding(
                        code="two_sources",
                        severity=Severity.DANGER,
                        branch_id=branch.id,
                        title=f"No fuse between {battery.label} and {others[other].label}",
                        why="Two sources on one lead: a fault anywhere on it is fed from both ends.",
                        rule="Two sources on one lead: a fuse at both ends",
                        source="Common practice of the trade",
                    )
                elif far > allowed and isinstance(branch, ConductorBranch):
                    findings[("fuse_far", branch.id)] = Finding(
                        code="fuse_far",
                        severity=Severity.WARNING,
                        branch_id=branch.id,
                        title=f"{branch.label}: the fuse is too far from {battery.label}",
                        why=f"{far:.2f} m of cable before the first fuse; {allowed:.2f} m is allowed"
                        + ("." if wrapped else " unless it is sheathed."),
                        rule=f"Fuse within {allowed * 1000:.0f} mm of the battery",
                        source=source,
                    )
                todo.append((other, far, wrapped))
    # Where there is no fuse at all, how far it is from the battery is beside the point.
    bare = {battery for code, battery in findings if code == "no_fuse"}
    return [f for (code, _), f in findings.items() if code != "fuse_far" or not bare]

"""Is every source fused, near enough to it?"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

from mavrik.core.catalogue.fuses import distance_limit_m, fuse_table
from mavrik.core.circuit import AnyBranch, Battery, BreakerBranch, Circuit, ConductorBranch, FuseBranch
from mavrik.core.circuit.graph import Graph, around, graph_of
from mavrik.core.protection.documents import COMMON, Finding, Severity


def protects(branch: AnyBranch) -> bool:
    """Whether a branch is a fuse, or a breaker whose rating is known: what ends the way a battery feeds unprotected."""
    return isinstance(branch, FuseBranch) or (isinstance(branch, BreakerBranch) and branch.rating_a is not None)


@dataclass(frozen=True)
class Reached:
    """A node that a battery's current reaches before any fuse."""

    node: str
    way: tuple[str, ...]
    """The branches from the post to there."""
    length_m: float
    """Of conductor on the way."""
    sheathed: bool

    @property
    def first(self) -> str:
        """The branch on the battery's post that it leaves by."""
        return self.way[0]

    @property
    def last(self) -> str:
        """The branch it arrives by."""
        return self.way[-1]


def unprotected_reach(circuit: Circuit, battery: Battery, graph: Graph | None = None) -> list[Reached]:
    """Every node that a battery feeds before its current meets a fuse or breaker, the shortest way in branches first.

    circuit: the document; battery: of it; graph: the circuit's, where it is known
    A post that is joined by a link no longer than a fuse may be away is of the same bank: it is reached, and what hangs on it is
    that battery's to tell.
    """
    graph = graph or graph_of(circuit.branches)
    posts = {b.positive_node for b in circuit.batteries}
    reached: dict[str, Reached] = {}
    todo: deque[tuple[str, tuple[str, ...], float, bool]] = deque([(battery.positive_node, (), 0.0, True)])
    while todo:
        node, way, length, sheathed = todo.popleft()
        for other, branch in around(graph, node):
            if protects(branch) or other in reached or other == battery.positive_node:
                continue
            far, wrapped = length, sheathed
            if isinstance(branch, ConductorBranch):
                far, wrapped = length + branch.length_m, sheathed and branch.sheathed
            reached[other] = Reached(other, (*way, branch.id), far, wrapped)
            if other not in posts or far > distance_limit_m(False, at_battery=True):
                todo.append((other, (*way, branch.id), far, wrapped))
    return list(reached.values())


def starter_leads(circuit: Circuit) -> frozenset[str]:
    """Leads that serve nothing but a starter: cranking takes more than any fuse on them would carry, so none is asked for.

    circuit: the document
    """
    graph = graph_of(circuit.branches)
    starters = {x.from_node for x in circuit.loads if x.cranking}
    ends = {n for x in circuit.loads if not x.cranking for n in (x.from_node, x.to_node)}
    ends |= {n for b in circuit.batteries for n in (b.positive_node, b.negative_node)}
    ends |= {n for a in circuit.alternators for n in (a.stud_node, a.case_node)}
    ends |= {n for c in circuit.converters for n in (c.in_node, c.out_node)} | {x.to_node for x in circuit.loads}
    leads: set[str] = set()
    for start in starters - ends:
        # Back from the starter as far as the lead goes on alone.
        node, came = start, ""
        while node not in ends:
            onward = [(n, b) for n, b in around(graph, node) if b.id != came and not protects(b)]
            if len(onward) != 1:
                break
            node, came = onward[0][0], onward[0][1].id
            leads.add(came)
    return frozenset(leads)


def _length(reached: Reached) -> str:
    return f"{reached.length_m:.2f} m of live cable" if reached.length_m else "A live conductor"


def unfused(circuit: Circuit) -> list[Finding]:
    """What each battery can feed before its current meets a fuse.

    circuit: the document
    A breaker with a known rating protects as a fuse does. A lead that serves a starter alone is not asked for one.
    Source: distances, see the fuse table; two sources on one lead, an unfused feed, a starter's lead: common practice.
    """
    source = fuse_table().distance_source
    graph = graph_of(circuit.branches)
    findings: dict[tuple[str, str], Finding] = {}
    others = {b.positive_node: b for b in circuit.batteries}
    studs = {a.stud_node: a for a in circuit.alternators}
    served = {x.from_node: x.label for x in reversed(circuit.loads) if not x.cranking}
    served |= {c.in_node: c.label for c in circuit.converters}
    starting = starter_leads(circuit)
    limit = distance_limit_m(False, at_battery=True)

    def call_out(code: str, of: str, severity: Severity, branch: str, title: str, why: str, rule: str, by: str) -> None:
        findings[(code, of)] = Finding(code, severity, branch, title, why, rule, by)

    for battery in circuit.batteries:
        far: dict[str, Reached] = {}
        bare: set[str] = set()
        for at in unprotected_reach(circuit, battery, graph):
            bank = at.node in others and at.length_m <= limit
            if at.node in studs:
                bare.add(at.first)
                call_out(
                    "no_fuse", at.last, Severity.DANGER, at.last, f"No fuse between {battery.label} and the alternator",
                    f"{at.length_m:.2f} m of live cable with nothing to open it: one rub-through and the battery feeds the fault.",
                    "A fuse at the source end, as near to the battery as possible", source,
                )  # fmt: skip
            elif at.node in others and not bank:
                bare.add(at.first)
                call_out(
                    "two_sources", "_".join(sorted((battery.id, others[at.node].id))), Severity.DANGER, at.last,
                    f"No fuse between {battery.label} and {others[at.node].label}",
                    "Two sources on one lead: a fault anywhere on it is fed from both ends.",
                    "Two sources on one lead: a fuse at both ends", COMMON,
                )  # fmt: skip
            elif at.node in served and at.length_m > limit:
                bare.add(at.first)
                call_out(
                    "feed_unfused", at.last, Severity.DANGER, at.last, f"No fuse between {battery.label} and {served[at.node]}",
                    f"{_length(at)} with nothing to open it: a fault on it burns until the battery is empty.",
                    "A fuse at the source end, also of a winch", COMMON,
                )  # fmt: skip
            elif isinstance(circuit.branch(at.last), ConductorBranch) and at.length_m > distance_limit_m(
                at.sheathed, at_battery=True
            ):
                if at.last in starting:
                    label = circuit.branch(at.last).label
                    call_out(
                        "starter_lead", at.last, Severity.NOTE, at.last, f"{label} is not fused, as is usual for a starter",
                        f"{at.length_m:.2f} m of cable that cranking asks more of than a fuse carries. Keep it short, in a sleeve, "
                        "clear of edges and heat, and the terminal covered.",
                        "Starter leads are exempt from the fuse's distance", COMMON,
                    )  # fmt: skip
                elif at.first not in far:
                    far[at.first] = at
        # Where there is no fuse at all, how far it is from the battery is beside the point.
        for at in (a for first, a in far.items() if first not in bare):
            allowed = distance_limit_m(at.sheathed, at_battery=True)
            call_out(
                "fuse_far", at.last, Severity.WARNING, at.last,
                f"{circuit.branch(at.last).label}: the fuse is too far from {battery.label}",
                f"{at.length_m:.2f} m of cable before the first fuse; {allowed:.2f} m is allowed"
                + ("." if at.sheathed else " unless it is sheathed."),
                f"Fuse within {allowed * 1000:.0f} mm of the battery", source,
            )  # fmt: skip
    return list(findings.values())

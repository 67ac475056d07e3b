"""The charging loop: which branches are on the feed and the return side, which make the ring."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

import networkx as nx

from mavrik.core.circuit.document import Circuit
from mavrik.core.circuit.graph import Graph, graph_of, least_path, reach


class Side(StrEnum):
    """Which way a branch serves: out to the battery, or back to the alternator."""

    FEED = "feed"
    RETURN = "return"


@dataclass(frozen=True)
class Ring:
    """The charging loop: the least-resistance way out and back, and the side of every branch."""

    feed: tuple[str, ...]
    """Branch ids from the alternator stud to the battery's positive post; empty where no way leads there."""
    return_side: tuple[str, ...]
    """Branch ids from the battery's negative post to the alternator case; empty where no way leads there."""
    feed_nodes: tuple[str, ...]
    return_nodes: tuple[str, ...]
    feed_reach: frozenset[str]
    """Every node on the feed side."""
    side: dict[str, Side]
    """Side of every branch, on the ring or off it."""
    closes: bool
    """Whether current can go round: no contact of it is open, no way is missing."""

    @cached_property
    def ids(self) -> frozenset[str]:
        """All branches of the ring."""
        return frozenset((*self.feed, *self.return_side))


def feed_nodes(circuit: Circuit, graph: Graph) -> set[str]:
    """All nodes fed by the alternator's stud, through branches and through converters."""
    nodes = set(reach(graph, circuit.alternator.stud_node))
    while True:
        behind = [c.out_node for c in circuit.converters if c.in_node in nodes and c.out_node not in nodes]
        if not behind:
            return nodes
        for node in behind:
            nodes |= reach(graph, node)


def _positive_side(circuit: Circuit) -> set[str]:
    """Nodes on the feed side whatever is open or missing: joined to a positive terminal without passing a negative one."""
    plus = {a.stud_node for a in circuit.alternators} | {c.out_node for c in circuit.converters}
    plus |= {c.in_node for c in circuit.converters} | {x.from_node for x in circuit.loads}
    plus |= {b.positive_node for b in circuit.batteries} | {c.positive_node for c in circuit.chargers}
    minus = {a.case_node for a in circuit.alternators} | {c.ground_node for c in circuit.converters}
    minus |= {b.negative_node for b in circuit.batteries} | {c.negative_node for c in circuit.chargers}
    minus |= {x.to_node for x in circuit.loads}
    away = minus - plus
    graph = graph_of((b for b in circuit.branches if not {b.from_node, b.to_node} & away), open_too=True)
    return plus.union(*(part for part in nx.connected_components(graph) if not plus.isdisjoint(part)))


def between_sources(circuit: Circuit) -> set[str]:
    """Branches that lie between sources: all but the spurs that serve a load, or a converter and what lies behind it.

    circuit: the document
    """
    kept = {b.id: b for b in circuit.branches}
    direct = reach(graph_of(circuit.branches), circuit.alternator.stud_node)
    pairs = [(b.positive_node, b.negative_node) for b in circuit.batteries]
    pairs += [(c.positive_node, c.negative_node) for c in circuit.chargers]
    pairs += [(a.stud_node, a.case_node) for a in circuit.alternators]
    sources = {n for plus, minus in pairs if plus in direct for n in (plus, minus)}
    while True:
        ends = Counter(n for b in kept.values() for n in (b.from_node, b.to_node))
        spurs = [b.id for b in kept.values() if any(ends[n] == 1 and n not in sources for n in (b.from_node, b.to_node))]
        if not spurs:
            return set(kept)
        for branch_id in spurs:
            del kept[branch_id]


def find_ring(circuit: Circuit) -> Ring:
    """The charging loop of a circuit through its first battery, as far as there is one.

    circuit: the document
    Returns the ring and the side of every branch. Where no closed way leads round, the ring runs through open contacts; where
    no way leads there at all, that side of it is empty. Both are said by `closes`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> find_ring(front_battery(12)).feed
    ('charge_cable', 'charge_fuse', 'battery_lead')
    """
    alternator, battery = circuit.alternator, circuit.battery
    every = graph_of(circuit.branches, open_too=True)
    closed = every if all(b.conducts for b in circuit.branches) else graph_of(circuit.branches)
    feed_ends, return_ends = (alternator.stud_node, battery.positive_node), (battery.negative_node, alternator.case_node)
    feed, back = least_path(closed, *feed_ends), least_path(closed, *return_ends)
    closes = feed is not None and back is not None
    feed = feed if feed is not None else least_path(every, *feed_ends)
    back = back if back is not None else least_path(every, *return_ends)
    positive = _positive_side(circuit)
    return Ring(
        feed=tuple(branch.id for _, branch in feed or ()),
        return_side=tuple(branch.id for _, branch in back or ()),
        feed_nodes=feed_ends if feed is None else (feed_ends[0], *(node for node, _ in feed)),
        return_nodes=return_ends if back is None else (return_ends[0], *(node for node, _ in back)),
        feed_reach=frozenset(positive),
        side={b.id: Side.FEED if b.from_node in positive and b.to_node in positive else Side.RETURN for b in circuit.branches},
        closes=closes,
    )

"""A circuit as a graph: which nodes branches join, and the ways between them."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise
from typing import TypeAlias

import networkx as nx

from mavrik.core.circuit.branches import AnyBranch
from mavrik.core.effort import spend

REFERENCE_TEMPERATURE_C = 20.0

BRANCH_WORK = 20.0
"""What a branch of a graph, and what is walked over it, counts for; measured, rough."""

Graph: TypeAlias = nx.MultiGraph


def graph_of(branches: Iterable[AnyBranch], open_too: bool = False) -> Graph:
    """The graph of branches: nodes are its nodes, every branch an edge under its id, with itself as `branch`.

    branches: of a circuit
    open_too: with contacts that are open; left out, only what can conduct
    """
    graph = Graph()
    graph.add_edges_from((b.from_node, b.to_node, b.id, {"branch": b}) for b in branches if open_too or b.conducts)
    spend(BRANCH_WORK * len(graph.edges))
    return graph


def metal_of(branches: Iterable[AnyBranch]) -> Graph:
    """The graph of closed metal: without diodes and links, which voltage opens and closes."""
    return graph_of(b for b in branches if not b.by_voltage)


def around(graph: Graph, node: str) -> list[tuple[str, AnyBranch]]:
    """The nodes one branch away from a node, each with that branch; none for a node of no branch."""
    if node not in graph:
        return []
    return [(other, edge["branch"]) for other, edges in graph.adj[node].items() for edge in edges.values()]


def reach(graph: Graph, start: str) -> set[str]:
    """All nodes connected to one, itself included."""
    return set(nx.node_connected_component(graph, start)) if start in graph else {start}


def _sound_ohm(branch: AnyBranch) -> float:
    return branch.sound_resistance_ohm(REFERENCE_TEMPERATURE_C)


def least_path(graph: Graph, start: str, goal: str) -> list[tuple[str, AnyBranch]] | None:
    """The way of least sound resistance: (node reached, branch taken) in order; None without a way.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> [b.id for _, b in least_path(graph_of(car.branches), "bat_neg", "alt_case")]
    ['block_ground', 'mount']
    """
    if start not in graph or goal not in graph:
        return [] if start == goal else None

    ohm = {key: _sound_ohm(branch) for _, _, key, branch in graph.edges(keys=True, data="branch")}
    try:
        nodes = nx.dijkstra_path(graph, start, goal, weight=lambda _, __, edges: min(map(ohm.__getitem__, edges)))
    except nx.NetworkXNoPath:
        return None
    path = [min(graph.adj[a][b], key=ohm.__getitem__) for a, b in pairwise(nodes)]
    return [(b, graph.edges[a, b, key]["branch"]) for (a, b), key in zip(pairwise(nodes), path, strict=True)]


def least_ohm(graph: Graph, start: str) -> dict[str, float]:
    """The least sound resistance of a way to each node that can be reached [ohm]; none from a node of no branch.

    graph: of branches; start: the node

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> sorted(least_ohm(graph_of(front_battery(12).branches), "bat_neg"))[:2]
    ['alt_case', 'bat_neg']
    """
    if start not in graph:
        return {}
    ohm = {key: _sound_ohm(branch) for _, _, key, branch in graph.edges(keys=True, data="branch")}
    ohm_to = nx.single_source_dijkstra_path_length(graph, start, weight=lambda _, __, edges: min(map(ohm.__getitem__, edges)))
    return {node: float(r) for node, r in ohm_to.items()}

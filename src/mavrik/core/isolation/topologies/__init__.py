"""The ways to put a disconnect into a circuit, a file a way: where its contacts sit, what moves to which side, what drives it."""

from __future__ import annotations

from mavrik.core.isolation.topologies.base import Isolated, Topology, usual_switching
from mavrik.core.registry import parts_of

TOPOLOGIES: tuple[Topology, ...] = parts_of(__name__, Topology, lambda t: t.order)
"""All of them, in the order they are offered in."""


def topology_of(name: str) -> Topology:
    """The topology of that name; raises KeyError where there is none."""
    by_name = {t.name: t for t in TOPOLOGIES}
    return by_name[name]


__all__ = ["TOPOLOGIES", "Isolated", "Topology", "topology_of", "usual_switching"]

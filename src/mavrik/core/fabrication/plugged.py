"""Where a lead gets a contact of a plug and no lug."""

from __future__ import annotations

from mavrik.core.circuit import Circuit, ConnectorBranch


def is_plugged(circuit: Circuit, node_id: str) -> bool:
    """Whether a lead that ends at a point gets a contact of a plug there, and no lug.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> [is_plugged(build_layout("tow_and_trailer", 12), n) for n in ("tow_rear", "bat_pos")]
    [True, False]
    """
    return any(isinstance(b, ConnectorBranch) and node_id in (b.from_node, b.to_node) for b in circuit.branches)

"""The ways to put a disconnect into a circuit, each built, switched with the engine running and held against a purpose."""

from __future__ import annotations

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import Switching
from mavrik.core.isolation.purposes import IsolationPurpose
from mavrik.core.isolation.topologies import Topology
from mavrik.core.isolation.verdict import RowView, Verdict, row_view, verdict_of


class WayView(Document):
    """One way to put a disconnect in, on this circuit."""

    topology: str
    label: str
    does: str = Field(description="What it is")
    verdict: Verdict
    moves: tuple[str, ...] = Field(description="Which leads move where, in words")
    assumed: tuple[str, ...] = Field(description="What nobody had said, and was taken to be so")
    switching: Switching
    circuit: Circuit = Field(description="With the disconnect in it")
    rows: tuple[RowView, ...] = Field(description="Of its truth table: those to be read first, or all")


def way_on(circuit: Circuit, way: Topology, purpose: IsolationPurpose, every_row: bool = False) -> WayView:
    """What one way to put a disconnect in does for a purpose.

    circuit: the document; way: one that it has a place for; purpose: why it is wanted; every_row: the whole truth table
    Source: the network solved after each step of the switching, see `truth_table`.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.isolation.topologies import topology_of
    >>> car = build_layout("competition_car", 12)
    >>> way_on(car, topology_of("two_controls"), IsolationPurpose.EMERGENCY).verdict.does
    True
    """
    made = way.build(circuit)
    case = Case(made.circuit, made.switching)
    rows = list(case.used) if every_row else case.used.read_first()
    return WayView(
        topology=way.name, label=way.label, does=way.does, verdict=verdict_of(case, purpose), moves=made.moves, assumed=made.assumed,
        switching=made.switching, circuit=made.circuit, rows=tuple(row_view(case, row) for row in rows),
    )  # fmt: skip

"""The ways to put a disconnect into a circuit, each built, switched with the engine running and held against a purpose."""

from __future__ import annotations

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import Switching
from mavrik.core.isolation.purposes import Profiles
from mavrik.core.isolation.topologies import TOPOLOGIES, Topology
from mavrik.core.isolation.verdict import IsolationVerdict, RowView, row_view, verdict_of


class DisconnectWay(Document):
    """One way to put a disconnect in, on this circuit."""

    topology: str
    label: str
    does: str = Field(description="What it is")
    changes: bool = Field(description="Whether it changes the circuit, and does not only try what is there")
    verdicts: tuple[IsolationVerdict, ...] = Field(description="One for each purpose that was asked about")
    moves: tuple[str, ...] = Field(description="Which leads move where, in words")
    assumed: tuple[str, ...] = Field(description="What nobody had said, and was taken to be so")
    switching: Switching
    circuit: Circuit = Field(description="With the disconnect in it")
    rows: tuple[RowView, ...] = Field(description="Of its truth table: those to be read first, or all")


MOST_SWITCHES = 3
"""A switch at each of more batteries nobody fits."""


def why_not(circuit: Circuit, way: Topology) -> str:
    """Why a way has no place in a circuit; empty where it has.

    circuit: the document; way: to put a disconnect in
    """
    if reason := way.not_here(circuit):
        return reason
    # At most one contact a battery carries the vehicle's current; only where that may be too many is it built to be counted.
    many = way.changes and len(circuit.batteries) > MOST_SWITCHES
    if many and len(way.build(circuit).switching.contacts) > MOST_SWITCHES:
        return "More batteries than anybody fits a switch to: draw one isolator in the bank's common lead."
    return ""


def ways_for(circuit: Circuit) -> dict[Topology, str]:
    """Every way, with why it has no place in a circuit; empty where it has.

    circuit: the document

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> [w.name for w, why in ways_for(build_layout("front_battery", 12)).items() if why]
    ['as_fitted', 'further_banks', 'winch']
    """
    return {way: why_not(circuit, way) for way in TOPOLOGIES}


def way_on(circuit: Circuit, way: Topology, profiles: Profiles, every_row: bool = False) -> DisconnectWay:
    """What one way to put a disconnect in does for some purposes.

    circuit: the document; way: one that it has a place for; profiles: why it may be wanted; every_row: the whole truth table
    Source: the network solved after each step of the switching, see `truth_table`.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.isolation.purposes import usual_purposes
    >>> from mavrik.core.isolation.topologies import topology_of
    >>> car = build_layout("competition_car", 12)
    >>> made = way_on(car, topology_of("two_controls"), usual_purposes().purposes)
    >>> [v.purpose.value for v in made.verdicts if v.does]
    ['emergency', 'storage', 'theft', 'drain']
    """
    made = way.build(circuit)
    case = Case(made.circuit, made.switching)
    first = case.used.read_first()
    to_read = {(row.situation, row.on) for row in first}
    rows = list(case.used) if every_row else first
    return DisconnectWay(
        topology=way.name, label=way.label, does=way.does, changes=way.changes, moves=made.moves, assumed=made.assumed,
        switching=made.switching, circuit=made.circuit, verdicts=tuple(verdict_of(case, p, x) for p, x in profiles.items()),
        rows=tuple(row_view(case, r).model_copy(update={"read_first": (r.situation, r.on) in to_read}) for r in rows),
    )  # fmt: skip

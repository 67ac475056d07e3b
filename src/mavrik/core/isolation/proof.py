"""What was promised of a disconnect beside what the vehicle did."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import Switching
from mavrik.core.isolation.table import LIVE_V
from mavrik.core.measuring.readings import Measured
from mavrik.core.procedures.bench.disconnect import DISCONNECT, hand_controls, stop_point


class ProofLine(Document):
    """One promise, and what was read of it."""

    point: str = Field(description="Of the live proof's procedure")
    label: str
    promised: str
    read: str = Field(description="Empty: not yet")
    kept: bool | None = Field(description="Whether the vehicle does as promised; null: not yet read")


class Proof(Document):
    """A disconnect on the vehicle against what was computed of it."""

    lines: tuple[ProofLine, ...]
    proven: bool | None = Field(description="null: not all of it has been read, and nothing speaks against it")
    headline: str


def proof(circuit: Circuit, switching: Switching, read: Mapping[str, Measured]) -> Proof:
    """Hold what was read of a live proof against what its switching does on the circuit.

    circuit: with the disconnect in it; switching: of it; read: by the points of the procedure ``disconnect``, as they stand
    A voltage counts as live from 1 V, as in the truth table. A promise that an engine runs on is held as one that it stops: either way
    the vehicle is then not as it is drawn.
    Raises CircuitError for what does not fit together.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.isolation.topologies import topology_of
    >>> made = topology_of("two_controls").build(build_layout("competition_car", 12))
    >>> proof(made.circuit, made.switching, {"stops:2": Measured(0.0, 0.0)}).headline
    "Not as promised: At idle, Driver's switch alone off: the engine stops"
    """
    case = Case(circuit, switching)
    by_label = {c.label: c.id for c in case.controls}
    stops = {
        stop_point(circuit, label): all(not r.runs for r in case.running((by_label[label],)))
        for label in hand_controls(circuit)
        if label in by_label
    }
    dead = case.used.row("key_on", tuple(by_label.values()))
    lines = []
    for point in DISCONNECT.points(circuit):
        got = read.get(point.id)
        if point.indicator == "stops" and point.id not in stops:
            continue
        if point.quantity == "voltage":
            promised = point.red in dead.live
            live = None if got is None else abs(got.value) > LIVE_V
            words, volts = ("live" if promised else "dead"), "" if got is None else f"{got.value:.1f} V"
        else:
            promised = stops.get(point.id, True)
            live = None if got is None else got.value > 0.5
            words, volts = ("yes" if promised else "no"), "" if live is None else "yes" if live else "no"
        lines.append(
            ProofLine(
                point=point.id, label=point.label, promised=words, read=volts, kept=None if live is None else live == promised
            )
        )
    return Proof(lines=tuple(lines), proven=_proven(lines), headline=_headline(lines))


def _proven(lines: list[ProofLine]) -> bool | None:
    if any(x.kept is False for x in lines):
        return False
    return True if lines and all(x.kept for x in lines) else None


def _headline(lines: list[ProofLine]) -> str:
    proven = _proven(lines)
    if proven:
        return "Proven on the vehicle: it does what was promised"
    if proven is False:
        return f"Not as promised: {next(x.label for x in lines if x.kept is False)}"
    done = sum(x.kept is not None for x in lines)
    return f"Not yet proven: {done} of {len(lines)} read" if done else "Not yet proven on the vehicle"

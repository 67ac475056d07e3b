"""A disconnect proven live: each control alone with the engine at idle, what is dead with the key on, open, and back again."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit, SwitchBranch
from mavrik.core.circuit.branches.contacts import SwitchedBranch
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, plainly
from mavrik.core.procedures.bench_limits import Limits

MOST_NODES = 6
"""More places than a person tries one by one."""


def hand_worked(circuit: Circuit) -> tuple[SwitchedBranch, ...]:
    """The contacts that a hand opens, itself or through a coil.

    circuit: the document
    """
    return tuple(
        b
        for b in circuit.branches
        if isinstance(b, SwitchedBranch) and not b.by_voltage and (isinstance(b, SwitchBranch) or b.worked_by)
    )


def hand_controls(circuit: Circuit) -> tuple[str, ...]:
    """What hands work, by what it is called, in the order of the circuit.

    circuit: the document

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> hand_controls(build_layout("competition_car", 12))
    ('Cut-off switch',)
    """
    return tuple(dict.fromkeys(label for b in hand_worked(circuit) for label in b.worked_by or (b.label,)))


def stop_point(circuit: Circuit, control: str) -> str:
    """The id of the point that says whether a control stops the engine.

    circuit: the document; control: as it is called
    Raises ValueError for a control that it does not have.
    """
    return f"stops:{hand_controls(circuit).index(control) + 1}"


def _behind(circuit: Circuit) -> list[str]:
    """Where a voltage would stay that should not: studs, and what feeds a load away from a battery's post."""
    posts = {n for b in circuit.batteries for n in (b.positive_node, b.negative_node)}
    nodes = [a.stud_node for a in circuit.alternators] + [x.from_node for x in circuit.loads]
    return [n for n in dict.fromkeys(nodes) if n not in posts][:MOST_NODES]


def _points(circuit: Circuit) -> tuple[Point, ...]:
    contacts = hand_worked(circuit)
    if not contacts:
        return ()
    words, case = {n.id: n.label for n in circuit.nodes}, circuit.alternator.case_node
    yes_no = "yes_no"
    return (
        *(
            Point(stop_point(circuit, c), f"At idle, {c} alone off: the engine stops", yes_no, BenchState.IDLE, indicator="stops", own_rule=True)
            for c in hand_controls(circuit)
        ),
        *(
            Point(f"dead_v:{n}", f"All off, key on: {words[n]}", "voltage", BenchState.KEY_ON, n, case, own_rule=True, signed=True)
            for n in _behind(circuit)
        ),
        *(
            Point(f"open:{b.id}", f"{b.label} open: over 1 MΩ across it, leads off", yes_no, BenchState.REST, element=b.id, indicator="open", own_rule=True)
            for b in contacts
        ),
        Point("restarts", "All on again: it starts and charges", yes_no, BenchState.IDLE, indicator="restarts", own_rule=True),
        Point("learned", "Clock, radio code, windows and idle set again", yes_no, BenchState.IDLE, indicator="learned", own_rule=True),
    )  # fmt: skip


SHOULD: dict[str, tuple[str, str, str, str]] = {
    "open": ("open it is open", "Nothing passes.", "Something passes while it is open.", "A dirty or wet switch, or a second path: find it before anybody trusts it."),
    "restarts": ("it comes back", "It starts and charges as before.", "It does not come back as it was.", "What lost its supply for good? Fuses, the alternator's field, a burnt pole."),
    "learned": ("nothing is left forgotten", "Set again.", "Something is still as it woke up.", "Say it to the owner, or set it: the maker's book says how."),
}  # fmt: skip


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    """Whether it stops an engine is held against what was promised of it, which is the disconnect's own affair."""
    return [
        plainly(p, measured[p.id], *SHOULD[p.indicator]) for p in _points(circuit) if p.indicator in SHOULD and p.id in measured
    ]


DISCONNECT = Procedure(
    65, "disconnect", "Disconnect, proven live", "What a switch is said to do is believed when the engine has died of it.", 15,
    "idle, then off with the key on", ("running_engine", "live_proof"),
    (
        BenchStep("A second person at the key. Exhaust drawn off, nobody near belt and fan, consumers off that may be."),
        BenchStep("Engine at idle: one control alone off. Does it stop? Key off, control on again, start, and the next one."),
        BenchStep("All off, engine standing, key on: what should be dead shows no volts."),
        BenchStep("Key off, negative off the battery: each contact open, megohms across it."),
        BenchStep("All on again: it starts, charges, and nothing stays forgotten."),
    ),
    _points, _judge,
)  # fmt: skip

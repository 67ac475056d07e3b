"""A second alternator on a battery."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.editing import with_parts
from mavrik.core.planning.guided.base import Answers, Changed, Guide, Question, amount, number, pick


def _not_here(circuit: Circuit) -> str:
    return "" if len(circuit.alternators) == 1 else "It has two alternators already."


def _asks(circuit: Circuit) -> tuple[Question, ...]:
    first = circuit.alternator
    return (
        number("rated_a", "Its rating", "A", 10, 500, first.rated_a),
        number("ratio", "Shaft speed over engine speed", "times", 0.5, 6, first.pulley_ratio),
        number("length_m", "Its charge cable", "m", 0.2, 10, 2.0),
        pick("battery", "It charges", {b.id: b.label for b in circuit.batteries}, circuit.batteries[-1].id),
    )


def _build(circuit: Circuit, answers: Answers) -> Changed:
    chosen = next(b for b in circuit.batteries if b.id == answers["battery"])
    last = circuit.batteries[-1]
    larger = add_to(circuit, "alternator")
    known = {b.id for b in circuit.branches}
    branches = []
    for b in larger.branches:
        if b.id not in known and b.to_node == last.positive_node:
            b = b.model_copy(update={"to_node": chosen.positive_node})
        if b.id not in known and b.label.startswith("Charge cable"):
            b = b.model_copy(update={"length_m": amount(answers, "length_m")})
        branches.append(b)
    second = larger.alternators[-1].model_copy(
        update={"rated_a": amount(answers, "rated_a"), "pulley_ratio": amount(answers, "ratio")}
    )
    return Changed(
        with_parts(larger, branches=tuple(branches), alternators=(*circuit.alternators, second)),
        (
            "Room, bracket, belt and its wrap first: a belt that drives one more thing slips sooner.",
            "Two regulators on one battery: the one set higher works, the other rests. Set them alike, or let each charge a battery of its own.",
            "Its case is grounded to the engine by a lead of its own, not by the bracket's paint.",
        ),
    )


SECOND_ALTERNATOR = Guide(
    30, "second_alternator", "Add a second alternator", "Its own cable, fuse and ground, on the battery you choose.", _not_here, _asks, _build
)  # fmt: skip

"""The first battery's ground leads made anew, by one of the schools."""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch, NodeRole
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.layouts.parts import cable
from mavrik.core.planning.guided.base import Answers, Changed, Guide, Question, amount, number, pick
from mavrik.core.thermal.ampacity import Place

SCHOOLS = {
    "direct": "Direct: battery to engine, and to the body",
    "chain": "Chain: battery to body, body to engine",
    "direct_case": "Direct, and a lead to the alternator's case",
}


def _node(circuit: Circuit, role: NodeRole) -> str | None:
    return next((n.id for n in circuit.nodes if n.role is role), None)


def _not_here(circuit: Circuit) -> str:
    if _node(circuit, NodeRole.ENGINE_BLOCK) is None or _node(circuit, NodeRole.CHASSIS) is None:
        return "Engine block and body have to be drawn: the grounds go there."
    return ""


def _asks(_: Circuit) -> tuple[Question, ...]:
    return (
        pick("school", "School", SCHOOLS, why="A chain hangs on one strap; a lead of its own to the engine does without it."),
        number("engine_m", "Battery to engine", "m", 0.1, 12, 0.8, "Along its way."),
        number("body_m", "Battery to body", "m", 0.1, 12, 0.4),
        number("strap_m", "Body to engine", "m", 0.1, 4, 0.4, "The strap between them, where there is none yet."),
    )


def _build(circuit: Circuit, answers: Answers) -> Changed:
    first, school = circuit.battery, str(answers["school"])
    block, body = _node(circuit, NodeRole.ENGINE_BLOCK), _node(circuit, NodeRole.CHASSIS)
    assert block is not None and body is not None
    ground = {block, body, circuit.alternator.case_node}

    def old(b: AnyBranch) -> bool:
        """A lead from this battery to engine, body or case: these are made anew."""
        ends = {b.from_node, b.to_node}
        return isinstance(b, ConductorBranch) and first.negative_node in ends and bool(ends & ground - {first.negative_node})

    grow = Growing(with_parts(circuit, branches=tuple(b for b in circuit.branches if not old(b))))

    def lead(lead_id: str, label: str, to: str, metres: float) -> None:
        if to != first.negative_node:
            grow.put("branches", cable(grow.free(lead_id), label, first.negative_node, to, metres, "35 mm2", Place.CABIN))

    if school != "chain":
        lead("engine_ground", "Battery to engine", block, amount(answers, "engine_m"))
    lead("body_ground", "Battery to body", body, amount(answers, "body_m"))
    strap = any(isinstance(b, ConductorBranch) and {b.from_node, b.to_node} == {block, body} for b in circuit.branches)
    if school == "chain" and not strap:
        grow.put("branches", cable(grow.free("engine_strap"), "Engine strap", body, block, amount(answers, "strap_m"), "35 mm2"))
    if school == "direct_case":
        lead("case_ground", "Battery to alternator case", circuit.alternator.case_node, amount(answers, "engine_m"))
    return Changed(
        grow.done(),
        (
            "Disconnect negative first, reconnect it last.",
            "Bright metal under each ring, no paint, no serrated washer on copper; then protect the bare ring again with primer.",
            "Each lead on a bolt of its own, or the one with most current lowest; mark the torque, and check it again after the first heat.",
            "Prove it: cranking and at full output, volts from the alternator's case and from the body to the negative post.",
        ),
    )


GROUNDS = Guide(
    25, "grounds", "Ground leads by a school", "Chain, direct, or direct with a lead to the case: side by side.", _not_here, _asks, _build,
    compares="school",
)  # fmt: skip

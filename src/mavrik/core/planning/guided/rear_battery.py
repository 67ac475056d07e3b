"""The battery moved to the rear."""

from __future__ import annotations

from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch, NodeRole
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.layouts.parts import cable
from mavrik.core.planning.guided.base import Answers, Changed, Guide, Question, amount, number, pick
from mavrik.core.thermal.ampacity import Place

GROUNDS = {
    "both": "To the engine and to the body",
    "direct": "Straight to the engine",
    "chain": "To the body, and through its strap",
}
TAIL_M = 0.3
"""From the battery's post to the body beside it."""


def _node(circuit: Circuit, role: NodeRole) -> str | None:
    return next((n.id for n in circuit.nodes if n.role is role), None)


def _not_here(circuit: Circuit) -> str:
    if len(circuit.batteries) > 1:
        return "It has more than one battery: say by drawing which leads move."
    if _node(circuit, NodeRole.ENGINE_BLOCK) is None or _node(circuit, NodeRole.CHASSIS) is None:
        return "Engine block and body have to be drawn: the return goes there."
    return ""


def _asks(circuit: Circuit) -> tuple[Question, ...]:
    return (
        number("feed_m", "Feed from the engine to the rear", "m", 1, 12, 4.5, "Along its way, with slack: a string tells it."),
        pick("ground", "Return", GROUNDS, why="A lead of its own to the engine solves most faults of a rear battery."),
    )


def _build(circuit: Circuit, answers: Answers) -> Changed:
    first, feed_m, ground = circuit.battery, amount(answers, "feed_m"), str(answers["ground"])
    block, body = _node(circuit, NodeRole.ENGINE_BLOCK), _node(circuit, NodeRole.CHASSIS)
    assert block is not None and body is not None
    branches: list[AnyBranch] = []
    for b in circuit.branches:
        ends = {b.from_node, b.to_node}
        if isinstance(b, ConductorBranch) and first.negative_node in ends:
            # Its old grounds stay at the front.
            continue
        if isinstance(b, ConductorBranch) and first.positive_node in ends:
            b = b.model_copy(update={"length_m": feed_m, "place": Place.CABIN, "measured_mohm": None})
        branches.append(b)
    grow = Growing(with_parts(circuit, branches=tuple(branches)))
    if ground in ("direct", "both"):
        grow.put("branches", cable(grow.free("engine_ground"), "Battery to engine", first.negative_node, block, feed_m + 0.5, "50 mm2", Place.CABIN))  # fmt: skip
    if ground in ("chain", "both"):
        grow.put("branches", cable(grow.free("body_ground"), "Battery to body", first.negative_node, body, TAIL_M, "35 mm2", Place.CABIN))  # fmt: skip
    return Changed(
        grow.done(),
        (
            "Disconnect negative first. The battery is held by a tray and a clamp that bear a crash, vented outside where its gas comes into the cabin.",
            "The feed follows hard lines, off exhaust and shafts, clamped every few hand-widths, a grommet at each panel, sleeved outside the cabin.",
            "Its fuse sits at the battery, as near as can be: in the rear the whole feed hangs on it.",
            "Body and engine straps at the front stay: starter and unit return through them."
            if ground != "direct"
            else "The body strap at the front stays, so that what is grounded to the body has its way back.",
        ),
    )


REAR_BATTERY = Guide(
    10,
    "rear_battery",
    "Move the battery to the rear",
    "Longer feed, a return chosen, the fuse at the battery.",
    _not_here,
    _asks,
    _build,
    compares="ground",
)

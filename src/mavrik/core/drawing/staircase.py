"""The staircase: volts from the alternator stud round the ring to its case, one step a branch."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.ring import Ring, Side
from mavrik.core.document import Document
from mavrik.core.findings import BranchFinding, Findings
from mavrik.core.operating import OperatingPoint


@dataclass(frozen=True)
class Step:
    """One branch of the ring: volts before and after it."""

    branch_id: str
    label: str
    side: Side
    from_node: str
    to_node: str
    predicted_from_v: float
    predicted_to_v: float
    measured_from_v: float
    measured_to_v: float
    read: bool
    """Whether this branch's drop was read; otherwise the predicted drop stands in."""
    sound_low_v: float | None
    """A sound one loses at least this, and at most `sound_high_v`; null where no test was made."""
    sound_high_v: float | None
    limit_to_v: float
    """Volts that must be left after it on the feed side; volts that may be left before it on the return side."""


class Staircase(Document):
    """Both flights, out and back, each against its own end of the alternator."""

    stud_v: float
    battery_positive_v: float
    measured_battery_positive_v: float
    battery_negative_v: float
    measured_battery_negative_v: float
    feed: tuple[Step, ...]
    return_side: tuple[Step, ...]
    feed_limit_v: float
    return_limit_v: float


Placed: TypeAlias = tuple[BranchFinding, str, str]
"""A branch with the nodes before and after it, along the current."""


def _flight(branches: list[Placed], start_v: float, measured_start_v: float, limit_v: float) -> tuple[list[Step], float, float]:
    steps: list[Step] = []
    predicted, measured = start_v, measured_start_v
    for branch, before, after in branches:
        drop = abs(branch.predicted_drop_v)
        read = branch.measured_drop_v is not None
        lost = branch.measured_drop_v if branch.measured_drop_v is not None else drop
        steps.append(
            Step(
                branch_id=branch.branch_id,
                label=branch.label,
                side=branch.side,
                from_node=before,
                to_node=after,
                predicted_from_v=predicted,
                predicted_to_v=predicted - drop,
                measured_from_v=measured,
                measured_to_v=measured - lost,
                read=read,
                sound_low_v=branch.sound_low_v,
                sound_high_v=branch.sound_high_v,
                limit_to_v=limit_v,
            )
        )
        predicted, measured = predicted - drop, measured - lost
    return steps, predicted, measured


def staircase_of_point(circuit: Circuit, ring: Ring, point: OperatingPoint, limit_v: float) -> Staircase:
    """The steps of a circuit at an operating state.

    circuit, ring: the document and its ring
    point: what `mavrik.core.operating.solve_circuit` said of it
    limit_v: what one side may lose at rated output [V]; it is scaled to the output of this state
    Returns volts against the alternator case [V]; nothing is measured, so both flights are the predicted ones.
    """
    volts = point.node_voltages_v
    labels = {b.id: b.label for b in circuit.branches}
    output = next(d.current_a for d in point.devices if d.device_id == circuit.alternator.id)
    allowed = limit_v * output / circuit.alternator.rated_a
    stud, case = volts[ring.feed_nodes[0]], volts[ring.return_nodes[-1]]

    def flight(ids: tuple[str, ...], nodes: tuple[str, ...], side: Side, limit: float) -> tuple[Step, ...]:
        return tuple(
            Step(b, labels[b], side, a, c, volts[a], volts[c], volts[a], volts[c], False, None, None, limit)
            for b, a, c in zip(ids, nodes, nodes[1:], strict=False)
        )

    plus, minus = volts[ring.feed_nodes[-1]], volts[ring.return_nodes[0]]
    return Staircase(
        stud_v=stud,
        battery_positive_v=plus,
        measured_battery_positive_v=plus,
        battery_negative_v=minus - case,
        measured_battery_negative_v=minus - case,
        feed=flight(ring.feed, ring.feed_nodes, Side.FEED, stud - allowed),
        return_side=flight(ring.return_side, ring.return_nodes, Side.RETURN, allowed),
        feed_limit_v=stud - allowed,
        return_limit_v=allowed,
    )


def build_staircase(circuit: Circuit, ring: Ring, findings: Findings) -> Staircase:
    """The steps of a judged circuit.

    circuit, ring: the document and its ring
    findings: what `mavrik.core.findings.judge` said of it
    Returns volts against the alternator case [V]. The feed flight starts at the stud voltage; the return flight ends at
    0 V in the case. Limits are the side limits at rated output, scaled to the test current.
    """
    by_id = {b.branch_id: b for b in findings.branches}

    # What is open loses nothing that anybody could read: it is no step.
    def placed(ids: tuple[str, ...], nodes: tuple[str, ...]) -> list[Placed]:
        return [(by_id[b], before, after) for b, before, after in zip(ids, nodes, nodes[1:], strict=False) if b in by_id]

    feed, back = placed(ring.feed, ring.feed_nodes), placed(ring.return_side, ring.return_nodes)
    share = findings.output_current_a / findings.rated_current_a
    side_limits = {s.name: s.limit_v * share for s in findings.sides}
    stud = findings.stud_voltage_v

    def total(steps: list[Placed], measured: bool) -> float:
        return sum(
            b.measured_drop_v if measured and b.measured_drop_v is not None else abs(b.predicted_drop_v) for b, _, _ in steps
        )

    feed_steps, predicted_plus, measured_plus = _flight(feed, stud, stud, stud - side_limits["feed"])
    predicted_minus, measured_minus = total(back, False), total(back, True)
    return_steps, _, _ = _flight(back, predicted_minus, measured_minus, side_limits["return"])
    return Staircase(
        stud_v=stud,
        battery_positive_v=predicted_plus,
        measured_battery_positive_v=measured_plus,
        battery_negative_v=predicted_minus,
        measured_battery_negative_v=measured_minus,
        feed=tuple(feed_steps),
        return_side=tuple(return_steps),
        feed_limit_v=stud - side_limits["feed"],
        return_limit_v=side_limits["return"],
    )

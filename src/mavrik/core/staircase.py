"""The staircase: volts from the alternator stud round the ring to its case, one step a branch."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.core.assessment import Assessment, BranchAssessment
from mavrik.core.circuit import Circuit, Document
from mavrik.core.topology import Ring, Side


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
    limit_to_v: float
    """Volts that must be left after it on the feed side; volts that may be left before it on the return side."""


class Staircase(Document):
    """Both flights, out and home, each against its own end of the alternator."""

    stud_v: float
    battery_positive_v: float
    measured_battery_positive_v: float
    battery_negative_v: float
    measured_battery_negative_v: float
    feed: tuple[Step, ...]
    home: tuple[Step, ...]
    feed_limit_v: float
    home_limit_v: float


def _flight(
    branches: list[BranchAssessment], nodes: tuple[str, ...], start_v: float, measured_start_v: float, limit_v: float
) -> tuple[list[Step], float, float]:
    steps: list[Step] = []
    predicted, measured = start_v, measured_start_v
    for branch, before, after in zip(branches, nodes, nodes[1:], strict=False):
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
                limit_to_v=limit_v,
            )
        )
        predicted, measured = predicted - drop, measured - lost
    return steps, predicted, measured


def build_staircase(circuit: Circuit, ring: Ring, assessment: Assessment) -> Staircase:
    """The steps of a judged circuit.

    circuit, ring: the document and its ring
    assessment: what `mavrik.core.assessment.assess` said of it
    Returns volts against the alternator case [V]. The feed flight starts at the stud voltage; the return flight ends at
    0 V in the case. Limits are the side limits at rated output, scaled to the test current.
    """
    by_id = {b.branch_id: b for b in assessment.branches}
    feed = [by_id[b] for b in ring.feed]
    home = [by_id[b] for b in ring.home]
    share = assessment.output_current_a / assessment.rated_current_a
    side_limits = {s.name: s.limit_v * share for s in assessment.sides}
    stud = assessment.stud_voltage_v

    def total(branches: list[BranchAssessment], measured: bool) -> float:
        return sum(b.measured_drop_v if measured and b.measured_drop_v is not None else abs(b.predicted_drop_v) for b in branches)

    feed_steps, predicted_plus, measured_plus = _flight(feed, ring.feed_nodes, stud, stud, stud - side_limits["feed"])
    predicted_minus, measured_minus = total(home, False), total(home, True)
    home_steps, _, _ = _flight(home, ring.home_nodes, predicted_minus, measured_minus, side_limits["return"])
    return Staircase(
        stud_v=stud,
        battery_positive_v=predicted_plus,
        measured_battery_positive_v=measured_plus,
        battery_negative_v=predicted_minus,
        measured_battery_negative_v=measured_minus,
        feed=tuple(feed_steps),
        home=tuple(home_steps),
        feed_limit_v=stud - side_limits["feed"],
        home_limit_v=side_limits["return"],
    )

"""The charging voltage-drop test as a walk: under what conditions, in which order, and where the probes go."""

from __future__ import annotations

import math
from dataclasses import dataclass

from mavrik.core.assessment import Assessment, BranchAssessment
from mavrik.core.assessment.sides import LEAST_USEFUL_SHARE
from mavrik.core.circuit import Circuit, Document
from mavrik.core.measurement import Quantity, reading_key
from mavrik.core.topology import Ring, Side

TEST_SPEED_RPM = 2000
"""Engine speed of a loaded charging test. Common practice of the trade, no source."""


@dataclass(frozen=True)
class Stop:
    """One reading to take."""

    key: str
    quantity: Quantity
    branch_id: str | None
    label: str
    how: str
    unit: str
    side: Side | None
    red_node: str
    black_node: str


class ProbePlan(Document):
    """Conditions and stops of one test, in the order of the walk."""

    engine_speed_rpm: float
    least_output_a: float
    conditions: str
    stops: tuple[Stop, ...]


def plan_probes(circuit: Circuit, ring: Ring, assessment: Assessment) -> ProbePlan:
    """Where to put the probes, in the order that walks once round the loop.

    circuit, ring: the document and its ring
    assessment: what was said of it; it knows which leads share their current with another path
    Each side is read whole before its parts, so that a sound side can be left at that. Then come the branches beside the
    ring, then the clamp on every lead that shares its current. Red goes towards the alternator stud on the way out and
    towards the battery on the way home, so that a sound drop reads positive.
    Source: common practice of the trade.
    """
    words = {n.id: n.label for n in circuit.nodes}
    found = {b.branch_id: b for b in assessment.branches}

    def across(quantity: Quantity, label: str, red: str, black: str, unit: str, side: Side | None = None) -> Stop:
        how = f"Red on {words[red]}, black on {words[black]}"
        return Stop(reading_key(quantity, None), quantity, None, label, how, unit, side, red, black)

    def drop(branch: BranchAssessment, red: str, black: str) -> Stop:
        beside = "" if branch.on_ring else " (beside the ring)"
        return Stop(
            reading_key(Quantity.BRANCH_DROP, branch.branch_id),
            Quantity.BRANCH_DROP,
            branch.branch_id,
            branch.label,
            f"Red on {words[red]}, black on {words[black]}{beside}",
            "mV",
            branch.side,
            red,
            black,
        )

    def clamp(branch: BranchAssessment) -> Stop:
        return Stop(
            reading_key(Quantity.BRANCH_CURRENT, branch.branch_id),
            Quantity.BRANCH_CURRENT,
            branch.branch_id,
            f"{branch.label}: current",
            f"Clamp round {branch.label}, arrow from {words[branch.from_node]} to {words[branch.to_node]}: "
            "it shares the current with another path",
            "A",
            branch.side,
            branch.from_node,
            branch.to_node,
        )

    stud, plus = ring.feed_nodes[0], ring.feed_nodes[-1]
    minus, case = ring.home_nodes[0], ring.home_nodes[-1]
    off_ring = [b for b in assessment.branches if not b.on_ring]
    shared = [b for b in assessment.branches if not b.on_ring or b.current_basis != "output"]
    least = math.ceil(LEAST_USEFUL_SHARE * circuit.alternator.rated_a)
    return ProbePlan(
        engine_speed_rpm=TEST_SPEED_RPM,
        least_output_a=least,
        conditions=f"About {TEST_SPEED_RPM} /min, loads or bank on, at least {least} A out of the {circuit.alternator.rated_a:g} A: "
        "smaller drops drown in the meter's last digit.",
        stops=(
            across(Quantity.STUD_VOLTAGE, "Stud voltage", stud, case, "V"),
            across(Quantity.BATTERY_VOLTAGE, "Battery voltage", plus, minus, "V"),
            across(Quantity.FEED_DROP, "Feed side, whole", stud, plus, "mV", Side.FEED),
            *(drop(found[b], red, black) for b, red, black in zip(ring.feed, ring.feed_nodes, ring.feed_nodes[1:], strict=False)),
            across(Quantity.RETURN_DROP, "Return side, whole", minus, case, "mV", Side.RETURN),
            *(drop(found[b], red, black) for b, red, black in zip(ring.home, ring.home_nodes, ring.home_nodes[1:], strict=False)),
            *(drop(b, b.from_node, b.to_node) for b in off_ring),
            *(clamp(b) for b in shared),
        ),
    )

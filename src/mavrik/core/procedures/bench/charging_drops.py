"""Drop along each lead while charging, at a known output: where the volts are lost.

Its readings are judged with all others, in `mavrik.core.findings`.
"""

from __future__ import annotations

import math
from functools import lru_cache

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.ring import find_ring
from mavrik.core.operating.bench_states import TEST_SHARE, BenchState
from mavrik.core.operating.prediction import FAST_RPM, at_output, predict_what_can_be
from mavrik.core.procedures.base import BenchStep, Point, Procedure

LEAST_USEFUL_SHARE = 0.3
"""Below this share of rated output a drop is too small to say much; the tool asks for more load. Common practice, no source."""

SHARED_BELOW = 0.995
"""A lead that carries less of the output current than this shares it with another path, and is worth a clamp of its own."""


def output_point(circuit: Circuit) -> str:
    """Id of the point whose reading says at which output all others were taken."""
    return f"charge_a:{circuit.alternator.id}"


def _shared(circuit: Circuit, ring_ids: frozenset[str]) -> list[str]:
    """Leads that share the output with another path, those off the ring too."""
    conducting = [b.id for b in circuit.branches if b.conducts]
    output = TEST_SHARE * circuit.alternator.rated_a
    amps = predict_what_can_be(circuit, at_output(circuit, output)).current_a
    return [i for i in conducting if i not in ring_ids or abs(amps[i]) < SHARED_BELOW * output]


@lru_cache(maxsize=64)
def _points(circuit: Circuit) -> tuple[Point, ...]:
    """Each side whole before its parts, so that a sound side can be left at that; then what lies beside the ring; then the clamp.

    Red goes towards the alternator stud on the way out and towards the battery on the way back, so that a sound drop reads
    positive. Source: common practice of the trade.
    """
    ring, at = find_ring(circuit), BenchState.AT_OUTPUT
    if not ring.closes:
        return ()  # nothing flows that could be lost on the way
    main, battery = circuit.alternator, circuit.battery
    stud, plus, minus, case = main.stud_node, battery.positive_node, battery.negative_node, main.case_node

    def drops(ids: tuple[str, ...], nodes: tuple[str, ...], whole: str) -> list[Point]:
        ways = zip(ids, nodes, nodes[1:], strict=False)
        return [
            Point(f"drop_v:{i}", circuit.branch(i).label, "voltage_drop", at, red, black, i, part_of=whole)
            for i, red, black in ways
        ]

    beside = [b for b in circuit.branches if b.conducts and b.id not in ring.ids]
    shared = _shared(circuit, ring.ids)
    return (
        Point(output_point(circuit), f"{main.label}: output meanwhile", "current", at, element=main.id, own_rule=True),
        Point("stud_v", "Stud to case", "voltage", at, stud, case, main.id, own_rule=True),
        Point("battery_v", "Battery, post to post", "voltage", at, plus, minus, battery.id, own_rule=True),
        Point("feed_v", "Feed side, whole", "voltage_drop", at, stud, plus),
        *drops(ring.feed, ring.feed_nodes, "feed_v"),
        Point("return_v", "Return side, whole", "voltage_drop", at, minus, case),
        *drops(ring.return_side, ring.return_nodes, "return_v"),
        *(
            Point(f"drop_v:{b.id}", f"{b.label}, beside the ring", "voltage_drop", at, b.from_node, b.to_node, b.id)
            for b in beside
        ),
        *(
            Point(f"branch_a:{i}", f"{circuit.branch(i).label}: its share of the current", "current", at, element=i, signed=True)
            for i in shared
        ),
    )


def least_output_a(circuit: Circuit) -> float:
    """The least output worth testing drops at [A]."""
    return math.ceil(LEAST_USEFUL_SHARE * circuit.alternator.rated_a)


def _conditions(circuit: Circuit) -> str:
    return (
        f"About {FAST_RPM:.0f} /min, loads or bank on, at least {least_output_a(circuit):g} A out of the "
        f"{circuit.alternator.rated_a:g} A: smaller drops drown in the meter's last digit."
    )


CHARGING_DROPS = Procedure(
    order=110,
    name="charging_drops",
    title="Drop while charging",
    why="Whole first, then side by side, then lead by lead: the step that is too high is the bad part.",
    minutes=10,
    engine="2000 /min, loads or bank on",
    cautions=("running_engine", "never_disconnect"),
    steps=(
        BenchStep("Loads or bank on, 2000 /min; note which loads are on, where the bank hangs, and the output current."),
        BenchStep("Feed side and return side whole. Only a side that is too high is worth taking apart."),
        BenchStep(
            "Then each lead, end to end; red probe nearer the stud on the feed side, nearer the battery on the return side."
        ),
        BenchStep("Where two paths share the current, the clamp round one of them says which."),
    ),
    points=_points,
    conditions=_conditions,
)

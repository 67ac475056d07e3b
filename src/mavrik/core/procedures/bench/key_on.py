"""Key on, engine off: the lamp, the output stud, the sense wire."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from mavrik.core.circuit import Alternator, Circuit
from mavrik.core.circuit.graph import metal_of, reach
from mavrik.core.circuit.ring import find_ring
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState, joined_by_metal
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure
from mavrik.core.procedures.bench_limits import Limits


@dataclass(frozen=True)
class _Feed:
    """What volts at the end of a feed say of it."""

    whole: str
    bad: str
    advice: str


STUD_FEED = _Feed(
    "The way from the battery is whole.",
    "The way from the battery is open or bad: fuse, link or cable.",
    "Follow the feed from the battery with the meter until the voltage appears.",
)
BEHIND_WAYS = _Feed(
    "The isolator blocks: nothing comes back from the batteries.",
    "Voltage comes back from a battery: a way of the isolator conducts both ways.",
    "Take the batteries' cables off the isolator one at a time, each battery's negative first: with that of the shorted way the voltage goes.",
)
BLOCKED_SHARE, FED_SHARE = 0.25, 0.6
"""Of the battery's voltage: below the first a stud behind an isolator floats, above the second it is fed. Common practice, no source."""
SENSE_WIRE = _Feed(
    "The sense wire is whole as far as volts without current show.",
    "The sense wire is open or bad: its regulator does not hear the battery, and charges too high.",
    "Follow the sense wire from the battery with the meter: its fuse, its plugs, its terminal.",
)


def _behind_ways(circuit: Circuit) -> list[Alternator]:
    """Units that every battery is kept from by a diode, or by a way of an isolator: with the engine off their studs have nothing."""
    metal, posts = metal_of(circuit.branches), {b.positive_node for b in circuit.batteries}
    ways = {b.from_node for b in circuit.branches if b.conducts and b.by_voltage and not b.settable}
    near = {a.id: reach(metal, a.stud_node) for a in circuit.alternators}
    return [a for a in circuit.alternators if near[a.id] & ways and not near[a.id] & posts]


@lru_cache(maxsize=64)
def _points(circuit: Circuit) -> tuple[Point, ...]:
    fed = joined_by_metal(circuit)
    points = [
        Point(f"key_stud_v:{a.id}", f"{a.label}: stud to case", "voltage", BenchState.KEY_ON, a.stud_node, a.case_node)
        for a in circuit.alternators
        if a.stud_node in fed
    ]
    points += [
        Point(
            f"key_stud_v:{a.id}",
            f"{a.label}: stud to case, behind the isolator",
            "voltage",
            BenchState.KEY_ON,
            a.stud_node,
            a.case_node,
            may_float=True,
        )
        for a in _behind_ways(circuit)
    ]
    points += [
        Point(
            f"key_sense_v:{a.id}",
            f"{a.label}: end of the sense wire to case",
            "voltage",
            BenchState.KEY_ON,
            a.sense_positive_node,
            a.case_node,
            a.id,
            sense_wire=True,
        )
        for a in circuit.alternators
        if a.sense_positive_node and a.sense_positive_node != a.stud_node
    ]
    points += [
        Point(f"lamp:{a.id}", f"{a.label}: warning lamp lit", "yes_no", BenchState.KEY_ON, indicator="lamp", element=a.id)
        for a in circuit.alternators
        if a.kind == "wound_field"
    ]
    battery = circuit.battery
    return (
        Point("key_battery_v", "Battery", "voltage", BenchState.KEY_ON, battery.positive_node, battery.negative_node),
        *points,
        *_along_the_feed(circuit),
    )


def _along_the_feed(circuit: Circuit) -> list[Point]:
    """The joints between stud and battery: where the stud has nothing, the voltage appears behind what is open or gone."""
    main, ring = circuit.alternator, find_ring(circuit)
    if main.stud_node not in joined_by_metal(circuit):
        return []
    return [
        Point(
            f"key_way_v:{node}",
            f"{circuit.node(node).label} to case",
            "voltage",
            BenchState.KEY_ON,
            node,
            main.case_node,
            if_bad=f"key_stud_v:{main.id}",
        )
        for node in ring.feed_nodes[1:-1]
    ]


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    limit = limits.of("key_on_stud")
    assert limit.within is not None
    allowed = limit.within * circuit.system_voltage_v / 12
    judgements = []
    battery = measured.get("key_battery_v")
    for point in _points(circuit):
        read = measured.get(point.id)
        # Which joint has nothing is for all readings together to say.
        if read is None or point.if_bad:
            continue
        if point.indicator == "lamp":
            lit = read.value > 0.5
            judgements.append(
                Judgement(
                    point.id, point.label, read.value, 0.0, point.quantity, Verdict.PASS if lit else Verdict.FAIL,
                    "the warning lamp lights with the key on", "Common practice of the trade",
                    "The exciter circuit is whole." if lit else "Open rotor, worn-out brushes, or an open lamp circuit.",
                    "" if lit else "Key feed at the exciter pin? Then measure the rotor through its brushes; no feed: follow the lamp circuit.",
                )
            )  # fmt: skip
        elif point.may_float:
            share = read.value / (battery.value if battery else circuit.system_voltage_v)
            verdict = Verdict.PASS if share < BLOCKED_SHARE else Verdict.FAIL if share > FED_SHARE else Verdict.CLOSE
            judgements.append(
                Judgement(
                    point.id, point.label, read.value, read.uncertainty, point.quantity, verdict,
                    "next to no voltage on a stud behind an isolator, engine off", "Common practice of the trade",
                    BEHIND_WAYS.whole if verdict is Verdict.PASS else BEHIND_WAYS.bad, "" if verdict is Verdict.PASS else BEHIND_WAYS.advice,
                )
            )  # fmt: skip
        elif battery is not None and point.id != "key_battery_v":
            short = battery.value - read.value
            u = (battery.uncertainty**2 + read.uncertainty**2) ** 0.5
            feed = SENSE_WIRE if point.sense_wire else STUD_FEED
            verdict = Verdict.PASS if short + u <= allowed else Verdict.FAIL if short - u > allowed else Verdict.CLOSE
            judgements.append(
                Judgement(
                    point.id, point.label, read.value, read.uncertainty, point.quantity, verdict, limit.rule, limit.source,
                    feed.whole if verdict is Verdict.PASS else feed.bad, "" if verdict is Verdict.PASS else feed.advice,
                )
            )  # fmt: skip
    return judgements


KEY_ON = Procedure(
    50, "key_on", "Key on, engine off", "Lamp, stud and sense wire say in a minute whether feed and exciter are whole.", 2, "off, key on",
    ("jewellery",),
    (BenchStep("Key on, engine off, everything else off."), BenchStep("Look for the warning lamp."), BenchStep("Black probe on the alternator case, red on the stud, then on the sense wire where it ends at the unit, its plug on: at the battery's end it always reads full."), BenchStep("Nothing on the stud: follow the feed back to the battery, joint by joint, until the voltage appears."), BenchStep("A stud behind an isolator is the other way round: next to nothing is right, the battery's voltage is a shorted way.")),
    _points, _judge,
)  # fmt: skip

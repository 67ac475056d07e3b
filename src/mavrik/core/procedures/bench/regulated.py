"""Regulated voltage at the battery: at idle and at 2000 /min, without and with loads."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.graph import metal_of, reach
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against
from mavrik.core.procedures.bench_limits import BenchLimit, Limits

WORDS = {
    BenchState.IDLE: "idle, loads off",
    BenchState.IDLE_LOADED: "idle, loads on",
    BenchState.FAST: "2000 /min, loads off",
    BenchState.FAST_LOADED: "2000 /min, loads on",
}

STUD = "regulated_stud_v"


@lru_cache(maxsize=64)
def _points(circuit: Circuit) -> tuple[Point, ...]:
    battery, alternator = circuit.battery, circuit.alternator
    points = [
        Point(f"regulated_v:{s}", f"Battery, {words}", "voltage", s, battery.positive_node, battery.negative_node)
        for s, words in WORDS.items()
    ]
    joined = reach(metal_of(circuit.branches), battery.positive_node)
    stud = Point(
        STUD,
        "Stud, 2000 /min, loads on",
        "voltage",
        BenchState.FAST_LOADED,
        alternator.stud_node,
        alternator.case_node,
        unheld=alternator.stud_node not in joined,
    )
    # A bank behind a link, a diode or a charger has a voltage of its own: it says whether anything reaches it.
    others = (
        Point(f"other_regulated_v:{b.id}", f"{b.label}, {WORDS[BenchState.FAST]}", "voltage", BenchState.FAST, b.positive_node, b.negative_node)
        for b in circuit.batteries
        if b.positive_node not in joined
    )  # fmt: skip
    # What a sense wire loses the battery gets too much.
    senses = (
        Point(f"sense_v:{a.id}", f"{a.label}: end of the sense wire to case, {WORDS[BenchState.FAST]}", "voltage", BenchState.FAST, a.sense_positive_node, a.case_node, a.id, sense_wire=True)
        for a in circuit.alternators
        if a.sense_positive_node and a.sense_positive_node != a.stud_node
    )  # fmt: skip
    return (*points, stud, *others, *senses, *_both_sides(circuit))


def _both_sides(circuit: Circuit) -> list[Point]:
    """Both sides of every DC-DC charger and voltage link: one that has volts before it and gives none is off, one that has none is not
    fed."""
    negative = circuit.battery.negative_node
    sides = [
        (f"converter_{side}_v:{c.id}", f"{c.label}, {side}put", node, c.ground_node)
        for c in circuit.converters
        for side, node in (("in", c.in_node), ("out", c.out_node))
    ]
    sides += [
        (f"link_{side}_v:{b.id}", circuit.node(node).label, node, negative)
        for b in circuit.branches
        if b.by_voltage and b.settable
        for side, node in (("from", b.from_node), ("to", b.to_node))
    ]
    # At a post that is read already.
    read = {b.positive_node for b in circuit.batteries}
    return [
        Point(name, f"{label}, {WORDS[BenchState.FAST]}", "voltage", BenchState.FAST, red, black, may_float=True)
        for name, label, red, black in sides
        if red not in read
    ]


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    scale = circuit.system_voltage_v / 12
    judgements = []
    for point in _points(circuit):
        read = measured.get(point.id)
        # What a bank beside it, a charger and a link should have depends on its charge: that is for all readings together to say.
        if read is None or point.id.startswith(("other_", "sense_", "converter_", "link_")):
            continue
        dead = against(
            point,
            read,
            limits.of("not_charging"),
            scale,
            "",
            "Not charging.",
            "On a glow-plug diesel wait 60 s after the start and read again; then key-on test, belt, loaded output.",
        )
        if dead.verdict is Verdict.FAIL:
            judgements.append(dead)
        elif point.state in (BenchState.IDLE, BenchState.IDLE_LOADED):
            judgements.append(
                against(
                    point,
                    read,
                    limits.of("idle_loaded"),
                    scale,
                    "Idle output holds the voltage.",
                    "Short of output at idle.",
                    "Budget: do the loads ask for more than the unit gives at this shaft speed? Then belt and pulley.",
                )
            )
        elif point.id == STUD:
            # What lies between it and the battery, and a sense wire, may hold it higher than a battery may ever be.
            usual = limits.of("regulated")
            if usual.least is None:
                continue
            least = BenchLimit(
                least=usual.least,
                exact=usual.exact,
                rule=f"no less at the stud than at the battery: {usual.rule}",
                source=usual.source,
            )
            judgements.append(against(point, read, least, scale, "As much as the battery needs.", "Low at its stud: the alternator, not the wiring.", "Belt, brushes and regulator; ripple."))  # fmt: skip
        else:
            high = read.value > 14.8 * scale
            fails = "Too high: sense wire or regulator." if high else "Too low under load: output, wiring or regulator."
            then = (
                "Sense wire and regulator ground first."
                if high
                else "Read the stud in the same state: good there is wiring, low there is the alternator."
            )
            judgements.append(against(point, read, limits.of("regulated"), scale, "Regulated as it should be.", fails, then))
    return judgements


REGULATED = Procedure(
    80, "regulated", "Regulated voltage", "What the battery sees while driving, and where it falls short.", 6, "idle, then 2000 /min",
    ("running_engine", "never_disconnect"),
    (
        BenchStep("Diesel with glow plugs: wait until they have stopped cycling. Not charging for the first minute is not a fault.", 60),
        BenchStep("Idle, loads off: read. Loads on: read."), BenchStep("2000 /min, loads off: read, each bank beside it, both sides of a DC-DC charger or voltage link, and the end of a sense wire too. Loads on: read, and the stud."),
    ),
    _points, _judge,
)  # fmt: skip

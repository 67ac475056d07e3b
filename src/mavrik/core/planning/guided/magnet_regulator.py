"""Another regulator and rectifier for a permanent-magnet stator."""

from __future__ import annotations

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import BreakerBranch, Circuit
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.editing import with_parts
from mavrik.core.planning.guided.base import Answers, Changed, Guide, Question, amount, number, pick

KINDS = {"series": "Series: opens what is not needed", "shunt": "Shunt: shorts what is not needed"}
BREAKER_A = 30
"""Between regulator and battery. Common practice of the trade, no source."""


def _not_here(circuit: Circuit) -> str:
    return (
        ""
        if circuit.alternator.kind == "permanent_magnet"
        else "Its alternator has a wound field: the regulator sits in it or beside it."
    )


def _asks(circuit: Circuit) -> tuple[Question, ...]:
    low, most = source_table().charge_window_12[circuit.battery.chemistry.value]
    scale = circuit.system_voltage_v / 12
    return (
        pick("kind", "It is a", KINDS, why="A shunt keeps the stator at full current all the time: stator and regulator run hot. A series one does not."),
        number("set_point_v", "Set to", "V", low * scale, most * scale, round((low + most) / 2, 1) * scale, "What suits its battery."),
        pick("breaker", "To the battery", {"yes": f"Through a breaker of {BREAKER_A} A", "no": "Through the fuse that is there"}),
    )  # fmt: skip


def _build(circuit: Circuit, answers: Answers) -> Changed:
    given = {"set_point_v": amount(answers, "set_point_v"), "magnet_regulator": answers["kind"]}
    unit = circuit.alternator.model_copy(update=given)
    made = with_parts(circuit, alternators=(unit, *circuit.alternators[1:]))
    if answers["breaker"] == "yes":
        grow = Growing(made)
        stud = grow.node("breaker_stud", "Breaker stud")
        post = circuit.battery.positive_node
        feed = next((b for b in circuit.branches if post in (b.from_node, b.to_node)), None)
        if feed is not None:
            grow.put("branches", BreakerBranch(id=grow.free("battery_breaker"), label="Battery breaker", from_node=stud, to_node=post, resistance_mohm=1.0, rating_a=BREAKER_A))  # fmt: skip
            larger = grow.done()
            ends = {"to_node": stud} if feed.to_node == post else {"from_node": stud}
            made = with_parts(
                larger, branches=tuple(b.model_copy(update=ends) if b.id == feed.id else b for b in larger.branches)
            )
    heat = (
        "A series regulator lets the stator's voltage rise while it opens: only one made for this stator."
        if answers["kind"] == "series"
        else "A shunt regulator sits in the wind, on bare metal, with paste: it makes heat whatever is on."
    )
    return Changed(
        made,
        (
            "Before: three AC phases equal with the plug open, none to ground.",
            "12 AWG on the AC side, 10 AWG to the battery, sealed connectors. Check the gender of every connector before ordering.",
            heat,
            "After: over 14 V at the battery. The order of the phases does not matter.",
        ),
    )


MAGNET_REGULATOR = Guide(
    50, "magnet_regulator", "Swap a magnet regulator", "Series or shunt, its set point, a breaker to the battery.", _not_here, _asks, _build,
    compares="kind",
)  # fmt: skip

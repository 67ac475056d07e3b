"""Switches and relay contacts: resistance closed, nothing open, and what they switch."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.limits import limit_table, most_excess_ohm
from mavrik.core.measuring.readings import Measured
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.operating.prediction import at_rated_output, predict_what_can_be
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure, against, plainly
from mavrik.core.procedures.bench_limits import BenchLimit, Limits


def _points(circuit: Circuit) -> tuple[Point, ...]:
    points: list[Point] = []
    for b in circuit.branches:
        if b.settable and not (b.protects or b.by_voltage) and b.conducts:
            points += [
                Point(f"contact_ohm:{b.id}", f"{b.label}: resistance closed", "resistance", BenchState.KEY_ON, b.from_node, b.to_node, b.id),
                Point(f"opens:{b.id}", f"{b.label}: open, what it feeds is dead", "yes_no", BenchState.KEY_ON, element=b.id, indicator="opens", own_rule=True),
                Point(f"closes:{b.id}", f"{b.label}: closed, it all works", "yes_no", BenchState.KEY_ON, element=b.id, indicator="closes", own_rule=True),
            ]  # fmt: skip
    return tuple(points)


WHOLE_MOHM = 10.0
"""From here on it is said without decimals."""


SMALL_TIMES = 2.0
"""A small contact may have this times what it has when sound. Our choice."""


@lru_cache(maxsize=64)
def _rated_currents(circuit: Circuit) -> Mapping[str, float]:
    return predict_what_can_be(circuit, at_rated_output(circuit)).current_a


def _limit(circuit: Circuit, switch: str, limits: Limits) -> BenchLimit:
    """What a contact may have closed: the milliohm of the trade, more for a small one that never had so little, and less where so much
    current passes it that this would be a heater."""
    limit = limits.of("contact")
    if limit.most is None or limit.exact:
        return limit
    sound = circuit.branch(switch).sound_resistance_ohm(20.0)
    if SMALL_TIMES * sound > limit.most:
        rule = f"{SMALL_TIMES * sound * 1000:.2g} mΩ, twice what it has when sound: a milliohm is asked of what carries a battery's current"
        limit = limit.model_copy(
            update={"most": SMALL_TIMES * sound, "rule": rule, "source": "Our choice; the maker's figure wins"}
        )
    amps = abs(_rated_currents(circuit)[switch])
    most = sound + most_excess_ohm(amps)
    if limit.most is None or most >= limit.most:
        return limit
    table = limit_table()
    rule = f"{most * 1000:.2g} mΩ: {table.hot_joint_w:g} W more than a sound one at the {amps:.0f} A that pass it at rated output"
    return limit.model_copy(update={"most": most, "rule": rule, "source": table.hot_joint_source})


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    judgements = []
    for point in _points(circuit):
        read = measured.get(point.id)
        if read is None:
            continue
        if point.quantity == "resistance":
            shown = point.kind.shown(read.value)
            words = f"{shown:.0f} mΩ closed." if shown >= WHOLE_MOHM else f"{shown:.2g} mΩ closed."
            judgements.append(
                against(
                    point,
                    read,
                    _limit(circuit, point.element, limits),
                    1,
                    words,
                    f"{words} It heats under load.",
                    "Work it twenty times and read again; the same: replace it.",
                )
            )
        else:
            opens = point.indicator == "opens"
            judgements.append(
                plainly(
                    point, read, "closed it starts, open it is dead", "It does what it is for.",
                    "Something feeds past it." if opens else "It does not connect.",
                    "Find the second path: a lead on the wrong stud, or a source beyond the switch." if opens else "Its coil, its feed, its contacts.",
                )
            )  # fmt: skip
    return judgements


SWITCHES = Procedure(
    60, "switches", "Switches and contacts", "A switch has two jobs: to lose nothing closed, and to let nothing pass open.", 6, "off, key as each needs",
    ("jewellery", "never_disconnect"),
    (
        BenchStep("Closed: the drop across its studs over the current through it, or a milliohm meter: about 1 mΩ or less."),
        BenchStep("Open with the engine off: is everything dead that should be? Whether it stops a running engine is a test of its own: never with a lead that feeds electronics."),
    ),
    _points, _judge,
)  # fmt: skip

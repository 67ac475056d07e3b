"""Loaded output: what the alternator can give, with the battery pulled down to 12.0 V by a load bank."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState, joined_by_metal
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.operating.prediction import FAST_RPM
from mavrik.core.procedures.base import NOTED_RPM, BenchStep, Judgement, Point, Procedure
from mavrik.core.procedures.bench_limits import Limits

HOT_C = 60.0

NEAR = 0.15
"""An engine is held at the speed that is asked for to within this share. Our choice, no source."""

AT_SPEED = "Hold the engine at 2000 /min and read again: a unit that is weak at speed may be whole at another."


@lru_cache(maxsize=64)
def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(
            f"output_a:{a.id}",
            f"{a.label}: output at 2000 /min, battery at 12.0 V",
            "current",
            BenchState.FULL_OUTPUT,
            element=a.id,
        )
        for a in circuit.alternators
        # One behind a link or diode is loaded at its own battery, in a run of its own circuit.
        if a.stud_node in joined_by_metal(circuit) or a is circuit.alternator
    )


def _share(read_a: float, able_a: float, where: str) -> str:
    # So slow an engine does not excite it.
    return (
        f"It gives {read_a / able_a:.0%} of what it should{where}." if able_a > 0 else f"Nothing is to be expected of it{where}."
    )


def _judge(circuit: Circuit, measured: Mapping[str, Measured], limits: Limits) -> list[Judgement]:
    limit = limits.of("output_share")
    assert limit.least is not None
    judgements = []
    for a in circuit.alternators:
        read = measured.get(f"output_a:{a.id}")
        if read is None:
            continue
        noted = measured.get(NOTED_RPM)
        engine = FAST_RPM if noted is None else noted.value
        at_speed = abs(engine - FAST_RPM) <= NEAR * FAST_RPM
        shaft = engine * a.pulley_ratio
        able = float(unit_output_a(a, shaft, HOT_C))
        # A maker's window is one at the speed that is asked for.
        window = limits.maker.get("output") if at_speed else None
        least = limit.least * able if window is None or window.least is None else window.least
        rule = f"{limit.rule}: {least:.0f} A of {able:.0f} A at {shaft:.0f} /min of the shaft"
        if window is not None:
            rule = f"{least:g} A or more by the maker; without it: {limit.rule}"
        verdict = (
            Verdict.PASS
            if read.value - read.uncertainty >= least
            else Verdict.FAIL
            if read.value + read.uncertainty < least
            else Verdict.CLOSE
        )
        judgements.append(
            Judgement(
                f"output_a:{a.id}", f"{a.label}: output", read.value, read.uncertainty, "current", verdict,
                rule, limit.source if window is None else "The maker's figures",
                _share(read.value, able, "" if at_speed else f" at {engine:.0f} /min"),
                AT_SPEED if not at_speed else "" if verdict is Verdict.PASS else "Belt and tensioner first, then ripple: an open diode or a lost phase shows there.",
            )
        )  # fmt: skip
    return judgements


FULL_OUTPUT = Procedure(
    90, "full_output", "Loaded output", "Condemn nothing on one reading: this is the one that says whether the unit can.", 5, "2000 /min",
    ("running_engine", "never_disconnect", "load_time"),
    (
        BenchStep("Clamp on the output wire, arrow to the battery; buried unit: round all negative leads. Zero the clamp: 0.1 A left is fine, 20 A is a false reading."),
        BenchStep("Range well above the rating: change the range rather than peg the meter."),
        BenchStep("2000 /min. Load bank up until the battery falls to 12.0 V; read the amperes.", 15, orders_off=True),
        BenchStep("Load off. Let the battery recover, the bank cool."),
    ),
    _points, _judge,
)  # fmt: skip

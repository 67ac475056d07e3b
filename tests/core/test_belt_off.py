"""A belt that is off or broken: the unit gives nothing, and is not what is broken. Common practice of the trade, no source."""

from __future__ import annotations

import numpy as np
import pytest

from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings import Findings
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.findings.likelihood import chance_of_yes, slip_density
from mavrik.core.measuring.readings import Measured, Reading, Run
from mavrik.core.operating.bench_states import Setup
from mavrik.core.procedures import complete_run, procedure
from tests.build import judged

CAR = build_layout("front_battery", 12)
NOT_CHARGING = {"regulated_v:idle": 12.3, "regulated_v:idle_loaded": 12.0, "regulated_v:fast": 12.3, "regulated_v:fast_loaded": 12.0, "regulated_stud_v": 12.0}  # fmt: skip
BELT, ROTOR = "belt_off:alternator", "field_open:alternator"


def found(**tests: dict[str, float]) -> Findings:
    runs = (
        complete_run(CAR, Run(procedure=name, readings=tuple(Reading(point=p, value=v) for p, v in read.items())))
        for name, read in tests.items()
    )
    return judged(CAR, *runs)


def likely(findings: Findings) -> dict[str, float]:
    return {c.cause: c.probability for c in findings.causes}


@pytest.mark.long(but=3)
@pytest.mark.parametrize(
    ("belt", "lamp", "shaft", "first", "at_least"),
    [(0, 1, 0, BELT, 0.99), (1, 0, 2080, ROTOR, 0.99), (0, 1, None, BELT, 0.9), (0, None, None, BELT, 0.5), (None, 0, None, ROTOR, 0.95), (1, None, None, ROTOR, 0.9)],
)  # fmt: skip
def test_belt_lamp_and_shaft_part_it_from_a_unit_without_a_field(
    belt: int | None, lamp: int | None, shaft: float | None, first: str, at_least: float
) -> None:
    tests: dict[str, dict[str, float]] = {"regulated": NOT_CHARGING}
    if belt is not None:
        tests["visual"] = {"belt:alternator": belt}
    if lamp is not None:
        tests["key_on"] = {"lamp:alternator": lamp}
    if shaft is not None:
        tests["idle_output"] = {"engine_rpm": 800.0, "shaft_rpm:alternator": shaft, "idle_a:alternator": 0.0}
    causes = likely(found(**tests))
    assert causes[first] == max(causes.values()) > at_least, causes


def test_volts_alone_do_not_part_them() -> None:
    causes = likely(found(regulated=NOT_CHARGING))
    assert causes[ROTOR] > causes[BELT] > 0.1


def test_a_tachometer_that_shows_nothing_condemns_nothing_by_itself() -> None:
    """It may have lost its mark; where amperes come out, it has."""
    alone = found(idle_output={"engine_rpm": 800.0, "shaft_rpm:alternator": 0.0})
    assert likely(alone)[BELT] < 0.8
    giving = found(idle_output={"engine_rpm": 800.0, "shaft_rpm:alternator": 0.0, "idle_a:alternator": 30.0})
    assert BELT not in likely(giving) or likely(giving)[BELT] < 0.05
    assert "pulley speed by tachometer (0 /min)" in giving.headline.text


def test_a_shaft_that_stands_is_predicted_with_a_slope_of_nothing() -> None:
    shaft = next(p for p in procedure("idle_output").points(CAR) if p.indicator == "shaft")
    suspects = [h for h in hypotheses(CAR) if h.causes[0] in ("none:", BELT)]
    model = BenchModel(CAR)
    seen, slopes = model.slopes([(shaft, Setup(shaft.state))], suspects, model.unknowns.rows(suspects))
    assert seen[0, 0] > 1500 and seen[1, 0] == 0
    assert slopes[0].any() and not slopes[1].any()


def test_nobody_takes_a_belt_that_is_gone_for_one_that_is_tight() -> None:
    belt = next(p for p in procedure("visual").points(CAR) if p.id == "belt:alternator")
    slips, off = (next(h for h in hypotheses(CAR) if h.causes[0] == c) for c in ("belt_slips:alternator", BELT))
    tight = chance_of_yes(belt, np.array([h.indications["belt", "alternator"] for h in (slips, off)]))
    assert 0 < tight[1] < tight[0] / 3


def test_a_slip_of_a_tachometer_reads_nothing_more_often_than_anything_else() -> None:
    shaft, amps = (
        next(p for p in procedure("idle_output").points(CAR) if p.id == i) for i in ("shaft_rpm:alternator", "idle_a:alternator")
    )
    assert slip_density(shaft, Measured(0.0, 5.0)) > 50 * slip_density(shaft, Measured(700.0, 5.0)) == 50 * slip_density(shaft)
    assert slip_density(amps, Measured(0.0, 0.5)) == slip_density(amps)

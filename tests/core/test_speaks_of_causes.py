"""What tests read beside their main question speaks of the causes, too: it was judged by its own rule, while the causes did not know.

Common practice of the trade, no source: a conductance tester, the ammeter before fuses are pulled, the phases of a stator with magnets,
and volts over the set point during a drop test each point at a part.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.findings import Findings
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.findings.next_reading import _left
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.operating.bench_states import Setup
from mavrik.core.procedures import PROCEDURES, complete_run, procedure
from tests.build import inferred, judged

CAR, MOTORCYCLE = build_layout("front_battery", 12), build_layout("motorcycle", 12)
PHASES = ("phase_v:1-2", "phase_v:2-3", "phase_v:3-1")


def run(test: str, read: Mapping[str, float], circuit: Circuit = CAR) -> Run:
    return complete_run(circuit, Run(procedure=test, readings=tuple(Reading(point=p, value=v) for p, v in read.items())))


def found(test: str, read: Mapping[str, float], circuit: Circuit = CAR) -> Findings:
    return judged(circuit, run(test, read, circuit))


def likely(findings: Findings) -> dict[str, float]:
    return {c.cause: c.probability for c in findings.causes}


@pytest.mark.parametrize(
    ("test", "read", "cause", "at_least", "circuit"),
    [
        ("battery_load", {"tester_cca:battery": 250.0}, "weak_battery:battery", 0.5, CAR),
        ("fuse_steps", {"drain_before": 0.8, "without_box:3": 0.03}, "drain:battery", 0.6, CAR),
        ("permanent_magnet", dict(zip(PHASES, (45.0, 45.0, 12.0), strict=True)), "phase_lost:alternator", 0.5, MOTORCYCLE),
        ("permanent_magnet", {"magnet_dc_v": 16.5}, "regulator_high:alternator", 0.7, MOTORCYCLE),
        ("charging_drops", {"charge_a:alternator": 60.0, "stud_v": 16.3, "battery_v": 16.0, "feed_v": 0.12}, "regulator_high:alternator", 0.9, CAR),
    ],
    ids=["conductance", "before the fuses", "phases", "magnets overcharge", "over the set point"],
)  # fmt: skip
def test_it_points_at_the_part(test: str, read: dict[str, float], cause: str, at_least: float, circuit: Circuit) -> None:
    findings = found(test, read, circuit)
    assert findings.causes[0].cause == cause and findings.causes[0].probability > at_least
    assert "No cause" not in findings.headline.text and findings.nothing_broken < 0.3


@pytest.mark.parametrize(
    ("test", "read", "circuit"),
    [
        ("battery_load", {"tester_cca:battery": 600.0}, CAR),
        ("fuse_steps", {"drain_before": 0.025}, CAR),
        ("permanent_magnet", dict(zip(PHASES, (45.0, 44.0, 46.0), strict=True)), MOTORCYCLE),
        ("permanent_magnet", {"magnet_dc_v": 14.4}, MOTORCYCLE),
        ("charging_drops", {"charge_a:alternator": 60.0, "stud_v": 14.6, "battery_v": 14.4, "feed_v": 0.12}, CAR),
        ("charging_drops", {"charge_a:alternator": 60.0, "stud_v": 13.0, "battery_v": 12.8, "feed_v": 0.12}, CAR),
    ],
)  # fmt: skip
def test_what_is_as_it_should_be_condemns_nothing(test: str, read: dict[str, float], circuit: Circuit) -> None:
    findings = found(test, read, circuit)
    assert findings.causes[0].cause == "none:" and max(p for c, p in likely(findings).items() if c != "none:") < 0.3


def test_how_much_too_high_is_what_was_read() -> None:
    high = found("charging_drops", {"charge_a:alternator": 60.0, "stud_v": 15.2, "battery_v": 15.0, "feed_v": 0.12})
    assert high.causes[0].cause == "regulator_high:alternator" and high.causes[0].magnitude == "about +0.8 V"


def test_a_tester_beside_a_load_test_says_whether_it_is_the_resistance() -> None:
    """A battery that sags under its load and conducts as it should lacks a cell."""
    load = run("battery_load", {"load_v:battery": 8.9})

    def with_tester(*shown: float) -> Findings:
        return judged(CAR, load, *(run("battery_load", {"tester_cca:battery": a}) for a in shown))

    alone, agrees, denies = likely(with_tester()), likely(with_tester(200.0)), likely(with_tester(640.0))
    weak, dead = "weak_battery:battery", "dead_cell:battery"
    assert agrees[weak] > alone[weak] + 0.1 > 0.5 > denies.get(weak, 0.0)
    assert denies[dead] > 0.5 > alone[dead] > agrees.get(dead, 0.0)


def test_a_test_that_was_made_is_not_what_to_do_next() -> None:
    """The plough's battery had been under load, 99 % sure that it is weak, and next came: load test."""
    sags = run("cranking", {"cranking_v:battery": 7.2})
    loaded = run("battery_load", {"load_v:battery": 6.4})

    def advice(*runs: Run) -> str:
        return next(c.advice for c in judged(CAR, *runs).causes if c.cause == "weak_battery:battery")

    assert advice(sags).startswith("Load or conductance test")
    assert advice(sags, loaded).startswith("Charge it fully and load it once more")
    of_it = judged(CAR, sags, loaded, run("battery_load", {"tester_cca:battery": 130.0})).headline
    assert "Weak battery" in of_it.text and of_it.next_step.startswith("Charge it fully and load it once more")


def test_what_is_advised_first_is_a_test_of_some_vehicle() -> None:
    later = {kind: fault.once_read for kind, fault in fault_table().faults.items() if fault.once_read is not None}
    circuits = [build_layout(layout.name, 12) for layout in LAYOUTS]
    asked = {p.id.partition(":")[0] for c in circuits for of in PROCEDURES for p in of.points(c)}
    assert later and all(set(of.points) <= asked for of in later.values())


def test_a_conductance_tester_shows_what_goes_with_the_conductance() -> None:
    """Against the document's own rating: a battery of three times its resistance shows a third."""
    point = next(p for p in procedure("battery_load").points(CAR) if p.id == "tester_cca:battery")
    suspects = [hypotheses(CAR)[0]] * 2
    model = BenchModel(CAR)
    at = model.unknowns.place[What.OHM_SHARE, "battery"]
    times = 3.0
    rows = np.tile(model.unknowns.centre, (2, 1))
    rows[1, at] += np.log(times)
    shown, slopes = model.slopes([(point, Setup(point.state))], suspects, rows)
    assert shown[:, 0] == pytest.approx([640.0, 640.0 / times], rel=1e-6)
    step = 1e-6
    for k in np.flatnonzero(slopes[0, 0]).tolist():
        moved = rows.copy()
        moved[:, k] += step
        assert (model.predict([(point, Setup(point.state))], suspects, moved)[:, 0] - shown[:, 0]) / step == pytest.approx(
            slopes[:, 0, k], rel=1e-4
        )


def test_what_another_test_asks_for_too_is_no_reason_to_make_this_one() -> None:
    posterior = inferred(CAR, [])
    assert not _left(posterior, frozenset(), procedure("fuse_steps"))
    assert [p.id for p in _left(posterior, frozenset(), procedure("battery_load"))] == ["load_v:battery"]


def test_phases_that_are_not_all_read_or_too_close_to_call_say_nothing() -> None:
    for volts in ((45.0, 12.0), (45.0, 45.0, 38.4)):
        read = dict(zip(PHASES, volts, strict=False))
        assert not inferred(MOTORCYCLE, [run("permanent_magnet", read, MOTORCYCLE)]).evidence


def test_of_what_only_may_have_too_much_the_likeliest_is_named_first() -> None:
    findings = found("charging_drops", {"charge_a:alternator": 60.0, "stud_v": 14.4, "feed_v": 0.15, "return_v": 0.06})
    sets = [
        max(likely(findings).get(f"resistance:{b}", 0.0) for b in u.branch_ids)
        for u in findings.undecided
        if len(u.branch_ids) == 1
    ]
    assert len(sets) > 1 and sets == sorted(sets, reverse=True)

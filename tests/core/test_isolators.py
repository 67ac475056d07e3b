"""Isolators: what their ways lose, whether they are open, and whether they still block."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.changes import What
from mavrik.core.findings.hypotheses import contradictory, hypotheses
from mavrik.core.findings.unknowns import Unknowns
from mavrik.core.findings.words import label_of
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.prediction import at_output, predict
from mavrik.core.procedures import PROCEDURES, BenchState, Setup, procedure
from mavrik.core.procedures.base import Limits
from mavrik.standin.vehicle import HiddenVehicle, with_starter
from tests.build import judged, runs_of

BOAT = with_starter(build_layout("boat_isolator", 12))


def with_transistors(circuit: Circuit) -> Circuit:
    """The same with an isolator of transistors."""
    document = circuit.model_dump(mode="json")
    for b in document["branches"]:
        if b["kind"] == "diode":
            b |= {"kind": "mosfet", "forward_v": 0.02, "resistance_mohm": 0.4}
    return Circuit.model_validate(document)


def found_on(circuit: Circuit, cause: str) -> Findings:
    """What is found where everything is read on a vehicle with a cause of the catalogue."""
    hidden = next(h for h in hypotheses(circuit) if h.causes == (cause,))
    vehicle = HiddenVehicle(circuit, hidden, np.random.default_rng(3))
    return judged(circuit, *runs_of(vehicle, vehicle.everything()))


def test_a_forward_voltage_takes_its_share_of_what_lies_behind_it() -> None:
    """A divider by hand: i = (12 - Vf) / (1 + 0.5 + 2)."""
    parts = [net.EmfSource("e", "p", "n", 12.0, 1.0), net.Diode("d", "p", "q", 0.7, 0.5), net.Resistor("r", "q", "n", 2.0)]
    probed = net.Network(parts, "n")
    probes = net.Probes(probed, [net.Across("q", "n"), net.Through("d"), net.Across("p", "q")], [0, 0, 0])
    solved, slopes, _ = probed.solve_with_slopes(probed.values, probes)
    assert probes.read(solved, 1)[:, 0] == pytest.approx([2 * 11.3 / 3.5, 11.3 / 3.5, 0.7 + 0.5 * 11.3 / 3.5])
    assert slopes[0, :, -1] == pytest.approx([-2 / 3.5, -1 / 3.5, 1 - 0.5 / 3.5])
    back = net.Network([replace(p, start="q", end="p") if isinstance(p, net.Diode) else p for p in parts], "n")
    _, blocked, _ = back.solve_with_slopes(back.values, net.Probes(back, [net.Across("q", "n"), net.Through("d")], [0, 0]))
    assert blocked[0, :, -1] == pytest.approx([0, 0])


@pytest.mark.parametrize("state", [BenchState.IDLE_LOADED, BenchState.FAST, BenchState.CRANKING, BenchState.AT_OUTPUT])
def test_readings_follow_a_forward_voltage_as_solving_again_has_it(state: BenchState) -> None:
    model = BenchModel(BOAT)
    setup = Setup(state, output_a=60.0, stud_v=14.6) if state is BenchState.AT_OUTPUT else Setup(state)
    placed = [(p, setup) for of in PROCEDURES for p in of.points(BOAT) if p.state is state and not p.indicator and not p.own_rule]
    sound, u = hypotheses(BOAT)[:1], model.unknowns
    middle = u.priors(sound)[0]
    _, by = model.slopes(placed, sound, middle)
    for way in ("diode_1", "diode_2"):
        k = u.place[What.FORWARD, way]
        ends = []
        for step in (-1e-3, 1e-3):
            rows = middle.copy()
            rows[0, k] += step
            ends.append(model.slopes(placed, sound, rows)[0][0])
        assert by[0, :, k] == pytest.approx((ends[1] - ends[0]) / 2e-3, abs=2e-3), way
    assert np.abs(by[0, :, u.place[What.FORWARD, "diode_1"]]).max() > (0.0 if state is BenchState.CRANKING else 0.1) - 1e-9


def test_what_a_way_has_too_much_is_lost_where_all_of_the_output_passes_it() -> None:
    """Ohm's law: some 70 A through 10 mOhm more are some 0.7 V more."""
    state = at_output(BOAT, 80)
    sound, bad = predict(BOAT, state), predict(BOAT, state, {"diode_2": 0.01})
    more = bad.drop_v["diode_2"] - sound.drop_v["diode_2"]
    assert more == pytest.approx(bad.current_a["diode_2"] * 0.011 - sound.current_a["diode_2"] * 0.001, abs=1e-6)
    assert more > 0.3


def test_silicon_differs_by_a_tenth_of_a_volt_and_transistors_by_some_millivolts() -> None:
    """Common practice, no source: 0.6 to 0.9 V of 0.7 at some tens of amperes; an isolator with transistors holds 20 to 50 mV."""
    for circuit, least, most in ((BOAT, 0.08, 0.13), (with_transistors(BOAT), 0.01, 0.02)):
        u = Unknowns.of(circuit)
        assert least < u.width[u.place[What.FORWARD, "diode_1"]] < most


@pytest.mark.long(but=1)
@pytest.mark.parametrize("way", ["diode_1", "diode_2"])
@pytest.mark.parametrize("kind", ["open", "way_shorted"])
def test_a_way_that_is_open_or_shorted_is_said_to_be(way: str, kind: str) -> None:
    findings = found_on(BOAT, f"{kind}:{way}")
    first, part = findings.causes[0], next(b for b in findings.branches if b.branch_id == way)
    assert (first.cause, first.probability > 0.9) == (f"{kind}:{way}", True)
    assert first.label in findings.headline.text and not findings.doubtful
    assert part.probability is not None and part.probability > 0.9
    if kind == "open":
        # It said "within its limit, but 0.00 mOhm too much".
        assert part.verdict is BranchVerdict.FAIL and part.reason.startswith("It is open, ") and part.excess_ohm is None
        assert part.next_step == first.advice
        # Nothing goes through it: it does not get hot, however much a sound one would.
        assert part.heat_w == 0.0 and part.predicted_heat_w > 1 and abs(part.current_a) < 1
    if kind == "way_shorted":
        # No probe is blamed for what it loses too little.
        assert part.verdict is BranchVerdict.FAIL and "conducts both ways" in part.reason and "forward voltage" in part.reason
        assert first.label.startswith("Conducts both ways")


def test_an_isolator_with_transistors_that_loses_a_little_less_is_not_shorted_for_sure() -> None:
    """Its document is rough: 12 mV where 40 were expected condemn nothing."""
    circuit = with_transistors(BOAT)
    vehicle = HiddenVehicle(circuit, hypotheses(circuit)[0], np.random.default_rng(3))
    read = vehicle.everything()
    read["drop_v:diode_1"] = Measured(0.012, read["drop_v:diode_1"].uncertainty)
    findings = judged(circuit, *runs_of(vehicle, read))
    assert findings.nothing_broken > 0.5 and findings.headline.element != "diode_1"


def test_a_stud_behind_an_isolator_has_nothing_with_the_engine_off() -> None:
    """Common practice, no source: the battery's voltage there is a shorted way."""
    key_on = procedure("key_on")
    asked = {p.id for p in key_on.points(BOAT)}
    assert "key_stud_v:alternator" in asked and not any(i.startswith("key_way_v") for i in asked)
    for volts, verdict in ((0.3, Verdict.PASS), (5.0, Verdict.CLOSE), (12.4, Verdict.FAIL)):
        read = {"key_battery_v": Measured(12.5, 0.05), "key_stud_v:alternator": Measured(volts, 0.05)}
        (of,) = (j for j in key_on.judge(BOAT, read, Limits()) if j.point == "key_stud_v:alternator")
        assert of.verdict is verdict, volts
        assert bool(of.next_step) is (verdict is not Verdict.PASS)


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_a_stud_that_a_battery_is_joined_to_is_asked_for_its_voltage_and_no_other(layout: object) -> None:
    circuit = layout.build(12)  # type: ignore[attr-defined]
    floats = [p.id for p in procedure("key_on").points(circuit) if p.id.startswith("key_stud_v") and p.may_float]
    assert bool(floats) is any(b.kind in ("diode", "mosfet") for b in circuit.branches)


def test_what_voltage_works_is_spoken_of_as_what_it_is() -> None:
    van = build_layout("second_battery_link", 12)
    assert label_of(van, "resistance:link")[0].startswith("Burnt contacts: ")
    assert label_of(BOAT, "resistance:diode_1")[0].startswith("Loses too much: ")
    assert label_of(BOAT, "open:diode_1")[0].startswith("Open inside: ")
    assert label_of(BOAT, "resistance:charge_cable")[0].startswith("Bad contact or cable: ")
    assert "replaced" in BOAT.branch("diode_1").how_to_mend and "replaced" in van.branch("link").how_to_mend


def test_a_way_is_not_open_and_shorted_at_once() -> None:
    assert contradictory(("way_shorted:way", "open:way")) and contradictory(("open:way", "way_shorted:way"))
    assert not contradictory(("way_shorted:way", "open:other"))

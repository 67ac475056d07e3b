"""The bench tests one by one, against figures of the trade (common practice, no source) and on every ready layout."""

from __future__ import annotations

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.findings.bench_model import BenchModel, planned
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.measuring.instruments import Instrument
from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.core.measuring.readings import Measured, Reading, Run
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState, state_of
from mavrik.core.procedures import PROCEDURES, Limits, complete_run, observations, procedure
from mavrik.core.procedures.bench.drain import days_to_flat
from mavrik.standin.vehicle import VEHICLES

CAR = VEHICLES["front"]


def verdict_of(name: str, point: str, value: float, u: float = 0.01, circuit: Circuit = CAR, **others: float):  # type: ignore[no-untyped-def]
    measured = {point: Measured(value, u)} | {k: Measured(v, u) for k, v in others.items()}
    return next(j for j in procedure(name).judge(circuit, measured, Limits()) if j.point == point)


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda x: x.name)
@pytest.mark.parametrize("of", PROCEDURES, ids=lambda p: p.name)
def test_a_sound_vehicle_passes_every_test(layout: object, of: object) -> None:
    """What the solver says of a sound circuit is read, and nothing of it is called a fault; drops go to the drop test."""
    circuit = layout.build(12)  # type: ignore[attr-defined]
    circuit = circuit.model_copy(
        update={"batteries": tuple(b.model_copy(update={"state_of_charge": 1.0}) for b in circuit.batteries)}
    )
    points = [a for a in of.points(circuit) if a.worth_asking]  # type: ignore[attr-defined]
    if not points:
        return
    seen = BenchModel(circuit).predict(planned(points), hypotheses(circuit)[:1])[0]
    assert len({a.id for a in points}) == len(points)
    measured = {a.id: Measured(float(v), 0.0) for a, v in zip(points, seen, strict=True)}
    for judgement in of.judge(circuit, measured, Limits()):  # type: ignore[attr-defined]
        # With a winch or an inverter on, or at idle with everything, a unit is short of volts and amperes without a fault.
        # Sound leads may be too small for the rated output: that is for a proposal, and no fault of theirs.
        if judgement.point.startswith(
            ("feed_v", "return_v", "regulated_v:idle", "regulated_v:fast_loaded", "regulated_stud_v", "net_a_idle", "idle_a:")
        ):
            continue
        if layout.name == "winch" and judgement.point.startswith("net_a_"):  # type: ignore[attr-defined]
            continue
        if len(circuit.alternators) > 1 and judgement.point.startswith("consumers_a:"):
            # Another unit may carry the rest.
            assert judgement.verdict is not Verdict.FAIL, judgement
            continue
        assert judgement.verdict is Verdict.PASS, judgement


@pytest.mark.parametrize(
    ("name", "point", "value", "verdict", "word"),
    [
        ("rest", "rest_v:battery", 12.65, Verdict.PASS, "judge by"),
        ("rest", "rest_v:battery", 12.2, Verdict.FAIL, "not charged"),
        ("rest", "rest_v:battery", 10.4, Verdict.FAIL, "cell"),
        ("cranking", "crank_v", 9.9, Verdict.PASS, "holds"),
        ("cranking", "crank_v", 8.4, Verdict.FAIL, "too far"),
        ("regulated", "regulated_v:fast", 14.3, Verdict.PASS, "Regulated"),
        ("regulated", "regulated_v:fast", 11.5, Verdict.FAIL, "Not charging"),
        ("regulated", "regulated_v:fast_loaded", 15.4, Verdict.FAIL, "sense"),
        ("regulated", "regulated_v:idle_loaded", 13.19, Verdict.CLOSE, "finer"),
        ("ripple", "ripple_vpp:alternator", 0.9, Verdict.FAIL, "diode"),
        ("drain", "drain_a:battery", 0.03, Verdict.PASS, "days"),
        ("drain", "drain_a:battery", 0.9, Verdict.FAIL, "days"),
        ("key_on", "lamp:alternator", 0.0, Verdict.FAIL, "rotor"),
        ("visual", "belt:alternator", 0.0, Verdict.FAIL, "squeals"),
        ("fitted", "plate_a:alternator", 60.0, Verdict.FAIL, "smaller"),
    ],
)
def test_the_trades_figures(name: str, point: str, value: float, verdict: Verdict, word: str) -> None:
    judgement = verdict_of(name, point, value)
    assert judgement.verdict is verdict and word in judgement.why
    assert judgement.limit and judgement.source and (judgement.next_step or verdict is Verdict.PASS)


@pytest.mark.parametrize(
    ("first", "second", "verdict", "words"),
    [
        (
            -1.86,
            1.88,
            Verdict.PASS,
            "Together 0.02 A leave Battery 1, Battery 2. Battery 1 is fed by what lies beside. Flat in about ",
        ),
        (0.04, 0.04, Verdict.FAIL, "Together 0.08 A leave Battery 1, Battery 2. Flat in about "),
        (0.59, 0.82, Verdict.FAIL, "Together 1.4 A leave Battery 1, Battery 2. Flat in about "),
    ],
)
def test_what_leaves_batteries_that_metal_joins_is_the_sum_of_it(
    first: float, second: float, verdict: Verdict, words: str
) -> None:
    """What one feeds the other is no drain, and twice forty milliamperes are eighty."""
    car = build_layout("parallel_batteries", 12)
    read = {"drain_a:battery": Measured(first, 0.003), "drain_a:battery_2": Measured(second, 0.003)}
    both = procedure("drain").judge(car, read, Limits())
    assert [j.verdict for j in both] == [verdict, verdict] and [j.value for j in both] == [first, second]
    assert all(j.why.startswith(words) for j in both), both[0].why
    # By itself one is judged by itself: nobody knows where the rest goes.
    (alone,) = procedure("drain").judge(car, {"drain_a:battery_2": Measured(second, 0.003)}, Limits())
    assert alone.verdict is (Verdict.FAIL if second > 0.05 else Verdict.PASS)


def test_an_old_lead_and_its_replacement() -> None:
    """Cranking, an old lead read 0.55 V and its replacement 0.11 V, against 0.3 V a lead."""
    lead = next(a.id for a in procedure("cranking").points(CAR) if a.quantity == "voltage_drop")
    assert (
        verdict_of("cranking", lead, 0.55).verdict is Verdict.FAIL and verdict_of("cranking", lead, 0.11).verdict is Verdict.PASS
    )
    assert verdict_of("cranking", lead, -0.55).verdict is Verdict.FAIL


def test_an_output_far_under_the_curve_fails() -> None:
    """A 220 A unit that gives 109 A at 2000 /min where some 190 A are its due."""
    unit = CAR.alternator.model_copy(update={"rated_a": 220.0})
    circuit = CAR.model_copy(update={"alternators": (unit,)})
    assert verdict_of("full_output", "output_a:alternator", 109, 3, circuit).verdict is Verdict.FAIL
    assert verdict_of("full_output", "output_a:alternator", 190, 3, circuit).verdict is Verdict.PASS
    assert verdict_of("full_output", "output_a:alternator", 152, 6, circuit).verdict is Verdict.CLOSE


def test_a_dead_stud_with_the_key_on_is_an_open_feed() -> None:
    judgement = verdict_of("key_on", "key_stud_v:alternator", 0.2, key_battery_v=12.5)
    assert judgement.verdict is Verdict.FAIL and "open" in judgement.why


def test_no_volts_at_the_end_of_a_sense_wire_is_an_open_sense_wire() -> None:
    judgement = verdict_of("key_on", "key_sense_v:alternator", 0.1, circuit=VEHICLES["sensed"], key_battery_v=12.5)
    assert judgement.verdict is Verdict.FAIL and "sense wire" in judgement.why and "sense wire" in judgement.next_step


def test_volts_double_on_24_v() -> None:
    circuit = build_layout("front_battery", 24)
    assert verdict_of("regulated", "regulated_v:fast", 28.4, 0.05, circuit).verdict is Verdict.PASS
    assert "24 V" in verdict_of("regulated", "regulated_v:fast", 28.4, 0.05, circuit).limit
    assert verdict_of("regulated", "regulated_v:fast", 14.2, 0.05, circuit).verdict is Verdict.FAIL


def test_days_to_flat_by_hand() -> None:
    """Half of 70 Ah usable, 35 Ah at 60 mA: 583 h."""
    assert days_to_flat(70, 1.0, 0.06) == pytest.approx(35 / 0.06 / 24)
    assert days_to_flat(70, 0.4, 0.06) == 0


def test_the_bank_pulls_more_than_any_unit_gives() -> None:
    for circuit in VEHICLES.values():
        bank = state_of(BenchState.FULL_OUTPUT, circuit).bank
        assert bank is not None and bank.current_a > 1.5 * circuit.alternator.rated_a


def test_a_reading_is_as_good_as_its_meter() -> None:
    """0.5 % and 2 digits of 10 mV at 12.5 V: 82.5 mV at most, 95 mV expanded. JCGM 100, 4.3.7."""
    meter = Instrument(id="m", label="M", kind="voltmeter", percent_of_reading=0.5, digits=2, resolution=0.01)
    run = Run(procedure="rest", readings=(Reading(point="rest_v:battery", value=12.5, instrument="m"),), instruments=(meter,))
    (known,) = observations(CAR, [(0, complete_run(CAR, run))])
    assert known.measured.uncertainty == pytest.approx(2 * 0.0825 / 3**0.5)
    (bare,) = observations(
        CAR, [(0, complete_run(CAR, Run(procedure="rest", readings=(Reading(point="rest_v:battery", value=12.5),))))]
    )
    assert bare.measured.uncertainty > known.measured.uncertainty


def test_a_typed_value_has_the_guard_band_of_the_meter_that_is_named() -> None:
    """Two multimeters on the bench: each reading is as good as its own."""
    coarse = Instrument(id="coarse", label="C", kind="voltmeter", percent_of_reading=2, digits=5, resolution=0.1)
    fine = Instrument(id="fine", label="F", kind="voltmeter", percent_of_reading=0.1, digits=1, resolution=0.001)
    for name, u in (("coarse", 2 * (0.25 + 0.5) / 3**0.5), ("fine", 2 * (0.0125 + 0.001) / 3**0.5)):
        reading = Reading(point="rest_v:battery", value=12.5, instrument=name)
        kept = complete_run(CAR, Run(procedure="rest", readings=(reading,), instruments=(coarse, fine))).readings[0]
        assert kept.uncertainty == pytest.approx(u)


def test_loads_come_off_after_fifteen_seconds() -> None:
    timed = [s for s in procedure("full_output").steps if s.orders_off]
    assert [s.seconds for s in timed] == [15]


def test_every_point_has_a_quantity_of_the_registry() -> None:
    circuits = (CAR, VEHICLES["car"], build_layout("motorcycle", 12), build_layout("tow_and_trailer", 12))
    quantities = {a.quantity for c in circuits for p in PROCEDURES for a in p.points(c)}
    assert quantities <= set(QUANTITIES)


def test_a_plate_is_read_by_eye_and_a_current_by_the_clamp() -> None:
    """The record names the meter that read a value, and none where no meter did."""
    by_ask = {a.id: a.meter for p in PROCEDURES for a in p.points(CAR)}
    assert by_ask["plate_a:alternator"] == by_ask["lamp:alternator"] == by_ask["belt:alternator"] == ""
    assert by_ask["output_a:alternator"] == "clamp"
    assert by_ask["rest_v:battery"] == "voltmeter" and by_ask["ripple_vpp:alternator"] == "oscilloscope"


def test_a_temperature_that_nobody_noted_is_not_recorded() -> None:
    assert Run(procedure="rest").ambient_c is None

"""Days and weeks of a use: against closed forms, the trade's charging times, and what has to be conserved."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.planning.simulation import (
    MOST_POINTS,
    SimulationRequest,
    SimulationView,
    course,
    day_of,
    simulate,
    simulate_together,
)
from mavrik.core.planning.use import Consumer, Scene, UseProblemError, UseRequest, usual_use

CAR = build_layout("front_battery", 12)
QUIET: dict[str, Any] = {"starts_a_day": 0, "asleep_a": 0, "coldest_c": 25, "warmest_c": 25}


def run(circuit: Circuit, request: UseRequest, **how: Any) -> SimulationView:
    return simulate(circuit, request, SimulationRequest(**{"days": 1, "runs": 1, **how}))


def charging(hours: float = 24.0, **changes: Any) -> UseRequest:
    return UseRequest(scenes=(Scene(label="Run", engine_rpm=6000, hours_a_day=hours),), **{**QUIET, **changes})


def car(**battery: Any) -> Circuit:
    document = CAR.model_dump(mode="json")
    document["batteries"] = [{**document["batteries"][0], **battery}]
    document["alternators"][0]["rated_a"] = 500
    return Circuit.model_validate(document)


def test_charging_at_constant_voltage_tapers_as_the_closed_form_says() -> None:
    """A resistance in series with an open-circuit voltage linear in charge: 1 - s falls with exp(-t / (R dQ/dV)).

    The battery's own 300 mohm govern between 50 and 75 %, where BCI's rest voltages rise by 0.84 V a whole charge; of what goes in
    0.85 stays. The way there adds its milliohms.
    """
    vehicle = car(internal_mohm=300, state_of_charge=0.5)
    seen = run(vehicle, charging(state_of_charge=0.5), days=0.25)
    charge = np.array(seen.curves[0].nominal)
    hours = np.array(seen.time_h)
    inside = (charge > 0.51) & (charge < 0.745)
    slope, capacity, efficiency = 0.84, 70.0, source_table().charge_efficiency["flooded"]
    way = sum(
        b.sound_resistance_ohm(40) for b in vehicle.branches if b.id in ("charge_cable", "charge_fuse", "battery_lead", "mount")
    )
    ground = vehicle.branch("block_ground").sound_resistance_ohm(40)
    beside = sum(vehicle.branch(b).sound_resistance_ohm(40) for b in ("body_ground", "engine_strap"))
    ohm = 0.3 + way + ground * beside / (ground + beside)
    # ds/dt = efficiency (V - 12.24 - 0.84 (s - 0.5)) / (R C): towards s_end with the time constant R C / (efficiency 0.84).
    tau = ohm * capacity / (efficiency * slope)
    end = 0.5 + (14.4 - 12.24) / slope
    expected = end - (end - 0.5) * np.exp(-hours / tau)
    assert inside.sum() > 20 and np.abs(charge - expected)[inside].max() < 0.003


def lithium(units: int, capacity_ah: float, amps: float) -> Circuit:
    """A bank that takes all it is given, on a source of so many amperes when hot, at any speed."""
    document = CAR.model_dump(mode="json")
    bank = {"chemistry": "lifepo4", "capacity_ah": capacity_ah, "parallel": units, "internal_mohm": 2.0, "state_of_charge": 0.05}
    document["batteries"] = [{**document["batteries"][0], **bank}]
    curve = [{"shaft_rpm": r, "output_a": amps} for r in (0, 20_000)]
    document["alternators"] = [{**document["alternators"][0], "rated_a": amps, "curve": curve, "set_point_v": 14.4}]
    return Circuit.model_validate(document)


@pytest.mark.parametrize(
    ("units", "capacity_ah", "net_a", "begin", "hours", "within"),
    [(5, 320.0, 2880 / 12.8, 0.05, 7.0, 0.12), (2, 320.0, 2880 / 12.8, 0.10, 2.5, 0.12), (1, 120.0, 47.5, 0.05, 2.7, 0.15)],
)
def test_charging_times_the_trade_knows(
    units: int, capacity_ah: float, net_a: float, begin: float, hours: float, within: float
) -> None:
    """Common practice: 20,480 Wh at 2,880 W net in about 7 h; two batteries from 10 % in 2.5 h; 120 Ah in under 3 h at 45 to 50 A."""
    bank = lithium(units, capacity_ah, net_a / 0.85)  # the table's hot unit gives 0.85 of its curve
    seen = run(bank, charging(state_of_charge=begin), days=0.6)
    full = seen.batteries[0].full_after_h
    assert full is not None and full == pytest.approx(hours, rel=within)


def test_parked_it_loses_what_is_drawn_and_no_longer_starts_when_half_empty() -> None:
    """1.4 A out of 70 Ah are 2 % an hour; from 80 % half is left after 15 h, and nothing after 40: no more is taken than there was."""
    use = UseRequest(scenes=(), **{**QUIET, "asleep_a": 1.4, "state_of_charge": 0.8})
    seen = run(CAR, use, days=2)
    assert seen.no_start_after_d == pytest.approx(15 / 24, rel=0.01) and seen.no_start_share == 1
    assert seen.headline.startswith("No start within a day") and seen.used_ah == pytest.approx(0.8 * 70, rel=0.01)


def test_starts_take_what_they_take() -> None:
    """Ten starts a day of 2 s at 180 A are one ampere-hour."""
    use = UseRequest(
        scenes=(Scene(label="Off", engine_rpm=0, hours_a_day=24),), **{**QUIET, "starts_a_day": 10, "crank_a": 180, "crank_s": 2}
    )
    assert sum(leg.starts for leg in day_of(use)) == 0, "without a scene with the engine on nothing is started"
    short = Scene(label="Move", engine_rpm=600, hours_a_day=0.01)
    use = use.model_copy(update={"scenes": (short,)})
    seen = run(CAR, use)
    assert seen.batteries[0].end_charge == pytest.approx(0.8 - 1 / 70, abs=0.003)


def test_a_regulator_that_begins_anew_at_each_start_overcharges_a_full_bank_and_one_that_hears_it_does_not() -> None:
    """Common practice: timed regulators restart bulk at every engine start and overcharge a full bank."""
    trips = UseRequest(
        scenes=(Scene(label="Trip", engine_rpm=2500, hours_a_day=10),),
        **{**QUIET, "starts_a_day": 8, "crank_a": 150, "state_of_charge": 1.0},
    )
    over = {how: run(CAR, trips, days=2, regulator=how).batteries[0].overcharged_h for how in ("fixed", "timed", "hears")}
    assert over["fixed"] > over["hears"] + 5 and over["timed"] > over["hears"] + 5 and over["hears"] < 1
    assert run(CAR, trips, days=2, regulator="timed", bulk_h=0.2).batteries[0].overcharged_h < over["timed"] / 3


def test_a_hot_alternator_gives_less() -> None:
    """At its limit it warms up by its own losses, and the table takes 15 % off at 100 degC."""
    loaded = UseRequest(
        consumers=(Consumer(label="Fans", current_a=60),),
        scenes=(Scene(label="Idle", engine_rpm=800, hours_a_day=2, on=("Fans",)),),
        **QUIET,
    )
    seen = run(CAR, loaded)
    output = next(c for c in seen.curves if c.name == "output_a").nominal
    warm = next(c for c in seen.curves if c.name == "alternator_c").nominal
    assert max(output) < 45 * 0.93 and max(warm) > 80


@settings(max_examples=12)
@given(layout=st.sampled_from(LAYOUTS), amps=st.floats(0.5, 50), charge=st.floats(0.3, 1.0), seed=st.integers(0, 5))
def test_nothing_is_lost_or_made_of_nothing(layout: Any, amps: float, charge: float, seed: int) -> None:
    """What is stored is what the batteries' charge moved by; what is made is used or goes in; charge stays between 0 and 1."""
    circuit = layout.build(12)
    use = usual_use(circuit, [("Lamps", amps)]).model_copy(update={"state_of_charge": charge})
    seen = run(circuit, use, days=0.5, runs=3, seed=seed)
    moved = sum(
        (b.end_charge - b.start_charge) * x.capacity_ah * x.parallel
        for b, x in zip(seen.batteries, circuit.batteries, strict=True)
    )
    assert seen.stored_ah == pytest.approx(moved, abs=0.02)
    assert seen.made_ah >= -1e-6 and seen.used_ah >= -0.01
    # Of what goes in some is lost, so that never more is stored than was made over what was used.
    assert seen.stored_ah <= seen.made_ah - seen.used_ah + 0.02
    for curve in seen.curves:
        assert len(curve.nominal) == len(seen.time_h) <= MOST_POINTS
        assert all(a - 1e-6 <= b for a, b in zip(curve.low, curve.high, strict=True))
    assert all(0 <= v <= 1 for c in seen.curves if c.name == "charge" for v in (*c.low, *c.high))


def test_the_same_seed_gives_the_same_curves_and_another_does_not() -> None:
    use = usual_use(CAR, [("Lamps", 30.0)])
    first, again, other = (run(CAR, use, days=2, runs=8, seed=s) for s in (3, 3, 4))
    assert first == again and first.curves[0].low != other.curves[0].low
    # The nominal vehicle is the same whatever the seed, but for the steps, which the fastest of all sets.
    assert first.curves[0].nominal == pytest.approx(other.curves[0].nominal, abs=3e-3)
    assert first.curves[0].low != first.curves[0].high


def test_the_steps_are_fine_enough(monkeypatch: pytest.MonkeyPatch) -> None:
    """With steps a quarter as long the charge at the end is the same to a tenth of a per cent."""
    use = usual_use(CAR, [("Lamps", 34.0)])
    usual = run(CAR, use, days=2)
    monkeypatch.setattr(course, "MOST_CHARGE_STEP", course.MOST_CHARGE_STEP / 4)
    monkeypatch.setattr(course, "WARMING_STEP_S", course.WARMING_STEP_S / 4)
    monkeypatch.setattr(course, "MOST_STEP_S", course.MOST_STEP_S / 4)
    fine = run(CAR, use, days=2)
    assert usual.batteries[0].end_charge == pytest.approx(fine.batteries[0].end_charge, abs=1e-3)


def test_progress_goes_up_to_the_end() -> None:
    shares: list[float] = []
    simulate(CAR, usual_use(CAR), SimulationRequest(days=1.5, runs=1), shares.append)
    assert shares == sorted(shares) and math.isclose(shares[-1], 1.0) and len(shares) > 10


@pytest.mark.parametrize(
    ("how", "use", "field"), [({"days": 60, "runs": 500}, {}, "runs"), ({"days": 60}, {"starts_a_day": 400}, "days")]
)
def test_what_would_take_hours_is_refused_at_its_field(how: dict[str, Any], use: dict[str, Any], field: str) -> None:
    with pytest.raises(UseProblemError) as refused:
        run(CAR, usual_use(CAR).model_copy(update=use), **how)
    assert refused.value.field == field


def test_a_day_is_24_hours_whatever_its_scenes() -> None:
    for starts in (0, 1, 7, 40):
        for hours in (0.0, 3.5, 24.0):
            legs = day_of(charging(hours, **{"starts_a_day": starts}) if hours else UseRequest(starts_a_day=starts))
            assert sum(leg.hours for leg in legs) == pytest.approx(24) and all(leg.hours > 0 for leg in legs)
            assert sum(leg.starts for leg in legs) == (starts if hours else 0)


def test_what_is_simulated_together_is_what_each_is_alone() -> None:
    """Side by side go a stronger unit, one on another day, one that comes to stand still, and vehicles of another network."""
    flat = UseRequest(scenes=(), **{**QUIET, "asleep_a": 6.0})
    cases = [
        (c, usual_use(c, [("Lamps", 20.0)]))
        for c in (CAR, car(), build_layout("second_battery_link", 12), build_layout("second_battery_converter", 12))
    ]
    cases += [(CAR, flat), (CAR, cases[0][1].model_copy(update={"starts_a_day": 9}))]
    how = SimulationRequest(days=0.7, runs=1)
    shares: list[float] = []
    for (circuit, use), seen in zip(cases, simulate_together(cases, how, shares.append), strict=True):
        alone = simulate(circuit, use, how)
        assert seen.headline == alone.headline and seen.time_h == alone.time_h
        for one, other in zip(seen.curves, alone.curves, strict=True):
            assert np.allclose(one.nominal, other.nominal, atol=0.02 if one.name != "charge" else 2e-4), one.label
    assert shares == sorted(shares) and math.isclose(shares[-1], 1.0)
    # Many vehicles of each are states of one call already.
    many = SimulationRequest(days=0.2, runs=3)
    assert simulate_together(cases[:2], many) == [simulate(*case, many) for case in cases[:2]]


def test_one_simulation_takes_nothing_over_from_another() -> None:
    """Networks of one shape are shared; what flows in them is each question's own."""
    first = UseRequest(scenes=(), **{**QUIET, "asleep_a": 0.02})
    second = first.model_copy(update={"asleep_a": 2.0})
    assert run(CAR, first, days=2).no_start_after_d is None
    assert run(CAR, second, days=2).no_start_after_d == pytest.approx(0.3 * 70 / 2.0 / 24, rel=0.01)

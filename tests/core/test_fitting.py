"""Resistances fitted to readings: against Ohm's law by hand, and against circuits whose resistances are known."""

from __future__ import annotations

import numpy as np
import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings.fitting import fit_resistances, with_fitted
from mavrik.core.measuring.uncertainty import expanded_uncertainty
from mavrik.core.operating import State, solve_circuit
from mavrik.core.procedures import BenchState, ohmic, state_of
from tests.build import CLAMP, METER, drop_test

FRONT = build_layout("front_battery", 12)
COLD = {"engine_space_c": 20.0, "ambient_c": 20.0}


def worn(circuit: Circuit, **mohm: float) -> Circuit:
    """The circuit with these resistances."""
    return circuit.model_copy(
        update={
            "branches": tuple(b.model_copy(update={"measured_mohm": mohm[b.id]}) if b.id in mohm else b for b in circuit.branches)
        }
    )


def read_off(circuit: Circuit, amps: float, names: list[str]) -> dict[str, float]:
    """What the drop test of a circuit would show at a known output, without error; a name ending in _amps is a current."""
    state = state_of(BenchState.AT_OUTPUT, ohmic(circuit), amps).model_copy(update=COLD)
    loads = ohmic(circuit).loads
    found = {b.branch_id: b for b in solve_circuit(circuit.model_copy(update={"loads": loads}), state).branches}
    return {n: found[n.removesuffix("_amps")].current_a if n.endswith("_amps") else found[n].drop_v for n in names}


def test_one_branch_by_ohms_law_with_the_interval_of_the_gum() -> None:
    """By hand: 0.48 V at 100 A is 4.8 mohm; u(R)/R from the voltmeter's and the clamp's shares, 1.96 times that."""
    found = fit_resistances(FRONT, drop_test(100, mount=0.48))
    mount = found.branches[0]
    share = np.hypot(expanded_uncertainty(0.48, METER.spec) / 2 / 0.48, expanded_uncertainty(100, CLAMP.spec) / 2 / 100)
    assert mount.branch_id == "mount" and mount.fitted_mohm == pytest.approx(4.8, rel=0.005)
    assert mount.high_mohm - mount.fitted_mohm == pytest.approx(1.96 * share * 4.8, rel=0.02)
    assert mount.told and mount.too_much and "instead of 0.1 mΩ" in found.words
    assert not any(b.told for b in found.branches[1:])


def test_a_whole_side_is_shared_out_over_its_branches() -> None:
    """The side and all of its parts but one: the one that nobody read has what is left."""
    true = worn(FRONT, charge_cable=9.0, battery_lead=3.0)
    seen = read_off(true, 100, ["charge_cable", "charge_fuse", "battery_lead"])
    side = sum(seen.values())
    found = {
        b.branch_id: b
        for b in fit_resistances(
            FRONT, drop_test(100, feed_drop=side, charge_cable=seen["charge_cable"], charge_fuse=seen["charge_fuse"])
        ).branches
    }
    assert found["battery_lead"].told and found["battery_lead"].fitted_mohm == pytest.approx(3.0, abs=0.3)
    assert found["charge_cable"].fitted_mohm == pytest.approx(9.0, rel=0.02)


def test_grounds_in_parallel_are_told_with_a_clamp_round_one() -> None:
    rear = build_layout("rear_battery_both", 12)
    ids = [b.id for b in rear.branches]
    carries = {k: v for k, v in read_off(rear, 80, [f"{i}_amps" for i in ids]).items() if 5 < abs(v) < 75}
    bad = next(iter(carries)).removesuffix("_amps")
    true = worn(rear, **{bad: 12.0})
    found = {b.branch_id: b for b in fit_resistances(rear, drop_test(80, **read_off(true, 80, [*ids, *carries]))).branches}
    assert found[bad].told and found[bad].low_mohm < 12 < found[bad].high_mohm and found[bad].too_much
    assert sum(b.too_much for b in found.values()) == 1


def test_grounds_side_by_side_without_a_current_are_named_together() -> None:
    """A drop across a fork says that the fork has too much, and not which way of it."""
    true = worn(FRONT, block_ground=4.0)
    names = [b.id for b in FRONT.branches]
    found = fit_resistances(FRONT, drop_test(100, **read_off(true, 100, names)))
    fork = {"block_ground", "body_ground", "engine_strap"}
    assert {b.branch_id for b in found.branches if b.among} == fork and not any(b.too_much for b in found.branches)
    assert "do not tell which" in found.words and "clamp" in found.words
    told = fit_resistances(FRONT, drop_test(100, **read_off(true, 100, [*names, "block_ground_amps"])))
    assert {b.branch_id for b in told.branches if b.too_much} == {"block_ground"} and not any(b.among for b in told.branches)


def test_the_intervals_hold_what_they_promise() -> None:
    """Meters that err as their manuals allow: the true resistance lies inside 95 % intervals in about so many trials."""
    rng = np.random.default_rng(12)
    true = worn(FRONT, block_ground=8.0, charge_cable=7.0)
    names = [b.id for b in FRONT.branches]
    clean = read_off(true, 100, names)
    inside = total = 0
    for _ in range(60):
        amps = 100 * (1 + rng.normal(0, expanded_uncertainty(100, CLAMP.spec) / 2 / 100))
        noisy = {n: v + rng.normal(0, expanded_uncertainty(v, METER.spec) / 2) for n, v in clean.items()}
        for b in fit_resistances(FRONT, drop_test(amps, **noisy)).branches:
            truth = true.branch(b.branch_id).resistance_ohm(20) * 1000
            if b.told:
                total += 1
                inside += b.low_mohm <= truth <= b.high_mohm
    assert total > 250 and 0.9 < inside / total <= 1


def test_what_was_fitted_predicts_what_was_read() -> None:
    true = worn(FRONT, block_ground=8.0, charge_cable=7.0)
    names = [b.id for b in FRONT.branches]
    test = drop_test(100, **read_off(true, 100, names))
    circuit = with_fitted(FRONT, fit_resistances(FRONT, test))
    assert read_off(circuit, 100, names) == pytest.approx(read_off(true, 100, names), rel=0.01, abs=2e-4)
    notes = solve_circuit(circuit, State()).notes
    assert any("as measured" in n for n in notes)
    again = fit_resistances(circuit, test)
    assert [b.fitted_mohm for b in again.branches] == pytest.approx(
        [b.fitted_mohm for b in fit_resistances(FRONT, test).branches]
    )


def test_a_warm_circuit_is_brought_to_twenty_degrees() -> None:
    """Read at 90 degC: the copper's 0.393 % a kelvin is measured off again."""
    cable = FRONT.branch("charge_cable")
    test = drop_test(100, charge_cable=100 * cable.sound_resistance_ohm(90)).model_copy(update={"engine_space_c": 90.0})
    found = next(b for b in fit_resistances(FRONT, test).branches if b.branch_id == "charge_cable")
    assert found.fitted_mohm == pytest.approx(cable.sound_resistance_ohm(20) * 1000, rel=0.01) and not found.too_much


def test_readings_that_contradict_each_other_are_not_smoothed_over() -> None:
    found = fit_resistances(FRONT, drop_test(100, feed_drop=0.9, charge_cable=0.1, charge_fuse=0.06, battery_lead=0.02))
    assert found.misfit > 4 and found.contradict and "contradict" in found.words


def test_nothing_to_fit_is_said() -> None:
    with pytest.raises(ValueError, match="no drop"):
        fit_resistances(FRONT, drop_test(100, stud_voltage=14.2))

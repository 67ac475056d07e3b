"""Resistances by all readings together: against Ohm's law by hand, and against circuits whose resistances are known."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.fit import fit_trials
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.findings.likelihood import USUAL_RANGE, log_likelihood, own_scatter
from mavrik.core.findings.measured import with_measured
from mavrik.core.findings.sampling import sampled
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import expanded_uncertainty
from mavrik.core.operating import State, solve_circuit
from mavrik.core.procedures import BenchState, Point, Setup, observations, standing, state_of
from tests.build import CLAMP, METER, branch_of, drop_run, judged

FRONT = build_layout("front_battery", 12)
NAMES = [b.id for b in FRONT.branches]
BAD = (BranchVerdict.FAIL, BranchVerdict.EXCESS)


def worn(circuit: Circuit, **mohm: float) -> Circuit:
    """The circuit with these resistances, as measured at 20 degC."""
    return circuit.model_copy(
        update={
            "branches": tuple(b.model_copy(update={"measured_mohm": mohm[b.id]}) if b.id in mohm else b for b in circuit.branches)
        }
    )


def read_off(circuit: Circuit, amps: float, names: list[str]) -> dict[str, float]:
    """What the drop test of a circuit would show at a known output, without error; a name ending in _amps is a current."""
    state = state_of(Setup(BenchState.AT_OUTPUT, amps, engine_space_c=20.0, ambient_c=20.0), circuit)
    flows = {b.branch_id: b for b in solve_circuit(circuit, state).branches}
    return {n: flows[n.removesuffix("_amps")].current_a if n.endswith("_amps") else flows[n].drop_v for n in names}


def mohm(findings: Findings, branch_id: str) -> tuple[float, float, float]:
    """Fitted resistance of a branch with its interval [mohm]."""
    of, sound = branch_of(findings, branch_id), FRONT.branch(branch_id).sound_resistance_ohm(20) * 1000
    assert of.excess_ohm is not None and of.excess_low_ohm is not None and of.excess_high_ohm is not None
    return tuple(sound + 1000 * r for r in (of.excess_ohm, of.excess_low_ohm, of.excess_high_ohm))  # type: ignore[return-value]


def test_one_branch_by_ohms_law_with_the_interval_of_the_gum() -> None:
    """By hand: 0.48 V at 100 A is 4.8 mohm; u(R)/R from the voltmeter's and the clamp's shares, 1.96 times that."""
    findings = judged(FRONT, drop_run(FRONT, 100, mount=0.48))
    middle, low, high = mohm(findings, "mount")
    share = np.hypot(expanded_uncertainty(0.48, METER.spec) / 2 / 0.48, expanded_uncertainty(100, CLAMP.spec) / 2 / 100)
    assert middle == pytest.approx(4.8, rel=0.02)
    by_hand = 1.96 * share * 4.8
    assert by_hand < high - middle < 1.3 * by_hand
    assert low < 4.8 - by_hand, "one reading may be a slip, and the interval knows it"
    assert branch_of(findings, "mount").verdict in BAD
    assert all(b.verdict is BranchVerdict.NOT_MEASURED for b in findings.branches if b.branch_id != "mount")


def test_a_whole_side_is_shared_out_over_its_branches() -> None:
    """The side and all of its parts but one: the one that nobody read has what is left."""
    seen = read_off(worn(FRONT, charge_cable=9.0, battery_lead=3.0), 100, ["charge_cable", "charge_fuse", "battery_lead"])
    run = drop_run(FRONT, 100, feed_v=sum(seen.values()), charge_cable=seen["charge_cable"], charge_fuse=seen["charge_fuse"])
    findings = judged(FRONT, run)
    lead = mohm(findings, "battery_lead")
    assert lead[0] == pytest.approx(3.0, abs=0.3) and lead[1] < 3.0 < lead[2]
    assert mohm(findings, "charge_cable")[0] == pytest.approx(9.0, rel=0.02)
    assert branch_of(findings, "battery_lead").verdict in BAD


def test_grounds_in_parallel_are_told_with_a_clamp_round_one() -> None:
    rear = build_layout("rear_battery_both", 12)
    ids = [b.id for b in rear.branches]
    carries = {k: v for k, v in read_off(rear, 80, [f"{i}_amps" for i in ids]).items() if 5 < abs(v) < 75}
    bad = next(iter(carries)).removesuffix("_amps")
    true = worn(rear, **{bad: 12.0})
    findings = judged(rear, drop_run(rear, 80, **read_off(true, 80, [*ids, *carries])))
    of, sound = branch_of(findings, bad), rear.branch(bad).sound_resistance_ohm(20)
    assert of.excess_low_ohm is not None and of.excess_high_ohm is not None
    assert of.excess_low_ohm < 0.012 - sound < of.excess_high_ohm
    assert [b.branch_id for b in findings.branches if b.verdict in BAD] == [bad]


def test_a_fork_that_was_not_read_way_by_way_is_left_undecided() -> None:
    """The drop across a fork says that the fork has too much, and not which way of it; a clamp says which."""
    long = FRONT.model_copy(
        update={
            "branches": tuple(b.model_copy(update={"length_m": 3.0}) if b.id == "block_ground" else b for b in FRONT.branches)
        }
    )
    true = worn(long, body_ground=60.0, engine_strap=30.0)
    ring = ["charge_cable", "charge_fuse", "battery_lead", "block_ground", "mount"]
    findings = judged(long, drop_run(long, 100, **read_off(true, 100, ring)))
    assert branch_of(findings, "block_ground").verdict not in BAD
    (undecided,) = findings.undecided
    assert {"body_ground", "engine_strap"} <= set(undecided.branch_ids) and "do not tell which" in undecided.words
    true = worn(FRONT, body_ground=30.0)
    findings = judged(FRONT, drop_run(FRONT, 100, **read_off(true, 100, [*NAMES, "block_ground_amps"])))
    assert [b.branch_id for b in findings.branches if b.verdict in BAD] == ["body_ground"] and not findings.undecided


@pytest.mark.long
def test_the_intervals_hold_what_they_promise() -> None:
    """Meters that err as their manuals allow: the true resistance lies inside 95 % intervals in about so many trials.

    The true resistances come from circuits solved with other parts than those of the document.
    """
    rng = np.random.default_rng(12)
    inside = total = 0
    for _ in range(25):
        lengths = {b.id: b.sound_resistance_ohm(20) * 1000 * (1 + rng.normal(0, 0.04)) for b in FRONT.branches}
        true = worn(FRONT, **lengths | {"charge_cable": 7.0, "mount": 2.0})
        amps = 100 * (1 + rng.normal(0, expanded_uncertainty(100, CLAMP.spec) / 2 / 100))
        clean = read_off(true, 100, NAMES)
        noisy = {n: v + rng.normal(0, expanded_uncertainty(v, METER.spec) / 2) for n, v in clean.items()}
        findings = judged(FRONT, drop_run(FRONT, amps, **noisy))
        for b in true.branches:
            _, low, high = mohm(findings, b.id)
            total += 1
            inside += low <= b.resistance_ohm(20) * 1000 <= high
    assert total == 25 * len(NAMES) and inside / total > 0.92


def test_what_was_measured_predicts_what_was_read() -> None:
    true = worn(FRONT, block_ground=8.0, charge_cable=7.0)
    run = drop_run(FRONT, 100, **read_off(true, 100, [*NAMES, "block_ground_amps"]))
    circuit = with_measured(FRONT, judged(FRONT, run))
    assert read_off(circuit, 100, NAMES) == pytest.approx(read_off(true, 100, NAMES), rel=0.05, abs=1e-3)
    assert any("as measured" in n for n in solve_circuit(circuit, State()).notes)
    again, first = judged(circuit, run), judged(FRONT, run)
    assert [b.excess_ohm for b in again.branches] == pytest.approx([b.excess_ohm for b in first.branches]), (
        "taken over, not counted twice"
    )


def test_a_warm_circuit_is_brought_to_twenty_degrees() -> None:
    """Read at 90 degC: the copper's 0.393 % a kelvin is taken off again."""
    warm: dict[str, Any] = {"engine_space_c": 90.0}
    run = drop_run(FRONT, 100, charge_cable=100 * FRONT.branch("charge_cable").sound_resistance_ohm(90)).model_copy(update=warm)
    findings = judged(FRONT, run)
    assert mohm(findings, "charge_cable")[0] == pytest.approx(
        FRONT.branch("charge_cable").sound_resistance_ohm(20) * 1000, rel=0.01
    )
    assert branch_of(findings, "charge_cable").verdict is BranchVerdict.PASS


def test_readings_that_contradict_each_other_are_not_smoothed_over() -> None:
    findings = judged(FRONT, drop_run(FRONT, 100, feed_v=0.9, charge_cable=0.1, charge_fuse=0.06, battery_lead=0.02))
    assert findings.headline.verdict is BranchVerdict.CHECK_PROBES
    assert any(d.point == "feed_v" for d in findings.doubtful) or not findings.checks[0].agrees


def test_a_quantity_without_a_figure_of_its_own_is_weighed_by_what_its_registry_says() -> None:
    """What a new procedure brings needs no rule of scatter in the inference: its last digit and a usual share do."""
    point = Point("air", "Air in the box", "temperature", BenchState.REST)
    assert own_scatter(point, np.array([50.0, -50.0])).tolist() == pytest.approx([0.1 * 50 + point.kind.last_digit] * 2)
    predicted = np.array([[20.0], [60.0]])
    near, far = log_likelihood([point], predicted, [Measured(21.0, 0.5)])
    # The other hypothesis is not impossible: the reading may be a slip over the usual range.
    assert np.log(fault_table().misread_share / USUAL_RANGE) <= far[0] < near[0]


def test_a_set_is_begun_again_where_draws_explain_more() -> None:
    """A fit that is said to explain less by 50, by its natural logarithm, than the place it is at: draws round it find better ones."""
    circuit = build_layout("second_battery_converter", 12)
    runs = [drop_run(circuit, 60, charge_cable=0.1, charge_fuse=0.03)]
    evidence = tuple(observations(circuit, standing(runs)))
    problem = FitProblem.of(circuit, BenchModel(circuit), evidence)
    nothing = hypotheses(circuit)[0]
    good = fit_trials(problem, [Trial(nothing.causes, nothing, 0.0)])[0]
    worse = good.log_likelihoods.copy()
    worse[problem.smooth[0]] -= 50
    bad = replace(good, log_likelihoods=worse, log_evidence=good.log_evidence - 50)
    assert sampled([good])[0].better is None
    (drawn,) = sampled([bad])
    assert drawn.better is not None and len(drawn.better) == len(problem.unknowns) + 1
    again = bad.or_better(fit_trials(problem, [bad.trial.begun_at(drawn.better)], gathering=False)[0])
    assert again.log_evidence == pytest.approx(good.log_evidence, abs=0.3) and again.trial is bad.trial

"""What is tried once the likeliest is known: sets without one of their causes, the other side of a limit, a battery that turns a charger off."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cache, reduce

import numpy as np
import pytest

from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.changes import What
from mavrik.core.findings.fit import fit_trials
from mavrik.core.findings.fit_problem import FitProblem, Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import both, hypotheses
from mavrik.core.findings.inference import weighed
from mavrik.core.findings.second_look import ACROSS_WIDTHS, CHARGED_V, across_the_limit, second_look, without_one
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import observations, standing
from mavrik.standin.vehicle import HiddenVehicle
from tests.build import runs_of

CAMPER = build_layout("second_battery_converter", 12)
SINGLE = {h.causes[0]: h for h in reversed(hypotheses(CAMPER))}
SUSPECTS = list(SINGLE.values())
THREE = ("missing:charge_cable", "dead_cell:battery", "field_open:alternator")


@cache
def problem() -> FitProblem:
    """A sound camper with everything read."""
    vehicle = HiddenVehicle(CAMPER, SINGLE["none:"], np.random.default_rng(3))
    evidence = weighed(observations(CAMPER, standing(runs_of(vehicle, vehicle.everything()), ())))
    return FitProblem.of(CAMPER, BenchModel(CAMPER), evidence)


@cache
def nothing() -> Fitted:
    return fit_trials(problem(), [Trial.of(SINGLE["none:"])])[0]


def fitted(*causes: str, evidence: float = 0.0) -> Fitted:
    """A set that ended at some evidence."""
    return replace(nothing(), trial=Trial.of(reduce(both, [SINGLE[c] for c in causes])), log_evidence=evidence)


def slipped(fit: Fitted, *points: str) -> Fitted:
    """The same, with some readings taken for slips."""
    likely = fit.log_likelihoods.copy()
    likely[[k for k, o in enumerate(problem().evidence) if o.point.id in points]] = -6.6
    return replace(fit, log_likelihoods=likely)


def moved(trial: Trial, fit: Fitted) -> Mapping[tuple[What, str], float]:
    """What begins elsewhere than where a set ended."""
    assert trial.start is not None
    off = trial.start[: len(fit.row)] - fit.row
    return {name: float(off[k]) for k, name in enumerate(problem().unknowns.names) if abs(off[k]) > 1e-9}


def tried(*fits: Fitted, near: float = 4.0, begun: Mapping[frozenset[str], float] | None = None) -> set[frozenset[str]]:
    return set(without_one(fits, SUSPECTS, near, begun or {}))


def test_every_two_of_three_that_were_not_tried_are_and_begin_where_those_ended() -> None:
    three, pair = fitted(*THREE), fitted(*THREE[:2], evidence=0.3)
    fewer = without_one([three, pair], SUSPECTS, 4.0, {frozenset(THREE[:1]): 0.3, frozenset(THREE[1:2]): 0.3})
    assert set(fewer) == {frozenset(THREE[1:]), frozenset((THREE[0], THREE[2]))}
    assert all(frozenset(t.causes) == causes and evidence == 0.0 for causes, (evidence, t) in fewer.items())
    others = {What.EMF, What.OHM_SHARE, What.LIMIT_SHARE, What.IDLE_SHARE, What.MORE_OHM}
    assert all({what for what, _ in moved(t, three)} <= others for _, t in fewer.values())


def test_one_of_a_pair_that_explains_less_by_itself_is_begun_where_the_pair_ended_once() -> None:
    """A cause cannot explain less than with another that adds nothing: its own fit was led elsewhere."""
    pair = fitted("belt_slips:alternator", "weak_battery:battery", evidence=1.0)
    alone = [fitted("belt_slips:alternator", evidence=-8.0), fitted("weak_battery:battery", evidence=2.0)]
    assert tried(pair, *alone) == {frozenset(("belt_slips:alternator",))}
    begun = {frozenset(("belt_slips:alternator",)): 1.0}
    assert tried(pair, *alone, begun=begun) == set()
    assert tried(replace(pair, log_evidence=1.5), *alone, begun=begun) == {frozenset(("belt_slips:alternator",))}


def test_three_far_behind_and_single_causes_are_left() -> None:
    assert tried(fitted("drain:battery"), fitted(*THREE, evidence=-9.0)) == set()
    assert tried(fitted("drain:battery")) == set()


def test_two_that_contradict_each_other_are_no_set() -> None:
    three = fitted("regulator_low:alternator", "regulator_high:alternator", "drain:battery")
    assert tried(three) == {
        frozenset(("regulator_low:alternator", "drain:battery")),
        frozenset(("regulator_high:alternator", "drain:battery")),
    }


def test_two_slips_with_nothing_on_are_begun_with_batteries_that_take_more_and_less() -> None:
    """Where nothing is on it is what the batteries take that a unit has to spare or not; each group of them by itself."""
    fit = slipped(nothing(), "regulated_v:fast", "converter_in_v:charger")
    assert {problem().evidence[k].setup.state for k in np.flatnonzero(fit.log_likelihoods < -6).tolist()} == {BenchState.FAST}
    trials = across_the_limit(problem(), [fit], 15.0)
    u = problem().unknowns
    width = {b.id: u.width[u.place[What.TAKES_SHARE, b.id]] for b in CAMPER.batteries}
    expected = [{(What.TAKES_SHARE, b): pytest.approx(sign * ACROSS_WIDTHS * w)} for b, w in width.items() for sign in (-1, 1)]
    assert [moved(t, fit) for t in trials] == expected


def test_two_slips_with_the_loads_on_are_begun_with_more_and_less_of_them() -> None:
    fit = slipped(nothing(), "regulated_v:fast_loaded", "regulated_stud_v")
    trials = across_the_limit(problem(), [fit], 15.0)
    assert len(trials) == 2 and all(set(moved(t, fit)) == {(What.CONSUMERS_A, "battery")} for t in trials)
    assert across_the_limit(problem(), [slipped(nothing(), "regulated_v:fast_loaded")], 15.0) == []


def test_two_slips_of_a_battery_are_what_is_wrong_with_it_and_it_holds_up_its_charger() -> None:
    """Begun where it stands, a weak battery sags below what the charger needs, and nothing says what the charger would take."""
    fit = slipped(nothing(), "load_v:battery", "net_v_fast:battery")
    trials = {t.causes: t for t in second_look(problem(), [fit], SUSPECTS, [], [])}
    assert set(trials) == {("weak_battery:battery",), ("dead_cell:battery",), ("sulphated:battery",)}
    weak = moved(trials["weak_battery:battery",], fit)
    assert weak.pop((What.CHARGED, "battery")) == pytest.approx(CHARGED_V)
    assert {what for what, _ in weak} <= {What.OHM_SHARE}
    beside = replace(fit, trial=Trial.of(SINGLE["under_rated:alternator"]))
    assert ("weak_battery:battery", "under_rated:alternator") in {
        t.causes for t in second_look(problem(), [beside], SUSPECTS, [], [])
    }

"""One circuit assembled once, solved at many states: the same answers as one at a time, and by hand."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.circuit import CableBranch, ConductorBranch
from mavrik.core.conductor import Material, at_temperature, cable_resistance, parse_size
from mavrik.core.layouts import LAYOUTS, blank_branches, build_layout
from mavrik.core.prediction import OperatingState, Predictor, predict
from tests.build import simple_circuit

STATES = st.builds(
    OperatingState,
    output_current_a=st.floats(1, 400),
    stud_voltage_v=st.floats(11, 16),
    engine_space_c=st.floats(-30, 120),
    ambient_c=st.floats(-30, 50),
    warmed_up=st.booleans(),
)
PREDICTORS = {layout.name: Predictor(layout.build(12)) for layout in LAYOUTS}


@given(st.sampled_from(sorted(PREDICTORS)), STATES, STATES)
@settings(max_examples=60, deadline=None)
def test_what_was_asked_before_does_not_matter(name: str, first: OperatingState, second: OperatingState) -> None:
    kept = PREDICTORS[name]
    kept.predict(first)
    again, fresh = kept.predict(second), predict(kept.circuit, second)
    assert again.drop_v == pytest.approx(fresh.drop_v)
    assert again.node_v == pytest.approx(fresh.node_v)
    assert again.temperature_c == pytest.approx(fresh.temperature_c)


@given(st.sampled_from(sorted(PREDICTORS)), STATES)
@settings(max_examples=60, deadline=None)
def test_every_drop_is_its_resistance_times_its_current(name: str, state: OperatingState) -> None:
    seen = PREDICTORS[name].predict(state)
    for branch in PREDICTORS[name].live:
        if branch.threshold_v:
            continue  # a diode has a voltage of its own
        assert seen.drop_v[branch.id] == pytest.approx(seen.resistance_ohm[branch.id] * seen.current_a[branch.id], abs=1e-9)
        assert seen.resistance_ohm[branch.id] == pytest.approx(branch.sound_resistance_ohm(seen.temperature_c[branch.id]))


@pytest.mark.parametrize("temperature", [-20.0, 20.0, 65.0, 105.0])
def test_a_cable_at_temperature_by_hand(temperature: float) -> None:
    """IEC 60228 class 5, 35 mm2: 0.554 mohm/m; IEC 60028: 0.393 % a kelvin; two lugs of 0.05 mohm."""
    seen = predict(simple_circuit(), OperatingState(100, 14.4, ambient_c=temperature))
    assert seen.resistance_ohm["feed"] == pytest.approx(0.554e-3 * 2 * (1 + 0.00393 * (temperature - 20)) + 0.1e-3)


def test_extra_resistance_adds_to_its_branch_alone() -> None:
    state = OperatingState(100, 14.4)
    sound, bad = predict(simple_circuit(), state), predict(simple_circuit(), state, {"home": 0.004})
    assert bad.drop_v["home"] - sound.drop_v["home"] == pytest.approx(0.4)
    assert bad.drop_v["feed"] == pytest.approx(sound.drop_v["feed"])


@pytest.mark.parametrize("branch", blank_branches(), ids=lambda b: b.kind)
def test_starting_values_of_every_kind_are_possible_ones(branch: CableBranch) -> None:
    assert 1e-5 < branch.sound_resistance_ohm(20) < 2e-3
    if isinstance(branch, ConductorBranch):
        assert branch.ampacity().current_a > 50
        cold = cable_resistance(parse_size(branch.size), branch.length_m, 20, Material.COPPER)
        assert branch.sound_resistance_ohm(90) == pytest.approx(at_temperature(cold, 90, Material.COPPER) + 0.1e-3)


def test_a_kind_stands_once_among_the_starting_values() -> None:
    kinds = [b.kind for b in blank_branches()]
    assert len(kinds) == len(set(kinds)) == 13
    layout_kinds = {b.kind for layout in LAYOUTS for b in build_layout(layout.name, 12).branches}
    assert layout_kinds <= set(kinds)

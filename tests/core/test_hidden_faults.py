"""A fault hidden in the model must be found by the judge: what is predicted with it is what a meter would read."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.findings.assessment import Assessment, BranchVerdict, assess
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.measuring.measurement import DropTest, Quantity, Reading
from mavrik.core.operating.prediction import at_output, predict
from tests.build import CLAMP, METER


def telling(circuit: Circuit) -> list[str]:
    """Branches of the ring that carry half of the output at least: a bank beside may leave next to nothing for the others."""
    seen = predict(circuit, at_output(circuit, 80))
    return [b for b in (*seen.ring.feed, *seen.ring.return_side) if abs(seen.current_a[b]) >= 40]


RING_BRANCHES = [(layout.name, b) for layout in LAYOUTS for b in telling(layout.build(12))]


def measured(
    circuit: Circuit, current_a: float, hidden_ohm: dict[str, float], clamped: bool = False, reverse: str = ""
) -> DropTest:
    """All drops of a circuit with a hidden fault, as a meter of 1 mV resolution shows them."""
    seen = predict(circuit, at_output(circuit, current_a, 14.4), hidden_ohm)
    readings = [
        Reading(quantity=Quantity.BRANCH_DROP, branch_id=b, value=round(v, 3) * (-1 if b == reverse else 1))
        for b, v in seen.drop_v.items()
    ]
    if clamped:
        readings += [Reading(quantity=Quantity.BRANCH_CURRENT, branch_id=b, value=round(a, 1)) for b, a in seen.current_a.items()]
    return DropTest(output_current_a=current_a, engine_speed_rpm=2000, voltmeter=METER, clamp=CLAMP, readings=tuple(readings))


def verdicts(said: Assessment) -> dict[str, BranchVerdict]:
    return {b.branch_id: b.verdict for b in said.branches}


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_a_sound_circuit_is_called_sound(layout: Any) -> None:
    circuit = layout.build(12)
    said = assess(circuit, measured(circuit, 80, {}))
    assert not {v for v in verdicts(said).values() if v in (BranchVerdict.EXCESS, BranchVerdict.CHECK_PROBES)}
    for b in said.branches:
        # A meter's last digit is much resistance where little current flows.
        digit = (b.excess_uncertainty_ohm or 0) if abs(b.current_a) < 10 else 0.0
        assert abs(b.excess_resistance_ohm or 0) < 0.05e-3 + digit, b.branch_id


@pytest.mark.parametrize(("layout", "branch_id"), RING_BRANCHES)
def test_a_fault_on_the_ring_is_the_worst_branch(layout: str, branch_id: str) -> None:
    circuit = build_layout(layout, 12)
    said = assess(circuit, measured(circuit, 80, {branch_id: 3e-3}, clamped=True))
    worst = max(said.branches, key=lambda b: b.excess_heat_w or 0)
    assert worst.branch_id == branch_id
    assert worst.excess_resistance_ohm == pytest.approx(3e-3, rel=0.12)
    # A sound part that is too small for what a bank takes at rated output fails too, and may stand before it.
    failing = {b.branch_id for b in said.branches if b.verdict is BranchVerdict.FAIL}
    assert said.headline.branch_id in failing | {branch_id}


@given(
    case=st.sampled_from(RING_BRANCHES),
    extra_mohm=st.floats(1.0, 20.0),
    current=st.floats(45.0, 90.0),
    volts=st.sampled_from([12, 24]),
)
@settings(max_examples=80, deadline=None)
def test_the_excess_found_is_the_resistance_hidden(case: tuple[str, str], extra_mohm: float, current: float, volts: int) -> None:
    layout, branch_id = case
    circuit = build_layout(layout, volts)
    said = assess(circuit, measured(circuit, round(current, 1), {branch_id: extra_mohm / 1000}, clamped=True))
    found = next(b for b in said.branches if b.branch_id == branch_id)
    assert found.excess_resistance_ohm is not None and found.excess_uncertainty_ohm is not None
    # A clamp reading of a starved parallel lead is coarse; what is said must then be within what is said of its uncertainty.
    assert abs(found.excess_resistance_ohm - extra_mohm / 1000) <= found.excess_uncertainty_ohm + 0.05e-3


@given(st.floats(40, 90), st.floats(40, 90))
@settings(max_examples=40, deadline=None)
def test_the_same_fault_is_judged_alike_at_any_test_current(first: float, second: float) -> None:
    """Drops are judged at rated output: the scaled drop does not depend on the current of the day."""
    circuit = build_layout("rear_battery", 12)
    judged = [
        next(
            b.judged_drop_v
            for b in assess(circuit, measured(circuit, round(c, 1), {"rear_ground": 2e-3})).branches
            if b.branch_id == "rear_ground"
        )
        for c in (first, second)
    ]
    assert judged[0] == pytest.approx(judged[1], abs=0.003)


@pytest.mark.parametrize("branch_id", ["charge_cable", "charge_fuse", "mount"])
def test_swapped_probes_are_seen(branch_id: str) -> None:
    circuit = build_layout("front_battery", 12)
    said = assess(circuit, measured(circuit, 80, {}, reverse=branch_id))
    assert verdicts(said)[branch_id] is BranchVerdict.CHECK_PROBES


def test_a_parallel_branch_is_judged_the_way_its_current_runs() -> None:
    """Drops of a branch drawn against the current are negative, and that is no probe problem."""
    document = build_layout("front_battery", 12).model_dump(mode="json")
    for branch in document["branches"]:
        if branch["id"] == "engine_strap":
            branch["from_node"], branch["to_node"] = branch["to_node"], branch["from_node"]
    circuit = Circuit.model_validate(document)
    said = assess(circuit, measured(circuit, 80, {}))
    strap = next(b for b in said.branches if b.branch_id == "engine_strap")
    assert strap.measured_drop_v is not None and strap.measured_drop_v < 0
    assert strap.verdict is BranchVerdict.PASS
    assert strap.excess_resistance_ohm == pytest.approx(0, abs=0.05e-3)


@pytest.mark.parametrize("profile", list(LimitProfileName))
@given(extra=st.floats(0, 10))
@settings(max_examples=25, deadline=None)
def test_more_resistance_never_gives_a_better_verdict(profile: LimitProfileName, extra: float) -> None:
    circuit = build_layout("rear_battery", 12)
    order = [BranchVerdict.PASS, BranchVerdict.CLOSE, BranchVerdict.EXCESS, BranchVerdict.FAIL]
    less, more = (
        verdicts(assess(circuit, measured(circuit, 80, {"battery_lead": mohm / 1000}), profile))["battery_lead"]
        for mohm in (extra, extra + 2)
    )
    assert order.index(more) >= order.index(less)


def test_the_stricter_profile_never_forgives() -> None:
    circuit = build_layout("front_battery", 12)
    test = measured(circuit, 80, {"mount": 1e-3})
    common, strict = (assess(circuit, test, p) for p in (LimitProfileName.COMMON, LimitProfileName.STRICT))
    for loose, tight in zip(common.branches, strict.branches, strict=True):
        assert tight.limit_v < loose.limit_v
        if loose.verdict is BranchVerdict.FAIL:
            assert tight.verdict is BranchVerdict.FAIL

"""A fault hidden in the model must be found by the judge: what is predicted with it is what a meter would read."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.operating.prediction import at_output, predict
from tests.build import branch_of, drops_with, judged


def telling(circuit: Circuit) -> list[str]:
    """Branches of the ring that carry half of the output at least: a bank beside may leave next to nothing for the others."""
    seen = predict(circuit, at_output(circuit, 80))
    return [b for b in (*seen.ring.feed, *seen.ring.return_side) if abs(seen.current_a[b]) >= 40]


RING_BRANCHES = [(layout.name, b) for layout in LAYOUTS for b in telling(layout.build(12))]


def verdicts(findings: Findings) -> dict[str, BranchVerdict]:
    return {b.branch_id: b.verdict for b in findings.branches}


@pytest.mark.long(but=4)
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_a_sound_circuit_is_called_sound(layout: Any) -> None:
    circuit = layout.build(12)
    findings = judged(circuit, drops_with(circuit, 80, {}))
    assert not {v for v in verdicts(findings).values() if v in (BranchVerdict.EXCESS, BranchVerdict.CHECK_PROBES)}
    for b in findings.branches:
        assert b.excess_low_ohm is None or b.excess_low_ohm <= 0 <= (b.excess_high_ohm or 0), b.branch_id


@pytest.mark.long(but=12)
@pytest.mark.parametrize(("layout", "branch_id"), RING_BRANCHES[::2])
def test_a_fault_on_the_ring_is_the_worst_branch(layout: str, branch_id: str) -> None:
    circuit = build_layout(layout, 12)
    findings = judged(circuit, drops_with(circuit, 80, {branch_id: 3e-3}, clamped=True))
    worst = max(findings.branches, key=lambda b: b.excess_heat_w or 0)
    assert worst.branch_id == branch_id == findings.headline.element
    assert worst.excess_ohm == pytest.approx(3e-3, rel=0.12)
    assert {b.branch_id for b in findings.branches if (b.probability or 0) > 0.5} == {branch_id}


@pytest.mark.long
@given(
    case=st.sampled_from(RING_BRANCHES),
    extra_mohm=st.floats(1.0, 20.0),
    current=st.floats(45.0, 90.0),
    volts=st.sampled_from([12, 24]),
)
@settings(max_examples=30, derandomize=True)
def test_the_excess_found_is_the_resistance_hidden(case: tuple[str, str], extra_mohm: float, current: float, volts: int) -> None:
    layout, branch_id = case
    circuit = build_layout(layout, volts)
    findings = judged(circuit, drops_with(circuit, round(current, 1), {branch_id: extra_mohm / 1000}, clamped=True))
    of = branch_of(findings, branch_id)
    assert of.excess_low_ohm is not None and of.excess_high_ohm is not None
    # Drops are rounded to the meter's last digit, which is much of a small excess at a small current.
    digit = 0.0005 / current
    assert of.excess_low_ohm - digit <= extra_mohm / 1000 <= of.excess_high_ohm + digit
    # One reading alone may be a slip, and a little more than sound may be the tolerance of a sound part. Known to be weaker: in a house
    # bank 8 mohm in the charge cable at 69 A stay at 0.47 to 0.5, for nothing else shows them; no example here is of that kind.
    if extra_mohm / 1000 > circuit.branch(branch_id).sound_resistance_ohm(20):
        assert of.probability is not None and of.probability > 0.5
        assert findings.causes[0].cause == f"resistance:{branch_id}"


@pytest.mark.long
@given(st.floats(40, 90), st.floats(40, 90))
@settings(max_examples=8)
def test_the_same_fault_is_judged_alike_at_any_test_current(first: float, second: float) -> None:
    """Drops are judged at rated output: the scaled drop does not depend on the current of the day."""
    circuit = build_layout("rear_battery", 12)
    scaled = [
        next(
            b.judged_drop_v
            for b in judged(circuit, drops_with(circuit, round(c, 1), {"rear_ground": 2e-3})).branches
            if b.branch_id == "rear_ground"
        )
        for c in (first, second)
    ]
    assert scaled[0] == pytest.approx(scaled[1], abs=0.003)


@pytest.mark.parametrize("branch_id", ["charge_cable", "charge_fuse", "mount"])
def test_swapped_probes_are_seen(branch_id: str) -> None:
    circuit = build_layout("front_battery", 12)
    findings = judged(circuit, drops_with(circuit, 80, {}, reverse=branch_id))
    assert verdicts(findings)[branch_id] is BranchVerdict.CHECK_PROBES


def test_a_parallel_branch_is_judged_the_way_its_current_runs() -> None:
    """Drops of a branch drawn against the current are negative, and that is no probe problem."""
    document = build_layout("front_battery", 12).model_dump(mode="json")
    for branch in document["branches"]:
        if branch["id"] == "engine_strap":
            branch["from_node"], branch["to_node"] = branch["to_node"], branch["from_node"]
    circuit = Circuit.model_validate(document)
    findings = judged(circuit, drops_with(circuit, 80, {}))
    strap = next(b for b in findings.branches if b.branch_id == "engine_strap")
    assert strap.measured_drop_v is not None and strap.measured_drop_v < 0
    assert strap.verdict is BranchVerdict.PASS
    # What little current it carries says less of it than what sound lugs differ by.
    assert strap.excess_ohm == pytest.approx(0, abs=0.1e-3)


@pytest.mark.long(but=1)
@pytest.mark.parametrize("profile", list(LimitProfileName))
@given(extra=st.floats(0, 10))
@settings(max_examples=6)
def test_more_resistance_never_gives_a_better_verdict(profile: LimitProfileName, extra: float) -> None:
    circuit = build_layout("rear_battery", 12)
    order = [BranchVerdict.PASS, BranchVerdict.CLOSE, BranchVerdict.UNDECIDED, BranchVerdict.EXCESS, BranchVerdict.FAIL]
    less, more = (
        verdicts(judged(circuit, drops_with(circuit, 80, {"battery_lead": mohm / 1000}), profile=profile))["battery_lead"]
        for mohm in (extra, extra + 2)
    )
    assert order.index(more) >= order.index(less)


def test_the_stricter_profile_never_forgives() -> None:
    circuit = build_layout("front_battery", 12)
    run = drops_with(circuit, 80, {"mount": 1e-3})
    common, strict = (judged(circuit, run, profile=p) for p in (LimitProfileName.COMMON, LimitProfileName.STRICT))
    for loose, tight in zip(common.branches, strict.branches, strict=True):
        assert tight.limit_v < loose.limit_v
        if loose.verdict is BranchVerdict.FAIL:
            assert tight.verdict is BranchVerdict.FAIL

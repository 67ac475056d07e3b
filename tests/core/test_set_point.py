"""The regulator's set point against batteries, lamps and electronics."""

from __future__ import annotations

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.planning.set_point import needs_acknowledging, set_point


def codes(circuit: Circuit, volts: float | None = None) -> dict[str, str]:
    return {f.code: f.severity.value for f in set_point(circuit, volts).findings}


def test_lead_is_charged_with_what_the_trade_says() -> None:
    """Common practice: 13.9 to 14.8 V for lead on 12 V, twice that on 24 V; 15.5 to 16 V cooks batteries and lamps."""
    car = build_layout("front_battery", 12)
    assert codes(car, 14.4) == {"not_compensated": "note"}
    for volts in (13.9, 14.8):
        assert not {"too_high:battery", "too_low:battery"} & codes(car, volts).keys()
    assert codes(car, 13.5)["too_low:battery"] == "warning" and codes(car, 14.9)["too_high:battery"] == "warning"
    lorry = build_layout("front_battery", 24)
    assert set_point(lorry).least_v == pytest.approx(27.8) and "too_high:battery" not in codes(lorry, 28.8)


@pytest.mark.parametrize(("volts", "system", "high"), [(15.0, 12, False), (15.1, 12, True), (29.9, 24, False), (30.2, 24, True)])
def test_above_fifteen_volts_it_has_to_be_wanted(volts: float, system: int, high: bool) -> None:
    circuit = build_layout("front_battery", system)
    assert needs_acknowledging(circuit, volts) is high and set_point(circuit, volts).high is high
    assert (codes(circuit, volts).get("set_point_high") == "danger") is high


def test_a_lamp_lives_by_the_thirteenth_power() -> None:
    """13.2 V rated, 15.8 V: (13.2 / 15.8) ** 13, about a tenth of its life is left."""
    seen = set_point(build_layout("front_battery", 12), 15.8)
    assert seen.lamp_life == pytest.approx((13.2 / 15.8) ** 13) and 0.08 < (seen.lamp_life or 0) < 0.12
    assert set_point(build_layout("front_battery", 12), 14.4).lamp_life is None


def test_cold_batteries_want_more() -> None:
    """-4 mV a cell and kelvin: six cells, 35 K under 25 degC, 0.84 V more."""
    seen = set_point(build_layout("front_battery", 12))
    assert seen.proposed_v is not None and seen.at_cold_v == pytest.approx(seen.proposed_v + 0.84)
    assert seen.at_warm_v == pytest.approx(seen.proposed_v - 0.36)
    document = build_layout("front_battery", 12).model_dump(mode="json")
    document["alternators"][0]["compensation_mv_per_k"] = -20
    follows = Circuit.model_validate(document)
    assert set_point(follows).compensated and "not_compensated" not in codes(follows)


def mixed(one: str, other: str) -> Circuit:
    document = build_layout("parallel_batteries", 12).model_dump(mode="json")
    for battery, chemistry in zip(document["batteries"], (one, other), strict=True):
        battery["chemistry"] = chemistry
    return Circuit.model_validate(document)


def test_two_chemistries_on_one_regulator_are_called_out() -> None:
    assert codes(mixed("flooded", "gel"))["two_chemistries"] == "warning"
    seen = set_point(mixed("agm", "gel"))
    assert (seen.least_v, seen.most_v) == (14.0, 14.4) and seen.proposed_v == pytest.approx(14.2)
    assert codes(mixed("agm", "lifepo4"))["lithium_on_alternator"] == "warning"
    assert "two_chemistries" not in codes(mixed("agm", "agm"))


def test_a_battery_behind_a_charger_is_that_chargers_to_fill() -> None:
    seen = set_point(build_layout("second_battery_converter", 12))
    assert [w.battery_id for w in seen.windows] == ["battery"] and "two_chemistries" not in {f.code for f in seen.findings}


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda x: x.name)
def test_no_ready_layout_overcharges(layout: object) -> None:
    for volts in (12, 24):
        assert not [c for c in codes(layout.build(volts)) if c.startswith(("too_", "set_point"))]  # type: ignore[attr-defined]

"""Whole circuits worked by hand, by another method than the solver's: current dividers, mesh equations, star and delta."""

from __future__ import annotations

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.network import CurrentSource, EmfSource, Resistor, solve_network
from mavrik.core.operating.prediction import Prediction, at_output, predict
from tests.build import branch_of, drop_run, judged, simple_circuit

LUGS = 0.1e-3
"""Two lugs of 0.05 mohm."""


def class_5(ohm_per_km: float, metres: float, degc: float) -> float:
    """IEC 60228 resistance at temperature by IEC 60028, with both lugs [ohm]."""
    return ohm_per_km / 1000 * metres * (1 + 0.00393 * (degc - 20)) + LUGS


def at(circuit: Circuit, amps: float) -> Prediction:
    """A known output at 14.4 V, 40 degC under the bonnet, 20 degC elsewhere."""
    return predict(circuit, at_output(circuit, amps, 14.4, engine_space_c=40, ambient_c=20))


def test_parallel_grounds_of_the_front_layout_by_current_divider() -> None:
    """80 A home: 25 mm2 x 0.7 m beside 10 mm2 x 0.4 m and 16 mm2 x 0.4 m in a row, all at 40 degC under the bonnet."""
    direct = class_5(0.780, 0.7, 40)
    around = class_5(1.91, 0.4, 40) + class_5(1.21, 0.4, 40)
    through_direct = 80 * around / (direct + around)
    seen = at(build_layout("front_battery", 12), 80)
    assert seen.current_a["block_ground"] == pytest.approx(through_direct)
    assert seen.current_a["engine_strap"] == pytest.approx(80 - through_direct)
    assert seen.drop_v["block_ground"] == pytest.approx(through_direct * direct)
    assert seen.drop_v["mount"] == pytest.approx(80 * 0.1e-3)
    feed = class_5(0.780, 1.2, 40) + 0.08 / 125 + class_5(0.780, 0.15, 40)
    assert seen.node_v["alt_stud"] - seen.node_v["bat_pos"] == pytest.approx(80 * feed)


def test_two_batteries_by_mesh_equations() -> None:
    """Battery 1 with its ground of a mohm, beside battery 2 behind a link and a ground of its own.

    Both full and charging: 1.75 V over rest for 2 % of 70 Ah an hour is 1.25 ohm each.
    """
    direct = class_5(0.780, 0.7, 40)
    around = class_5(1.91, 0.4, 40) + class_5(1.21, 0.4, 40)
    first = 1.25 + direct * around / (direct + around)
    second = 1.25 + 2 * 0.08 / 200 + class_5(0.272, 1.6, 40) + class_5(0.780, 0.9, 40)
    into_second = 66 * first / (first + second)
    seen = at(build_layout("parallel_batteries", 12), 66)
    for branch in ("link_fuse", "link_cable", "link_fuse_2"):
        assert seen.current_a[branch] == pytest.approx(into_second)
    assert seen.current_a["ground_2"] == pytest.approx(into_second)
    assert seen.current_a["charge_cable"] == pytest.approx(66)


def test_the_rear_layout_is_a_plain_series() -> None:
    """Under the bonnet 40 degC, in the cabin and the body 20 degC."""
    parts = {
        "charge_cable": class_5(0.554, 1.0, 40), "long_feed": class_5(0.272, 4.5, 20), "charge_fuse": 0.08 / 150,
        "battery_lead": class_5(0.272, 0.15, 20), "rear_ground": class_5(0.554, 0.4, 20), "body": 0.3e-3,
        "engine_strap": class_5(0.554, 0.4, 40), "mount": 0.1e-3,
    }  # fmt: skip
    seen = at(build_layout("rear_battery", 12), 60)
    for branch, ohm in parts.items():
        assert seen.drop_v[branch] == pytest.approx(60 * ohm), branch
    lost = 60 * sum(parts.values())
    assert seen.node_v["bat_pos"] - seen.node_v["bat_neg"] == pytest.approx(14.4 - lost)


def test_a_bridge_by_star_and_delta() -> None:
    """An unbalanced bridge of 1, 2, 3, 4 and 5 ohm: by delta-to-star the resistance between its ends is 2.0833... ohm."""
    # Delta 1-2-5 (from p to x, p to y, x to y) becomes the star pa = 1*2/8, xa = 1*5/8, ya = 2*5/8.
    pa, xa, ya = 1 * 2 / 8, 1 * 5 / 8, 2 * 5 / 8
    upper, lower = xa + 3, ya + 4
    whole = pa + upper * lower / (upper + lower)
    bridge = [("p", "x", 1), ("p", "y", 2), ("x", "n", 3), ("y", "n", 4), ("x", "y", 5)]
    solution = solve_network(
        [*(Resistor(f"r{k}", a, b, float(r)) for k, (a, b, r) in enumerate(bridge)), CurrentSource("n", "p", 1)], "n"
    )
    assert solution.node_v["p"] == pytest.approx(whole)
    assert solution.current_a["r2"] + solution.current_a["r3"] == pytest.approx(1)


def test_a_flat_battery_beside_a_full_one_by_cramers_rule() -> None:
    """12.8 V behind 5 mohm beside 12.0 V behind 8 mohm, 40 A charging: two mesh equations, solved by determinants."""
    e1, r1, e2, r2, charging = 12.8, 0.005, 12.0, 0.008, 40.0
    # i1 + i2 = 40; e1 + r1 i1 = e2 + r2 i2
    determinant = 1 * -r2 - 1 * r1
    i1 = (charging * -r2 - 1 * (e2 - e1)) / determinant
    i2 = (1 * (e2 - e1) - r1 * charging) / determinant
    solution = solve_network(
        [CurrentSource("n", "p", charging), EmfSource("a", "p", "n", e1, r1), EmfSource("b", "p", "n", e2, r2)], "n"
    )
    assert (solution.current_a["a"], solution.current_a["b"]) == (pytest.approx(i1), pytest.approx(i2))
    assert solution.current_a["a"] < 0 < solution.current_a["b"]  # the full one feeds the flat one


def test_power_saved_goes_with_the_drop() -> None:
    """Common practice, no source: an old lead read 0.55 V, its replacement 0.11 V: 80 % less power lost at one current."""
    heats = []
    for drop in (0.55, 0.11):
        circuit = simple_circuit()
        heats.append(branch_of(judged(circuit, drop_run(circuit, 150, home=drop)), "home").heat_w)
    assert heats[0] == pytest.approx(82.5)
    assert 1 - heats[1] / heats[0] == pytest.approx(0.80)  # type: ignore[operator]

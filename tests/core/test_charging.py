"""Chargers beside the alternator: the sun's day, stages, and who holds whom off."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mavrik.core.circuit import BenchCharger, Circuit, Load
from mavrik.core.circuit.layouts import build_layout, front_battery
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.planning.balance import balance
from mavrik.core.planning.charging import Chargers, sun_share
from mavrik.core.planning.simulation import SimulationRequest, SimulationView, simulate
from mavrik.core.planning.use import Consumer, Scene, UseRequest


def charger(name: str, set_point_v: float, **more: Any) -> BenchCharger:
    return BenchCharger(
        id=name.lower(), label=name, positive_node=BARE.battery.positive_node, negative_node=BARE.battery.negative_node,
        **{"limit_a": 10.0, "set_point_v": set_point_v, **more},
    )  # fmt: skip


BARE = front_battery(12)
STANDING = Scene(label="Standing", engine_rpm=0, hours_a_day=24, plugged_in=True)


def with_chargers(*chargers: BenchCharger) -> Circuit:
    return BARE.model_copy(update={"chargers": chargers, "loads": ()})


def let_go_by(circuit: Circuit, *scenes: Scene, days: float = 1, charge: float = 0.8, **more: Any) -> SimulationView:
    use = UseRequest(scenes=scenes, starts_a_day=0, asleep_a=0.0, state_of_charge=charge, coldest_c=25, warmest_c=25, **more)
    return simulate(circuit, use, SimulationRequest(days=days, runs=1))


@pytest.mark.long
@given(sun_h=st.floats(0.1, 7.5))
def test_a_day_of_sun_holds_the_hours_it_is_worth(sun_h: float) -> None:
    hours = np.linspace(0, 24, 24_001)
    assert np.trapezoid([sun_share(h, sun_h) for h in hours], hours) == pytest.approx(sun_h, rel=1e-3)


def test_what_a_load_takes_is_what_a_charger_gives_and_the_battery_loses() -> None:
    """Five amperes for a day are 120 Ah, whoever gives them."""
    five = Load(id="five", label="Five", from_node=BARE.battery.positive_node, to_node=BARE.battery.negative_node, current_a=5.0)
    circuit = with_chargers(charger("Shore", 14.2)).model_copy(update={"loads": (five,)})
    consumers = (Consumer(label="Five", current_a=5.0, origin="circuit", load_id="five"),)
    seen = let_go_by(circuit, STANDING.model_copy(update={"on": ("Five",)}), consumers=consumers)
    assert seen.used_ah == pytest.approx(120, rel=1e-6) and seen.made_ah == pytest.approx(0, abs=1e-9)
    assert seen.chargers[0].given_ah > 120 and seen.stored_ah > 0


def test_of_two_chargers_the_higher_holds_the_lower_off() -> None:
    """Common practice: each has its own idea of the voltage; one set higher holds the others off."""
    seen = let_go_by(with_chargers(charger("Shore", 14.4), charger("Panel", 13.6)), STANDING, days=2, charge=0.95)
    shore, panel = seen.chargers
    assert shore.held_off_h == 0 and panel.held_off_h > 24 and panel.held_off_by == "Shore"
    assert shore.given_ah > 3 * panel.given_ah and shore.fed_h == pytest.approx(48, abs=0.1)


def test_a_panel_charges_by_day_alone_and_not_when_the_alternator_holds_more() -> None:
    circuit = with_chargers(charger("Panel", 13.8, fed_by="sun"))
    still = let_go_by(circuit, STANDING, charge=0.5, sun_h=4.0)
    assert still.chargers[0].fed_h == pytest.approx(12, abs=0.4) and still.chargers[0].given_ah == pytest.approx(40, rel=0.05)
    (given_a,) = [c for c in still.curves if c.name == "charger_a"]
    night = [a for a, h in zip(given_a.nominal, still.time_h, strict=True) if h < 5.5 or h > 18.5]
    assert max(night) == 0 and max(given_a.nominal) > 4
    driven = Scene(label="Driven", engine_rpm=2500, hours_a_day=24)
    seen = let_go_by(circuit, driven, charge=0.97, sun_h=4.0).chargers[0]
    assert seen.held_off_h > 6 and seen.held_off_by == circuit.alternator.label


def test_a_charger_goes_to_float_and_a_dip_sends_it_back() -> None:
    """A charger with a float of its own: it charges, holds float, and a load that pulls the battery down begins it anew."""
    circuit = with_chargers(charger("Shore", 14.4, limit_a=6.0, float_v=13.5, again_below_v=13.4))
    quiet = let_go_by(circuit, STANDING, days=3, charge=0.9)
    (fate,) = quiet.chargers
    assert fate.floated_h > 24 and fate.began_anew == 0
    assert next(c for c in quiet.curves if c.name == "volts").nominal[-1] == pytest.approx(13.5, abs=0.02)
    pump = (Consumer(label="Pump", current_a=20.0, origin="entered"),)
    scenes = (
        STANDING.model_copy(update={"hours_a_day": 23.0}),
        STANDING.model_copy(update={"label": "Pumping", "hours_a_day": 1.0, "on": ("Pump",)}),
    )
    busy = let_go_by(circuit, *scenes, days=3, charge=0.9, consumers=pump)
    assert busy.chargers[0].began_anew >= 2
    # One that has no float goes on as it is.
    assert let_go_by(with_chargers(charger("Shore", 14.4)), STANDING, days=3, charge=0.9).chargers[0].floated_h == 0


@pytest.mark.long
def test_a_dc_dc_charger_with_stages_stops_overcharging_a_full_bank_on_the_road() -> None:
    """Driven all day with a lithium bank behind it: held at its first voltage the bank is full and held there; with a float it rests."""
    circuit = build_layout("second_battery_converter", 12).model_copy(update={"loads": ()})
    (plain,) = circuit.converters
    driven = Scene(label="Driven", engine_rpm=2500, hours_a_day=24)
    held = let_go_by(circuit, driven, days=2, charge=0.8)
    staged = circuit.model_copy(update={"converters": (plain.model_copy(update={"float_v": 13.5}),)})
    floated = let_go_by(staged, driven, days=2, charge=0.8)
    (fate,) = floated.chargers
    assert fate.floated_h > 20 and fate.label == plain.label and held.chargers[0].floated_h == 0
    house = [next(b for b in seen.batteries if b.label == circuit.batteries[1].label) for seen in (held, floated)]
    assert house[0].overcharged_h > 20 and house[1].overcharged_h < 5
    # With the engine off it gives nothing, and begins anew at the next start.
    half = [Scene(label="Driven", engine_rpm=2500, hours_a_day=12), Scene(label="Parked", engine_rpm=0, hours_a_day=12)]
    rested = let_go_by(staged, *half, days=2, charge=0.8)
    assert rested.chargers[0].fed_h == pytest.approx(24, abs=0.2)
    # What it passes on is not made a second time: what went in is in the batteries, or was lost or used on the way.
    assert rested.stored_ah <= rested.made_ah - rested.used_ah + 0.1


@pytest.mark.parametrize("kind", ["chargers", "converters"])
def test_stages_that_contradict_each_other_are_said_at_their_field(kind: str) -> None:
    base = with_chargers(charger("Shore", 14.4)) if kind == "chargers" else build_layout("second_battery_converter", 12)

    def fields(**stages: float) -> list[str]:
        part = getattr(base, kind)[0].model_copy(update=stages)
        return [p.field for p in check_circuit(base.model_copy(update={kind: (part,)})) if p.element == part.id]

    assert fields(float_v=13.5, again_below_v=12.8) == []
    assert fields(float_v=14.6) == ["float_v"]
    assert fields(float_v=13.5, again_below_v=13.8) == ["again_below_v"]


def test_stages_by_hand() -> None:
    """At its voltage with little to give: float. Below the dip: bulk. Without anything that feeds it: bulk, when that comes back."""
    circuit = with_chargers(charger("Shore", 14.4, limit_a=10.0, float_v=13.5))
    held = Chargers.of(circuit, 1)
    assert held.holds_v().tolist() == [[14.4]]

    def go_on(most: float, gives: float, volts: float) -> bool:
        held.go_on(0.1, np.array([most]), np.array([[gives]]), np.array([[volts]]))
        return bool(held.floats[0, 0])

    assert not go_on(10, 9, 14.0) and not go_on(10, 2, 14.4) and go_on(10, 0.4, 14.4)
    assert held.holds_v().tolist() == [[13.5]] and go_on(10, 3, 13.5) and go_on(10, 10, 13.05)
    assert (
        not go_on(10, 10, 12.95) and not any(go_on(10, 2, 14.4) for _ in range(39)) and go_on(10, 2, 14.4)
    )  # four hours at the top
    assert not go_on(10, 10, 12.95) and go_on(10, 0.1, 14.4) and not go_on(0, 0, 13.4)


def test_a_day_s_balance_has_what_is_plugged_in_and_what_the_sun_gives() -> None:
    still = Scene(label="Standing", engine_rpm=0, hours_a_day=24)
    pump = (Consumer(label="Pump", current_a=3.0, origin="entered"),)
    use = UseRequest(
        consumers=pump, scenes=(still.model_copy(update={"on": ("Pump",)}),), starts_a_day=0, asleep_a=0.0, coldest_c=25, warmest_c=25
    )  # fmt: skip
    bare = balance(BARE.model_copy(update={"loads": ()}), use).day[0]
    assert bare.net_ah == pytest.approx(-72, rel=1e-6) and bare.days is not None
    sun = balance(with_chargers(charger("Panel", 14.4, fed_by="sun", limit_a=24.0)), use.model_copy(update={"sun_h": 2.0})).day[0]
    assert sun.net_ah == pytest.approx(-72 + 24 * 2, rel=1e-6)
    unplugged = balance(with_chargers(charger("Shore", 14.4)), use).day[0]
    plugged = balance(
        with_chargers(charger("Shore", 14.4)), use.model_copy(update={"scenes": (STANDING.model_copy(update={"on": ("Pump",)}),)})
    ).day[0]
    assert unplugged.net_ah == pytest.approx(-72, rel=1e-6) and plugged.net_ah > 0

"""A circuit at any state: laws of circuits as properties, then what the trade expects of each device."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.sources import (
    charging_resistance_ohm,
    internal_resistance_factor,
    output_limit_a,
    rest_voltage_v,
)
from mavrik.core.circuit import AlternatorFault, Circuit, as_sound
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.rules import CircuitError
from mavrik.core.network import NoOperatingPointError
from mavrik.core.operating import BankLoad, DeadShort, DeviceFlow, Engine, OperatingPoint, State, solve_circuit
from mavrik.core.operating.warm_cables import curve_of, surroundings_c
from mavrik.exchange.spice import write_netlist
from tests.build import simple_document

BUILT = {(x.name, v): x.build(v) for x in LAYOUTS for v in (12, 24)}


def device(point: OperatingPoint, device_id: str, kind: str = "") -> DeviceFlow:
    return next(d for d in point.devices if d.device_id == device_id and kind in ("", d.kind))


def branch(point: OperatingPoint, branch_id: str) -> Any:
    return next(b for b in point.branches if b.branch_id == branch_id)


STATES = st.builds(
    State,
    engine_rpm=st.floats(0, 7000),
    engine_space_c=st.floats(-20, 110),
    ambient_c=st.floats(-20, 45),
    alternator_c=st.floats(-20, 120),
    warmed_up=st.booleans(),
    cranking=st.booleans(),
    state_of_charge=st.fixed_dictionaries({"battery": st.floats(0.05, 1)}),
)


@given(st.sampled_from(sorted(BUILT)), STATES)
@settings(max_examples=150, suppress_health_check=[HealthCheck.too_slow])
def test_kirchhoff_and_energy_hold_in_every_layout_at_any_state(which: tuple[str, int], state: State) -> None:
    circuit = BUILT[which]
    point = solve_circuit(circuit, state)
    into: dict[str, float] = defaultdict(float)
    for b in circuit.branches:
        amps = branch(point, b.id).current_a
        into[b.to_node] += amps
        into[b.from_node] -= amps
    for a in circuit.alternators:
        into[a.stud_node] += device(point, a.id).current_a
        into[a.case_node] -= device(point, a.id).current_a
    for battery in circuit.batteries:
        into[battery.positive_node] += device(point, battery.id).current_a
        into[battery.negative_node] -= device(point, battery.id).current_a
    for load in circuit.loads:
        into[load.from_node] += device(point, load.id).current_a
        into[load.to_node] -= device(point, load.id).current_a
    for c in circuit.converters:
        into[c.in_node] += device(point, c.id, "converter_in").current_a
        into[c.out_node] += device(point, c.id, "converter_out").current_a
        into[c.ground_node] -= device(point, c.id, "converter_in").current_a + device(point, c.id, "converter_out").current_a
    assert max(map(abs, into.values())) < 1e-4
    assert point.given_w == pytest.approx(point.taken_w + point.lost_w, abs=1e-2, rel=1e-6)


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda x: x.name)
def test_a_sweep_gives_what_one_at_a_time_gives(layout: Any) -> None:
    circuit = layout.build(12)
    engine = Engine(circuit, State(engine_rpm=2000))
    values = engine.values()
    limits = [[5.0] * len(circuit.alternators), [40.0] * len(circuit.alternators), [200.0] * len(circuit.alternators)]
    swept = engine.network.solve_many(values.__class__(**{**values.__dict__, "limit_a": limits}))
    for k, limit in enumerate(limits):
        one = engine.network.solve(values.__class__(**{**values.__dict__, "limit_a": limit}))
        row = dict(zip(engine.network.nodes, swept.node_v[k].tolist(), strict=True))
        assert row == pytest.approx(dict(one.node_v), abs=1e-7)


def test_idle_covers_less_than_cruise() -> None:
    """Common practice: a nameplate is not the idle figure."""
    circuit = build_layout("competition_car", 12)
    bank = BankLoad(from_node="bat_pos", to_node="bat_neg", current_a=45)
    idle, cruise = (solve_circuit(circuit, State(engine_rpm=rpm, alternator_c=100, bank=bank)) for rpm in (700, 2500))
    assert device(idle, "battery").does == "discharging" and device(idle, "alternator").does == "at its limit"
    assert device(cruise, "alternator").does == "regulating" and device(cruise, "battery").does == "charging"


def test_cranking_drops_the_battery_as_its_resistance_says() -> None:
    """640 CCA class: 12.65 V behind 6 mohm, a starter of 350 A at 12 V: about 10.4 V at the posts, worked by hand."""
    point = solve_circuit(build_layout("winch", 12), State(cranking=True, ambient_c=20, engine_space_c=20))
    amps = -device(point, "battery").current_a
    assert device(point, "battery").volts == pytest.approx(12.65 + 0.006 * amps)
    assert device(point, "starter").current_a == pytest.approx(amps, abs=1e-3)
    assert device(point, "alternator").current_a == 0
    assert 9.6 < device(point, "battery").volts < 11


def test_a_cold_battery_cranks_worse() -> None:
    document = build_layout("winch", 12).model_dump(mode="json")
    document["batteries"][0]["temperature_c"] = -18
    cold = solve_circuit(Circuit.model_validate(document), State(cranking=True))
    warm = solve_circuit(build_layout("winch", 12), State(cranking=True))
    assert device(cold, "battery").volts < device(warm, "battery").volts - 0.3


def test_a_bank_taken_off_at_one_end_works_its_near_battery_hardest() -> None:
    """Common practice: parallel banks are taken off diagonally, or the near battery works harder."""
    shares = {}
    for name in ("house_bank_end", "house_bank_diagonal"):
        point = solve_circuit(build_layout(name, 12), State(engine_rpm=0))
        shares[name] = [device(point, f"bank_{k}").current_a for k in range(1, 5)]
    end, diagonal = shares["house_bank_end"], shares["house_bank_diagonal"]
    assert end == sorted(end, reverse=True) and end[0] > 1.1 * end[3]
    assert diagonal[0] == pytest.approx(diagonal[3], rel=1e-3)
    assert max(diagonal) / min(diagonal) < max(end) / min(end)


def test_a_link_closes_while_charging_and_stays_open_at_rest() -> None:
    circuit = build_layout("second_battery_link", 12)
    running, resting = solve_circuit(circuit, State(engine_rpm=2500)), solve_circuit(circuit, State(engine_rpm=0))
    assert branch(running, "link").closed and device(running, "house").does == "charging"
    assert not branch(resting, "link").closed and branch(resting, "link").resistance_ohm is None
    kept = solve_circuit(circuit, State(engine_rpm=0, contacts={"link": True}, state_of_charge={"house": 0.5, "battery": 1.0}))
    assert not branch(kept, "link").closed  # the flat one pulls it below its cut-out of 12.7 V


def test_about_thirty_amperes_in_for_twenty_five_out() -> None:
    """Common practice: a DC-DC charger takes about 30 A in for 25 A out."""
    point = solve_circuit(build_layout("tow_and_trailer", 12), State(engine_rpm=2500))
    assert device(point, "charger", "converter_out").current_a == pytest.approx(25)
    assert 26 < -device(point, "charger", "converter_in").current_a < 31


def test_a_thin_long_run_starves_the_charger_and_it_stops() -> None:
    document = build_layout("tow_and_trailer", 12).model_dump(mode="json")
    for b in document["branches"]:
        if b["id"] in ("tow_feed", "trailer_feed", "trailer_return", "tow_return"):
            b["size"] = "1.5 mm2"
    point = solve_circuit(Circuit.model_validate(document), State(engine_rpm=2500))
    assert device(point, "charger", "converter_out").current_a == 0
    assert any("DC-DC charger stopped" in note for note in point.notes)


def test_an_open_cut_off_leaves_the_alternator_keeping_the_car_alive() -> None:
    """Common practice: an emergency switch must stop a running engine, and the battery alone does not."""
    circuit = build_layout("competition_car", 12)
    point = solve_circuit(circuit, State(engine_rpm=2500, contacts={"cut_off": False}))
    assert device(point, "battery").current_a == pytest.approx(0, abs=1e-3)
    assert device(point, "ignition").volts > 13 and device(point, "alternator").current_a == pytest.approx(18, abs=0.1)


def test_remote_sense_makes_up_for_the_diodes() -> None:
    point = solve_circuit(build_layout("boat_isolator", 12), State(engine_rpm=2500))
    assert device(point, "battery").volts == pytest.approx(14.4, abs=1e-3)
    assert point.node_voltages_v["alt_stud"] > 15.0


def test_a_dead_short_is_fed_by_the_battery_through_the_fuse() -> None:
    short = DeadShort(from_node="alt_stud", to_node="alt_case", resistance_mohm=1)
    point = solve_circuit(build_layout("front_battery", 12), State(engine_rpm=2000, fault=short))
    assert branch(point, "charge_fuse").current_a < -800
    assert device(point, "fault").current_a < -800


def test_a_known_output_is_taken_as_it_is() -> None:
    point = solve_circuit(build_layout("front_battery", 12), State(output_a={"alternator": 33.0}))
    assert device(point, "alternator").current_a == 33 and device(point, "alternator").does == "forced"


@pytest.mark.parametrize(
    ("state", "element"),
    [
        ({"loads_on": {"ghost": True}}, "ghost"),
        ({"contacts": {"charge_cable": False}}, "charge_cable"),
        ({"output_a": {"battery": 3}}, "battery"),
        ({"state_of_charge": {"alternator": 0.5}}, "alternator"),
        ({"bank": {"from_node": "nowhere", "to_node": "bat_neg", "current_a": 5}}, "bank"),
        ({"fault": {"from_node": "bat_pos", "to_node": "bat_pos"}}, "fault"),
    ],
)
def test_a_state_of_what_is_not_there_is_refused_by_name(state: dict[str, Any], element: str) -> None:
    with pytest.raises(CircuitError) as caught:
        solve_circuit(build_layout("front_battery", 12), State.model_validate(state))
    assert [p.element for p in caught.value.problems] == [element]


def test_more_power_than_there_is_names_the_load() -> None:
    document = simple_document()
    document["loads"] = [
        {"id": "hog", "label": "Hog", "from_node": "plus", "to_node": "minus", "current_a": 1900, "law": "power"},
    ]
    document["batteries"][0]["internal_mohm"] = 30
    with pytest.raises(NoOperatingPointError, match="hog"):
        solve_circuit(Circuit.model_validate(document), State(engine_rpm=0))


@pytest.mark.parametrize(("charge", "volts"), [(1.0, 12.65), (0.75, 12.45), (0.5, 12.24), (0.25, 12.06), (0.0, 11.89)])
def test_rest_voltages_of_flooded_batteries_are_those_of_bci(charge: float, volts: float) -> None:
    """BCI, from memory."""
    assert rest_voltage_v("flooded", charge) == volts


def test_a_unit_gives_at_idle_what_the_trade_sees() -> None:
    """Common practice: a 170 A unit gave 40 to 60 A at a hot idle, a 95 A unit 25 to 30 A; here at 1600 to 1700 /min of the
    shaft. ISO 8854 states output at 1500 to 1800 and at 6000 /min."""
    assert 40 <= output_limit_a(170, 1650, 100) <= 60
    assert 25 <= output_limit_a(95, 1700, 90) <= 32
    assert output_limit_a(170, 6000, 25) == pytest.approx(170)
    assert output_limit_a(170, 0, 25) == 0


def test_full_and_cold_batteries_take_a_charge_slowly() -> None:
    full, half, cold = (charging_resistance_ohm("flooded", s, 70, t, 0.006) for s, t in ((1.0, 25), (0.5, 25), (0.5, -10)))
    assert full > 10 * half and cold > 2 * half
    assert internal_resistance_factor(25) == 1 and internal_resistance_factor(-20, 0.5) > 2
    with pytest.raises(ValueError, match="between 0 and 1"):
        rest_voltage_v("agm", 1.2)


def changed_alternator(name: str = "front_battery", **changes: object) -> Circuit:
    circuit = build_layout(name, 12)
    first = circuit.alternator.model_copy(update=changes)
    return circuit.model_copy(update={"alternators": (first, *circuit.alternators[1:])})


def test_a_shorted_regulator_gives_all_it_can_at_any_voltage() -> None:
    """Full field: over its set point until the battery gasses, or at its limit. Common practice, no source."""
    point = solve_circuit(changed_alternator(field="full"), State())
    assert 16 < next(d for d in point.devices if d.kind == "alternator").volts <= 18.001
    loaded = State(bank=BankLoad(from_node="bat_pos", to_node="bat_neg", current_a=200))
    point = solve_circuit(changed_alternator(field="full"), loaded)
    assert next(d for d in point.devices if d.kind == "alternator").does == "at its limit"


@pytest.mark.parametrize("fault", [f for f in AlternatorFault if f is not AlternatorFault.NONE])
def test_a_fault_inside_leaves_less_output(fault: AlternatorFault) -> None:
    # A belt slips most where the unit is hardest to turn.
    load = State(engine_rpm=900, bank=BankLoad(from_node="bat_pos", to_node="bat_neg", current_a=200))
    sound, hurt = (
        next(d for d in solve_circuit(changed_alternator(fault=f), load).devices if d.kind == "alternator")
        for f in ("none", fault)
    )
    assert 0.3 * sound.current_a < hurt.current_a < 0.9 * sound.current_a


def test_a_link_waits_its_delay() -> None:
    circuit = build_layout("second_battery_link", 12)
    slow = circuit.model_copy(
        update={"branches": tuple(b.model_copy(update={"delay_s": 120}) if b.id == "link" else b for b in circuit.branches)}
    )
    closed = {
        s: next(b.closed for b in solve_circuit(slow, State(lasts_s=s)).branches if b.branch_id == "link") for s in (30, 300)
    }
    assert closed == {30: False, 300: True}
    kept = solve_circuit(slow, State(engine_rpm=0, lasts_s=30, contacts={"link": True}))
    assert next(b.closed for b in kept.branches if b.branch_id == "link")


def test_a_winch_says_how_long_its_leads_bear_it() -> None:
    circuit = build_layout("winch", 12)
    point = solve_circuit(circuit, State(engine_rpm=1500))
    thin = circuit.model_copy(
        update={"branches": tuple(b.model_copy(update={"size": "16 mm2"}) if b.kind == "cable" else b for b in circuit.branches)}
    )
    hot = [
        b
        for b in solve_circuit(
            thin, State(engine_rpm=1500, bank=BankLoad(from_node="bat_pos", to_node="bat_neg", current_a=300))
        ).branches
        if b.seconds_to_limit
    ]
    assert all(b.limit_c is None for b in point.branches if circuit.branch(b.branch_id).kind == "joint")
    for b in hot:
        branch = thin.branch(b.branch_id)
        assert b.seconds_to_limit == pytest.approx(
            curve_of(branch, surroundings_c(branch, 40, 20)).seconds_to(abs(b.current_a), 105, surroundings_c(branch, 40, 20))
        )


def test_full_and_open_fields_go_out_as_netlists() -> None:
    for field in ("full", "open"):
        assert ".op" in write_netlist(changed_alternator(field=field), State())


def _with_joint(mohm: float | None) -> Circuit:
    circuit = build_layout("front_battery", 12)
    branches = tuple(b.model_copy(update={"measured_mohm": mohm}) if b.id == "mount" else b for b in circuit.branches)
    return circuit.model_copy(update={"branches": branches})


def test_a_measured_joint_drops_what_ohms_law_says_and_is_named() -> None:
    """By hand: 80 A through 6 mohm is 0.48 V; the sound mount of 0.1 mohm loses 8 mV."""
    state = State(output_a={"alternator": 80})
    points = {m: solve_circuit(_with_joint(m), state) for m in (None, 6.0)}
    drops = {m: next(b.drop_v for b in p.branches if b.branch_id == "mount") for m, p in points.items()}
    assert drops[None] == pytest.approx(0.008, rel=1e-6) and drops[6.0] == pytest.approx(0.48, rel=1e-6)
    assert any("as measured" in n and "Alternator mount" in n for n in points[6.0].notes) and not points[None].notes


def test_what_a_measured_cable_has_over_a_sound_one_does_not_follow_temperature() -> None:
    """The metal of copper gains 0.393 % a kelvin; a bad lug on it stays what it is. A cable better than thought is all metal."""
    cable = build_layout("front_battery", 12).branch("charge_cable")
    sound_20c, sound_60c = cable.sound_resistance_ohm(20), cable.sound_resistance_ohm(60)
    worse = cable.model_copy(update={"measured_mohm": sound_20c * 1000 + 5})
    better = cable.model_copy(update={"measured_mohm": sound_20c * 500})
    assert worse.resistance_ohm(60) - worse.resistance_ohm(20) == pytest.approx(sound_60c - sound_20c)
    assert better.resistance_ohm(60) / better.resistance_ohm(20) == pytest.approx(sound_60c / sound_20c)
    assert as_sound(_with_joint(6.0)) == build_layout("front_battery", 12)

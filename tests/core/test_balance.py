"""Whether a vehicle keeps up: amperes by hand, hours by hand, and what contradicts itself."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.loads import consumer_table
from mavrik.core.catalogue.sources import CurvePoint, KnownOutput, OutputBasis, output_limit_a, source_table
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.planning.balance import UseView, balance
from mavrik.core.planning.drive import DriveRequest
from mavrik.core.planning.outlook import on_this_circuit, outlook, outlook_or_none
from mavrik.core.planning.output import OutputRequest, output_curve
from mavrik.core.planning.use import (
    MOST_SPEEDS,
    Consumer,
    OutputRead,
    Scene,
    SpeedHours,
    UseProblemError,
    UseRequest,
    read_speeds,
    usual_use,
)

CAR = build_layout("front_battery", 12)
"""90 A, 2.6 times the engine's speed."""


def use(amps: float = 40.0, duty: float = 1.0, **changes: Any) -> UseRequest:
    """One consumer: an hour at idle, an hour at speed, the rest parked."""
    scenes = (
        Scene(label="Idle", engine_rpm=800, hours_a_day=1, on=("Lamps",)),
        Scene(label="Road", engine_rpm=2500, hours_a_day=1, on=("Lamps",)),
        Scene(label="Parked", engine_rpm=0, hours_a_day=22),
    )
    consumers = (Consumer(label="Lamps", current_a=amps, duty=duty),)
    return UseRequest.model_validate({"consumers": consumers, "scenes": scenes, **changes})


def scene(view: UseView, label: str) -> Any:
    return next(s for s in view.scenes if s.label == label)


def test_idle_by_hand() -> None:
    """2080 /min of the shaft lie 0.4 of the way from 0.42 at 1800 to 0.62 at 2500 /min: half of 90 A cold, 0.85 of that hot."""
    view = balance(CAR, use())
    idle = scene(view, "Idle")
    assert idle.cold.can_a == pytest.approx(45.0, abs=0.01) and idle.hot.can_a == pytest.approx(38.25, abs=0.01)
    assert idle.hot.used_a == pytest.approx(40.0, abs=0.01)
    assert view.idle == "Idle" and view.idle_surplus_a == pytest.approx(-1.75, abs=0.02)
    assert view.headroom_scene == "Idle" and view.headroom_a == view.idle_surplus_a
    assert "short by 1.8 A at a hot idle" in view.headline and not view.keeps_up
    assert [f.code for f in view.findings] == ["short:Idle"]


def test_a_consumer_that_draws_at_times_counts_with_its_mean() -> None:
    view = balance(CAR, use(amps=80, duty=0.25))
    assert scene(view, "Road").hot.used_a == pytest.approx(20, abs=0.01)
    assert view.keeps_up and view.headline.startswith("Keeps up, with 18 A to spare")


def test_a_day_by_hand() -> None:
    """2 A for ten hours, ten starts of 1.8 s at 200 A, 50 mA with the engine off for 22.5 hours."""
    parked = Scene(label="Parked", engine_rpm=0, hours_a_day=10, on=("Lamps",))
    drive = Scene(label="Road", engine_rpm=2500, hours_a_day=1.5)
    view = balance(CAR, use(2.0, scenes=(drive, parked), starts_a_day=10, crank_a=200, crank_s=1.8, asleep_a=0.05))
    (day,) = view.day
    assert day.taken_ah == pytest.approx(20.0, rel=1e-6) and day.cranks_ah == pytest.approx(1.0)
    assert day.asleep_ah == pytest.approx(0.05 * 22.5)
    assert day.net_ah == pytest.approx(day.put_back_ah - 20.0 - 1.0 - 1.125)
    assert view.crank_ah == pytest.approx(0.1)
    # Half of 70 Ah is usable; at 80 % charge 0.3 of it is left. With the engine off all days are the same.
    still = balance(CAR, use(2.0, scenes=(parked,), starts_a_day=10, crank_a=200, crank_s=1.8, asleep_a=0.05)).day[0]
    assert still.net_ah == pytest.approx(-20 - 1 - 1.2) and still.days == pytest.approx(0.3 * 70 / 22.2)
    assert still.settles_at is None and still.flat_only is None


def test_a_battery_that_sinks_takes_more_and_comes_to_rest_lower_down() -> None:
    """4 Ah missing at 80 %; at the charge said, another day of the same comes out even: asked there, nothing is missing."""
    scenes = (
        Scene(label="Parked", engine_rpm=0, hours_a_day=4, on=("Lamps",)),
        Scene(label="Road", engine_rpm=2500, hours_a_day=1.0),
    )
    mild = {"coldest_c": 25, "warmest_c": 25}
    (day,) = balance(CAR, use(3.0, scenes=scenes, starts_a_day=0, **mild)).day
    assert day.net_ah < 0 and day.days is None and day.settles_at is not None and 0.5 < day.settles_at < 0.78
    (there,) = balance(CAR, use(3.0, scenes=scenes, starts_a_day=0, state_of_charge=day.settles_at, **mild)).day
    assert there.net_ah == pytest.approx(0, abs=0.15 * -day.net_ah)
    view = balance(CAR, use(3.0, scenes=scenes, starts_a_day=0, **mild))
    assert view.headline.startswith("Sinks to about") and any(f.code == "sinks:Battery" for f in view.findings)


def test_what_comes_back_is_less_than_what_goes_in() -> None:
    """A flooded battery gives back 0.85 of what is put into it (common practice, no source): an hour at the cold, slower end."""
    drive = Scene(label="Road", engine_rpm=2500, hours_a_day=1)
    view = balance(CAR, use(scenes=(drive,), starts_a_day=0, asleep_a=0))
    road = scene(view, "Road")
    assert view.day[0].put_back_ah == pytest.approx(0.85 * min(road.cold.battery_a, road.hot.battery_a))
    assert road.cold.battery_a < road.hot.battery_a, "a cold battery takes less"


def test_starts_that_are_never_paid_back() -> None:
    """Dozens of restarts a day, idling with everything on: common practice, where batteries die."""
    idle = Scene(label="Idle", engine_rpm=800, hours_a_day=6, on=("Lamps",))
    view = balance(CAR, use(55, scenes=(idle,), starts_a_day=40, crank_a=250))
    assert {"never_repaid", "short:Idle", "flat:Battery"} <= {f.code for f in view.findings}
    assert scene(view, "Idle").repays_min is None
    easy = balance(CAR, use(10, starts_a_day=40, crank_a=250))
    assert 0 < scene(easy, "Road").repays_min < 5 and "never_repaid" not in {f.code for f in easy.findings}


def test_hours_by_speed_weigh_the_idling() -> None:
    """100 of 247 hours at idle, as a boat's computer may say."""
    speeds = tuple(SpeedHours(engine_rpm=r, hours=h) for r, h in ((700, 100), (1500, 60), (2500, 60), (3500, 27)))
    view = balance(CAR, use(speeds=speeds, engine_hours=247))
    assert view.short_share == pytest.approx(100 / 247) and sum(s.share for s in view.speeds) == pytest.approx(1)
    assert view.mean_surplus_a == pytest.approx(sum(s.share * (s.hot_can_a - s.used_a) for s in view.speeds))
    assert view.driving == "Road" and any(f.code == "short_hours" and "40%" in f.title for f in view.findings)


def test_what_was_read_scales_the_units_table() -> None:
    """30.6 A read where the table says 38.25 A hot: four fifths of it, cold as hot."""
    view = balance(CAR, use(read=OutputRead(current_a=30.6, engine_rpm=800)))
    assert view.scale == pytest.approx(0.8) and scene(view, "Idle").cold.can_a == pytest.approx(36.0, abs=0.01)
    assert any(f.code == "scaled" and f.severity.value == "note" for f in view.findings)


def test_a_load_that_collapses_the_voltage_is_a_danger() -> None:
    inverter = (Consumer(label="Lamps", current_a=1500, law="power"),)
    view = balance(CAR, use(consumers=inverter))
    assert scene(view, "Idle").hot.volts is None and view.findings[0].severity.value == "danger"


def test_a_charger_counts_with_what_it_takes() -> None:
    """25 A at 14.4 V out are, at 88 %, some 30 A in (common practice: about 30 A in for 25 A out)."""
    circuit = build_layout("second_battery_converter", 12)
    road = (Scene(label="Road", engine_rpm=3000, hours_a_day=2),)
    view = balance(circuit, UseRequest(scenes=road, state_of_charge=0.3, coldest_c=25, warmest_c=25))
    assert 25 < scene(view, "Road").hot.used_a < 32
    house = next(d for d in view.day if d.label == "House battery")
    assert house.put_back_ah == pytest.approx(2 * 25 * 0.99, rel=0.02)


@settings(max_examples=25)
@given(
    layout=st.sampled_from([x for x in LAYOUTS if x.name not in ("tow_and_trailer", "second_battery_converter")]),
    amps=st.floats(0.5, 60),
    rpm=st.floats(600, 4000),
    charge=st.floats(0.2, 1.0),
)
def test_what_is_made_goes_into_consumers_and_batteries(layout: Any, amps: float, rpm: float, charge: float) -> None:
    """Kirchhoff: where nothing converts, used and charged make up what is made; a surplus is what could be made over what is used."""
    circuit = layout.build(12)
    use = UseRequest(
        consumers=(Consumer(label="Lamps", current_a=amps),),
        scenes=(Scene(label="Now", engine_rpm=rpm, hours_a_day=1, on=("Lamps",)),),
        state_of_charge=charge,
    )
    for flow in (balance(circuit, use).scenes[0].cold, balance(circuit, use).scenes[0].hot):
        assert flow.used_a == pytest.approx(amps, abs=0.05)
        assert flow.made_a == pytest.approx(flow.used_a + flow.battery_a, abs=0.05)
        assert flow.made_a <= flow.can_a + 0.01 and flow.surplus_a == pytest.approx(flow.can_a - flow.used_a)


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda x: x.name)
@pytest.mark.parametrize("volts", [12, 24])
def test_every_layout_has_a_use_to_begin_with(layout: Any, volts: int) -> None:
    circuit = layout.build(volts)
    use = usual_use(circuit, [("Fridge", 5.0), ("Fridge", 5.0)])
    assert [c.label for c in use.consumers][-2:] == ["Fridge", "Fridge 2"] or "Fridge" in {x.label for x in circuit.loads}
    view = balance(circuit, use)
    assert len(view.scenes) == 4 and len(view.day) == len(circuit.batteries) and view.idle_surplus_a is not None


@pytest.mark.parametrize(
    ("changes", "field", "word"),
    [
        ({"consumers": [{"label": "Lamps", "current_a": 1}] * 2}, "consumers", "tell them apart"),
        ({"scenes": [{"label": "Idle", "engine_rpm": 800}] * 2}, "scenes", "tell them apart"),
        ({"consumers": [{"label": "Lamps", "current_a": 1, "load_id": "ghost"}]}, "consumers", "no load"),
        ({"consumers": [{"label": "Lamps", "current_a": 1, "battery_id": "ghost"}]}, "consumers", "no battery"),
        ({"scenes": [{"label": "Idle", "engine_rpm": 800, "on": ["Ghost"]}]}, "scenes", "no consumer 'Ghost'"),
        ({"scenes": [{"label": str(k), "engine_rpm": 0, "hours_a_day": 13} for k in (1, 2)]}, "scenes", "a day has 24"),
        ({"driving": "Ghost"}, "driving", "no scene"),
        ({"warmest_c": -20}, "warmest_c", "not colder"),
        ({"speeds": [{"engine_rpm": 900, "hours": 1}, {"engine_rpm": 900, "hours": 2}]}, "speeds", "rise"),
        ({"speeds": [{"engine_rpm": 900, "hours": 0}]}, "speeds", "No hours"),
        ({"speeds": [{"engine_rpm": 900, "hours": 90}], "engine_hours": 100}, "engine_hours", "sum to 90 h"),
        ({"read": {"current_a": 300, "engine_rpm": 800}}, "read", "check both"),
    ],
)
def test_what_contradicts_itself_is_said_at_its_field(changes: dict[str, Any], field: str, word: str) -> None:
    with pytest.raises(UseProblemError, match=word) as refused:
        balance(CAR, use(**changes))
    assert refused.value.field == field


@pytest.mark.parametrize(
    "text", ["rpm,h\n700,100\n1500,20.5", "1500;20,5\r\n\r\n700;100", "speed\thours\n700\t100\n1500\t20.5\n"]
)
def test_an_engine_computers_csv_in_any_dress(text: str) -> None:
    assert [(s.engine_rpm, s.hours) for s in read_speeds(text)] == [(700, 100), (1500, 20.5)]


@pytest.mark.parametrize(
    ("text", "word"),
    [("700;100\n900;many", "Line 2"), ("rpm;h\n900;-1", "Line 2"), ("1;nan\n2;3\n4;inf", "Line 3"), ("\n".join(f"{k};1" for k in range(99)), "at most")],
)  # fmt: skip
def test_a_csv_that_is_none_says_its_line(text: str, word: str) -> None:
    with pytest.raises(UseProblemError, match=word):
        read_speeds(text)


@given(st.text(max_size=200))
def test_any_text_is_read_or_refused(text: str) -> None:
    try:
        assert len(read_speeds(text)) <= MOST_SPEEDS
    except UseProblemError as error:
        assert error.field == "speeds"


def test_as_planned_it_turns_with_the_new_pulley_in_the_new_circuit() -> None:
    """Two thirds of the diameter is half as fast again; a unit of 180 A gives twice what one of 90 A does at any speed."""
    drive = DriveRequest(alternator_id="alternator", crank_mm=156, now_mm=60, new_mm=40)
    seen = outlook(CAR, None, drive, use())
    assert seen.planned is not None and seen.planned_by == "a pulley of 40 mm"
    same_speed = balance(CAR, use(scenes=(Scene(label="Idle", engine_rpm=1200, on=("Lamps",)),)))
    assert scene(seen.planned, "Idle").hot.can_a == pytest.approx(scene(same_speed, "Idle").hot.can_a)
    unit = CAR.alternator.model_copy(update={"rated_a": 180.0})
    bigger = CAR.model_copy(update={"alternators": (unit,)})
    twice = outlook(CAR, bigger, None, use(read=OutputRead(current_a=30.6, engine_rpm=800)))
    assert twice.planned is not None and twice.planned_by == "a unit of 180 A"
    assert scene(twice.planned, "Idle").hot.can_a == pytest.approx(2 * 38.25, abs=0.02), "what was read was of the old unit"
    assert outlook(CAR, None, None, use()).planned is None


def test_a_use_outlives_the_loads_it_was_made_for() -> None:
    use_request = use(consumers=(Consumer(label="Lamps", current_a=4, load_id="gone", battery_id="gone"),))
    kept = on_this_circuit(CAR, use_request).consumers[0]
    assert kept.load_id is None and kept.battery_id is None
    assert outlook_or_none(CAR, None, None, use_request) is not None
    assert outlook_or_none(CAR, None, None, use(driving="Ghost")) is None


def test_usual_consumers_are_of_the_order_the_trade_knows() -> None:
    """Common practice: a winch takes hundreds of amperes, a lamp a few, a rear window some fifteen; duty is a share."""
    table = {c.label: c for c in consumer_table().consumers}
    assert 200 <= table["Winch"].current_a <= 500 and 12 <= table["Heated rear window"].current_a <= 20
    assert all(0 < c.duty <= 1 and c.current_a > 0 for c in table.values()) and len(table) == len(consumer_table().consumers)


def test_circuits_loads_are_the_consumers_that_stand_for_them() -> None:
    """A measured consumption replaces the circuit's; one that was taken out of the list takes nothing."""
    circuit = build_layout("motorcycle", 12)
    use = usual_use(circuit)
    measured = use.consumers[0].model_copy(update={"current_a": 3.0, "law": "current", "origin": "measured"})
    view = balance(circuit, use.model_copy(update={"consumers": (measured,)}))
    assert view.scenes[2].hot.used_a == pytest.approx(3.0, abs=0.01)
    none = UseRequest(scenes=(Scene(label="Road", engine_rpm=4000, hours_a_day=1),))
    assert balance(circuit, none).scenes[0].hot.used_a == pytest.approx(0.0, abs=0.01)


def test_a_circuit_that_cannot_be_computed_is_refused() -> None:
    from mavrik.core.circuit.rules import CircuitError

    document = CAR.model_dump(mode="json")
    document["loads"] = [{"id": "lamp", "label": "Lamp", "from_node": "ghost", "to_node": "chassis", "current_a": 3}]
    broken = Circuit.model_validate(document)
    with pytest.raises(CircuitError):
        balance(broken, use())


def test_the_surplus_is_no_surer_than_the_unit_s_output_is_known() -> None:
    """Idle output of the usual shape is a guess within a fifth; points, a fit and above all a reading narrow it."""
    request, unit, bands = use(20.0), CAR.alternator, {}
    known = tuple(KnownOutput(shaft_rpm=n, output_a=a, u_a=0.02 * a) for n, a in ((1500, 33), (2000, 48), (6000, 88)))
    fitted = output_curve(OutputRequest(rated_a=unit.rated_a, basis=OutputBasis(how="fitted", known=known)))
    ways = {
        "shape": unit,
        "points": unit.model_copy(update={"curve": tuple(CurvePoint(shaft_rpm=k.shaft_rpm, output_a=k.output_a) for k in known)}),
        "fitted": unit.model_copy(update={"curve": fitted.curve, "curve_basis": OutputBasis(how="fitted", known=known)}),
    }
    for name, way in ways.items():
        seen = balance(CAR.model_copy(update={"alternators": (way,)}), request)
        assert seen.idle_known_by == name and seen.idle_band_a is not None
        bands[name] = seen.idle_band_a
    idle = min(s.engine_rpm for s in request.scenes if s.engine_rpm > 0)
    hot = float(output_limit_a(unit.rated_a, idle * unit.pulley_ratio, source_table().hot_c))
    assert bands["shape"] == pytest.approx(2 * 0.1 * hot)
    assert bands["points"] < bands["fitted"] < bands["shape"]
    read = request.model_copy(update={"read": OutputRead(engine_rpm=idle, current_a=0.9 * hot)})
    seen = balance(CAR, read)
    assert seen.idle_known_by == "read" and seen.idle_band_a == pytest.approx(2 * 0.04 * 0.9 * hot)


def test_what_may_as_well_be_short_is_not_promised() -> None:
    least = balance(CAR, use(1.0))
    assert "±" not in least.headline and least.idle_surplus_a is not None and least.idle_band_a is not None
    near = balance(CAR, use(least.idle_surplus_a))
    assert near.idle_surplus_a is not None and near.idle_band_a is not None and 0 <= near.idle_surplus_a < near.idle_band_a
    assert f"(± {near.idle_band_a:.1f} A)" in near.headline

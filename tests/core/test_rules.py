"""Small rules of the core, each with its edge."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from pydantic import ValidationError

from mavrik.core.catalogue.conductor import Material, SizeSystem, at_temperature, cable_resistance, parse_size
from mavrik.core.catalogue.fuses import FuseFamily, choose_rating, cold_resistance_ohm, fuse_table
from mavrik.core.circuit import Circuit, ConductorBranch, FuseBranch, SwitchBranch
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.measuring.limits import Allowance, LimitProfileName, Scope, limit_for
from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.operating.prediction import at_output
from mavrik.core.planning.options import BOUGHT_BY, options_of
from mavrik.core.procedures import BenchState, check_run, state_of
from mavrik.core.procedures.records import setups_of
from mavrik.core.thermal.ampacity import AmpacityTableName, Place, ampacity
from mavrik.core.workflow.cautions import all_cautions, cautions_for
from tests.build import branch_of, drop_run, judged, simple_circuit, simple_document, with_branch


@pytest.mark.parametrize(("resistance", "temperature"), [(-1.0, 20.0), (float("nan"), 20.0), (1.0, 400.0), (1.0, -80.0)])
def test_a_resistance_or_temperature_that_cannot_be_is_refused(resistance: float, temperature: float) -> None:
    with pytest.raises(ValueError):
        at_temperature(resistance, temperature, Material.COPPER)


@pytest.mark.parametrize(("length", "runs"), [(0.0, 1), (-1.0, 1), (float("inf"), 1), (1.0, 0)])
def test_a_cable_that_cannot_be_is_refused(length: float, runs: int) -> None:
    with pytest.raises(ValueError):
        cable_resistance(parse_size("25 mm2"), length, 20, parallel=runs)


def test_other_metals_resist_more_and_carry_less() -> None:
    size = parse_size("50 mm2")
    resistances = [
        cable_resistance(size, 1, 20, m)
        for m in (Material.COPPER, Material.TINNED_COPPER, Material.COPPER_CLAD_ALUMINIUM, Material.ALUMINIUM)
    ]
    assert resistances == sorted(resistances)
    allowed = [ampacity(size, 105, Place.CABIN, material=m) for m in (Material.COPPER, Material.ALUMINIUM)]
    # Same heat per metre: current goes with the root of the resistivities.
    assert allowed[1].current_a / allowed[0].current_a == pytest.approx((1.7241 / 2.8264) ** 0.5)
    assert "aluminium" in allowed[1].reason


def test_ampacity_says_table_row_and_factors() -> None:
    current = ampacity(parse_size("2 AWG"), 90, Place.ENGINE_SPACE, parallel=2)
    assert current.current_a == pytest.approx(180 * 0.82 * 2)
    for words in ("ABYC E-11", "2 AWG", "90 degC", "0.82 in the engine space", "x 2 runs"):
        assert words in current.reason


def test_a_cooler_class_may_not_run_in_an_engine_space_by_iso() -> None:
    assert ampacity(parse_size("25 mm2"), 60, Place.ENGINE_SPACE).current_a == 0


@pytest.mark.parametrize(("insulation", "runs", "size"), [(70, 1, "25 mm2"), (105, 0, "25 mm2"), (105, 1, "0.5 mm2")])
def test_ampacity_of_what_no_table_has_is_refused(insulation: int, runs: int, size: str) -> None:
    with pytest.raises(ValueError):
        ampacity(parse_size(size), insulation, Place.CABIN, AmpacityTableName.ISO_10133, parallel=runs)


@pytest.mark.parametrize("family", list(FuseFamily))
def test_fuse_families_are_whole(family: FuseFamily) -> None:
    data = fuse_table().families[family]
    assert list(data.ratings_a) == sorted(set(data.ratings_a))
    assert data.voltage_v >= 32 and min(data.interrupting_a.values()) >= 1000 and data.stud
    resistances = [cold_resistance_ohm(family, r) for r in data.ratings_a]
    assert resistances == sorted(resistances, reverse=True)
    with pytest.raises(ValueError, match="Ratings"):
        cold_resistance_ohm(family, 1.5)


def test_a_fuse_for_no_load_is_refused() -> None:
    with pytest.raises(ValueError, match="above 0 A"):
        choose_rating(FuseFamily.ANL, 0, 100)


@pytest.mark.parametrize("fields", [{}, {"volts": 0.2, "percent": 3}])
def test_an_allowance_is_in_volts_or_in_percent(fields: dict[str, float]) -> None:
    with pytest.raises(ValidationError):
        Allowance.model_validate(fields)


@pytest.mark.parametrize("profile", list(LimitProfileName))
@pytest.mark.parametrize("volts", [12, 24])
def test_a_ground_may_lose_less_than_its_side_and_a_side_less_than_the_whole(profile: LimitProfileName, volts: int) -> None:
    ground, side, whole = (limit_for(profile, s, volts) for s in (Scope.GROUND, Scope.SIDE, Scope.WHOLE))
    assert ground.volts < side.volts < whole.volts
    assert all(limit.rule and limit.source for limit in (ground, side, whole))


def test_cautions_stand_at_the_steps_of_the_work() -> None:
    for step in ("job", "circuit", "measure", "plan", "build", "hand_over"):
        assert cautions_for(step), step
    assert cautions_for("holiday") == ()
    assert len({c.id for c in all_cautions()}) == len(all_cautions())
    texts = " ".join(c.text.lower() for c in all_cautions())
    for danger in (
        "rings",
        "negative first",
        "exhaust",
        "belt",
        "hydrogen",
        "15 s",
        "lithium",
        "hybrid",
        "airbag",
        "never lift a battery lead",
        "local code",
    ):
        assert danger in texts, danger
    # With the engine running a tap is asked for.
    assert any(c.confirm for c in cautions_for("measure"))


@pytest.mark.parametrize(
    "reading",
    [
        {"point": "feed_v"},
        {"point": "", "value": 1},
        {"point": "feed_v", "value": float("nan")},
        {"point": "feed_v", "value": 1e9},
        {"point": "feed_v", "value": 0.1, "uncertainty": -1},
        {"point": "feed_v", "value": 0.1, "source": "smell"},
        {"point": "feed_v", "value": 0.1, "at": "0001-01-01T00:00:00Z"},
    ],
)
def test_a_reading_that_cannot_be_is_refused(reading: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        Reading.model_validate(reading)


@pytest.mark.parametrize(
    ("field", "value"), [("engine_rpm", -5), ("engine_rpm", 1e6), ("engine_space_c", 300), ("ambient_c", -90)]
)
def test_conditions_that_cannot_be_are_refused(field: str, value: float) -> None:
    with pytest.raises(ValidationError, match=field):
        Run.model_validate({"procedure": "charging_drops", "readings": [], field: value})


def test_a_point_is_read_once_in_a_run() -> None:
    with pytest.raises(ValidationError, match="twice"):
        Run.model_validate({"procedure": "rest", "readings": [{"point": "a", "value": 1}, {"point": "a", "value": 2}]})


@pytest.mark.parametrize(
    ("point", "value", "words"),
    [
        ("drop_v:feed", 121.0, "volts"),
        ("feed_v", -121.0, "volts"),
        ("stud_v", 90.0, "volts"),
        ("battery_v", -14.0, "swapped"),
        ("charge_a:alt", -80.0, "arrow"),
        ("drop_v:ghost", 0.1, "ghost"),
    ],
)
def test_readings_beyond_the_system_are_said_at_their_place(point: str, value: float, words: str) -> None:
    run = Run(procedure="charging_drops", readings=(Reading(point=point, value=value),))
    (problem,) = check_run(simple_circuit(), run)
    assert problem.element == point and words in problem.message


def test_what_a_run_names_has_to_be_there() -> None:
    run = Run(
        procedure="charging_drops", readings=(Reading(point="feed_v", value=0.1, instrument="x"),), loads_on=("y",), bank_on="z"
    )
    assert [p.element for p in check_run(simple_circuit(), run)] == ["feed_v", "loads_on", "bank_on"]
    assert [p.field for p in check_run(simple_circuit(), Run(procedure="rest"))] == ["readings"]
    with pytest.raises(ValueError, match="no procedure"):
        check_run(simple_circuit(), Run(procedure="guess"))


def test_the_state_of_a_test_is_what_was_noted() -> None:
    circuit = simple_circuit()
    setup = setups_of(circuit, drop_run(circuit, 64, stud_v=14.1))[BenchState.AT_OUTPUT]
    state = state_of(setup, circuit)
    assert (state.output_a, state.stud_v, state.ambient_c) == ({"alt": 64}, {"alt": 14.1}, 20)
    assert at_output(circuit, 64).stud_v == {"alt": 14.4}, "the set point, where nobody read it"


def test_a_kept_reading_says_all_of_itself() -> None:
    """Read without the program that took it: what, where, in which state, with what, how well."""
    run = drop_run(simple_circuit(), 64, feed=0.121)
    reading = run.reading("drop_v:feed")
    assert reading is not None and reading.red is not None and reading.black is not None
    assert (reading.quantity, reading.unit, reading.shown, reading.shown_unit) == ("voltage_drop", "V", 121.0, "mV")
    assert (reading.red.label, reading.black.label, reading.element, reading.instrument) == ("Stud", "Fuse stud", "feed", "dmm")
    assert reading.state in run.states and run.states[reading.state].output_a == {"alt": 64}
    assert reading.uncertainty == pytest.approx(2 * (0.121 * 0.005 + 0.002) / 3**0.5)


@pytest.mark.parametrize("quantity", QUANTITIES.values(), ids=lambda q: q.name)
def test_a_quantity_says_all_of_itself(quantity: Any) -> None:
    assert quantity.yes_or_no or quantity.unit
    assert quantity.from_shown(quantity.shown(1.25)) == pytest.approx(1.25)
    assert quantity.last_digit > 0 or quantity.yes_or_no
    least, most = quantity.bounds(12)
    within = [v for v in (least, most, 0.5 * (least + most)) if np.isfinite(v)]
    beyond = [v for v in (least - 1e-6, most + 1e-6) if np.isfinite(v)]
    if not quantity.yes_or_no:
        assert not any(quantity.impossible(v, 12) for v in within) and all(quantity.impossible(v, 12) for v in beyond)


def test_parts_are_named_as_one_says_them() -> None:
    circuit = Circuit.model_validate(with_branch(simple_document(), "feed", parallel=2))
    assert circuit.branch("feed").in_words == "2 x 35 mm², 2 m"
    assert circuit.branch("fuse").in_words == "150 A"
    assert build_layout("front_battery", 12).branch("mount").in_words == "bolted joint"


def test_elements_are_found_by_id_or_not_at_all() -> None:
    circuit = simple_circuit()
    assert isinstance(circuit.branch("fuse"), FuseBranch) and isinstance(circuit.branch("feed"), ConductorBranch)
    assert circuit.node("plus").label == "Battery +"
    for find in (circuit.branch, circuit.node):
        with pytest.raises(KeyError):
            find("ghost")


def test_a_closed_switch_carries_and_a_second_battery_shares() -> None:
    document = build_layout("parallel_batteries", 12).model_dump(mode="json")
    findings = judged(Circuit.model_validate(document))
    link = branch_of(findings, "link_cable")
    assert not link.on_ring and 0 < link.current_a < findings.rated_current_a
    switch = SwitchBranch(id="s", label="S", from_node="a", to_node="b", resistance_mohm=0.4)
    assert switch.sound_resistance_ohm(20) == pytest.approx(0.4e-3)


@pytest.mark.parametrize("system", BOUGHT_BY)
def test_options_grow_and_single_runs_come_first(system: SizeSystem) -> None:
    options = options_of(system)
    single = [o for o in options if o.runs == 1]
    double = [o for o in options if o.runs == 2]
    assert options == (*single, *double)
    for row in (single, double):
        assert [o.area_mm2 for o in row] == sorted(o.area_mm2 for o in row)
    assert all(o.area_mm2 >= 60 for o in double)

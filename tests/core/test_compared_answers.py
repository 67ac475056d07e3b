"""Ground schools and long runs side by side: by Ohm's law, by taking leads out, and by what the trade knows of them."""

from __future__ import annotations

from typing import Any

import pytest

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.sources import output_limit_a, source_table
from mavrik.core.circuit import Circuit, ConductorBranch, ConnectorBranch, RelayBranch
from mavrik.core.circuit.layouts import build_layout, front_battery
from mavrik.core.planning.cost import circuit_cost
from mavrik.core.planning.guided import GUIDES, GuideProblemError, guide_of, guided
from mavrik.core.planning.guided.comparison import ComparedAnswer, compare_answer
from mavrik.core.planning.simulation import SimulationRequest, simulate
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.planning.use import Scene, UseRequest
from mavrik.core.protection.continuous import continuous_currents

PRICES = usual_prices()


def compared(circuit: Circuit, name: str, **answers: Any) -> dict[str, ComparedAnswer]:
    """Every answer to the question that a guide compares, by its name."""
    target, guide = SizingTarget(target_current_a=circuit.alternator.rated_a), guide_of(circuit, name)
    (compared,) = (q for q in guide.asks(circuit) if q.name == guide.compares)
    return {c.name: compare_answer(circuit, guide, {**answers, compared.name: c.name}, target, PRICES) for c in compared.choices}


def test_a_chain_hangs_on_one_strap_and_a_direct_lead_does_not() -> None:
    """Common practice: a direct return to the engine solves most faults of a rear battery; a case lead ties it all."""
    rows = compared(front_battery(12), "grounds", engine_m=0.8)
    chain, direct, case = rows["chain"], rows["direct"], rows["direct_case"]
    assert chain.lost_v is None and chain.worst_lead == "Engine strap"
    assert direct.lost_v is not None and case.lost_v is not None and case.lost_v < direct.lost_v < 0.2
    assert chain.return_v is not None and direct.return_v is not None and case.return_v is not None
    assert case.return_v < direct.return_v < chain.return_v
    assert chain.cost is not None and direct.cost is not None and case.cost is not None and chain.cost < direct.cost < case.cost


def test_a_chain_loses_what_its_two_leads_lose_by_ohm_s_law() -> None:
    car = front_battery(12)
    (chain,) = (r for r in compared(car, "grounds", body_m=1.0).values() if r.name == "chain")
    made = guided(car, "grounds", {"school": "chain", "body_m": 1.0}).circuit
    amps = car.alternator.rated_a
    leads = [made.branch("body_ground"), made.branch("engine_strap")]
    mount = next(b for b in made.branches if b.kind == "joint" and car.alternator.case_node in (b.from_node, b.to_node))
    most = sum(b.sound_resistance_ohm(20.0) for b in (*leads, mount)) * amps
    # Its leads may have grown while they were sized, never shrunk below what loses that much.
    assert chain.return_v is not None and 0.3 * most < chain.return_v <= most * 1.1


def test_a_charger_next_to_its_battery_gives_all_it_has() -> None:
    """Common practice: put it next to the battery it charges. Without one, far and half full, the battery gets what is left of the voltage."""
    rows = compared(front_battery(12), "long_run", run_m=14.0, kind="lifepo4", charge_a=25.0)
    far = {name: next(b for b in r.batteries if b.label == "Far battery") for name, r in rows.items()}
    assert far["near"].current_a == pytest.approx(25.0, abs=0.05) and far["start"].current_a < far["near"].current_a
    assert far["near"].volts > far["start"].volts
    assert rows["near"].feed_v is not None and rows["near"].refused == ""


def test_a_long_run_has_a_fuse_at_each_battery_a_relay_and_a_plug_a_circuit() -> None:
    made = guided(front_battery(12), "long_run", {"appliance_a": 12.0, "run_m": 6.0}).circuit
    new = [b for b in made.branches if b.id not in {x.id for x in front_battery(12).branches}]
    runs = [b for b in new if isinstance(b, ConductorBranch) and b.length_m == 6.0]
    assert len(runs) == 4 and len([b for b in new if isinstance(b, ConnectorBranch)]) == 4
    assert len([b for b in new if isinstance(b, RelayBranch)]) == 2
    fused = [b for b in new if b.kind == "fuse"]
    assert {made.batteries[-1].positive_node} <= {n for b in fused for n in (b.from_node, b.to_node)} and len(fused) == 3
    # No return by the body.
    body = {n.id for n in made.nodes if n.role == "chassis"}
    assert all(not {b.from_node, b.to_node} & body for b in new)
    assert not guided(front_battery(12), "long_run", {}).circuit.loads


@pytest.mark.parametrize(("most_v", "least"), [(0.3, "50 mm2"), (0.7, "16 mm2"), (2.0, "6 mm2")])
def test_a_run_loses_no_more_than_it_may(most_v: float, least: str) -> None:
    """By Ohm's law at 60 degC, IEC 60228 class 5 and IEC 60028: 30 A over 8 m there and back, two lugs of 0.05 mohm each way."""
    made = guided(front_battery(12), "long_run", {"run_m": 8.0, "charge_a": 25.0, "most_v": most_v, "charger": "near"}).circuit
    feed = made.branch("run_feed")
    assert isinstance(feed, ConductorBranch) and feed.size == least
    ohm_per_m = {
        "50 mm2": 0.386e-3,
        "35 mm2": 0.554e-3,
        "25 mm2": 0.780e-3,
        "16 mm2": 1.21e-3,
        "10 mm2": 1.91e-3,
        "6 mm2": 3.30e-3,
    }

    def lost_v(size: str) -> float:
        return 2 * 30 * (8 * ohm_per_m[size] * (1 + 0.00393 * 40) + 2 * 0.05e-3)

    thinner = dict(zip(list(ohm_per_m)[:-1], list(ohm_per_m)[1:], strict=True))
    assert lost_v(least) <= most_v and (least not in thinner or lost_v(thinner[least]) > most_v)


def test_a_run_that_no_lead_is_thick_enough_for_is_refused_and_a_maker_s_least_size_counts() -> None:
    """Common practice: a fridge's maker asks for 10 mm2 at least, however little it takes."""
    with pytest.raises(GuideProblemError) as refused:
        guided(front_battery(12), "long_run", {"run_m": 20.0, "charge_a": 120.0, "most_v": 0.2})
    assert refused.value.field == "most_v" and "120 mm²" in str(refused.value)
    sizes = []
    for least in (0.0, 10.0, 25.0):
        made = guided(front_battery(12), "long_run", {"run_m": 4.0, "appliance_a": 5.0, "appliance_mm2": least}).circuit
        lead = made.branch("appliance_feed")
        assert isinstance(lead, ConductorBranch)
        sizes.append(lead.size)
    assert sizes == ["6 mm2", "10 mm2", "25 mm2"]


@pytest.mark.long(but=3)
@pytest.mark.parametrize("layout", ["front_battery", "second_battery_link", "second_battery_converter", "competition_car"])
@pytest.mark.parametrize("sits", ["near", "start"])
def test_a_run_is_sized_for_all_that_its_charger_takes(layout: str, sits: str) -> None:
    """Common practice: about 30 A in for 25 A out. Power over the least voltage that the input can have, the regulator's."""
    circuit = guided(build_layout(layout, 12), "long_run", {"charger": sits, "charge_a": 25.0, "run_m": 8.0}).circuit
    carried = continuous_currents(circuit)
    (own,) = [c for c in circuit.converters if c.id.startswith("dc_charger")][-1:]
    takes = own.limit_a * 12.5 / own.efficiency / circuit.alternator.set_point_v
    least = takes if sits == "near" else own.limit_a
    assert carried["run_feed"] >= 0.95 * least and carried["run_return"] >= 0.9 * least


def test_what_a_guide_cannot_do_is_said_in_its_row() -> None:
    rows = compared(front_battery(12), "long_run", run_m=20.0, charge_a=120.0, capacity_ah=1000.0)
    assert all(bool(r.refused) == (r.cost is None) for r in rows.values())


def test_guides_that_compare_name_a_question_of_theirs_and_others_have_no_rows() -> None:
    car = front_battery(12)
    for guide in GUIDES:
        if guide.not_here(car):
            continue
        if guide.compares:
            assert any(q.name == guide.compares and len(q.choices) > 1 for q in guide.asks(car))
        else:
            with pytest.raises(GuideProblemError, match="side by side"):
                compare_answer(car, guide, {}, SizingTarget(target_current_a=90), PRICES)


def test_a_charger_has_its_price() -> None:
    circuit = build_layout("second_battery_link", 12)
    made = guided(circuit, "long_run", {"charger": "near", "charge_a": 30.0}).circuit
    bare = made.model_copy(update={"converters": ()})
    more = circuit_cost(circuit, made, PRICES), circuit_cost(circuit, bare, PRICES)
    assert more[0].parts - more[1].parts == pytest.approx(30.0 * PRICES.converter_per_a)
    assert more[0].hours - more[1].hours == pytest.approx(PRICES.converter_h)


def test_a_shunt_keeps_the_stator_at_full_current_and_a_series_regulator_does_not() -> None:
    """Common practice: what is not taken is shorted by the one and opened by the other; stator and regulator of a shunt run hot."""
    bike = build_layout("motorcycle", 12)
    rows = compared(bike, "magnet_regulator")
    shunt, series = rows["shunt"].stator, rows["series"].stator
    assert shunt is not None and series is not None
    able = float(output_limit_a(25, 2000, source_table().hot_c, magnet=True))
    assert shunt.current_a == pytest.approx(able) and series.current_a < 0.8 * able
    assert shunt.warm_c > series.warm_c + 10 and shunt.regulator_w > 1 and series.regulator_w == 0
    assert all(r.stator is None for r in compared(front_battery(12), "grounds").values())


def test_over_days_a_shunted_stator_is_hotter_and_gives_less() -> None:
    bike = build_layout("motorcycle", 12)
    opened = bike.model_copy(update={"alternators": (bike.alternator.model_copy(update={"magnet_regulator": "series"}),)})
    seen = []
    for circuit in (bike, opened):
        scene = Scene(label="Ridden", engine_rpm=2500, hours_a_day=24)
        use = UseRequest(scenes=(scene,), starts_a_day=0, asleep_a=0.0, state_of_charge=0.95, coldest_c=25, warmest_c=25)
        result = simulate(circuit, use, SimulationRequest(days=0.2, runs=1))
        seen.append(next(c for c in result.curves if c.name == "alternator_c").nominal[-1])
    table = source_table()
    # At full current all the time it settles where an alternator at full output does.
    assert seen[0] == pytest.approx(25 + table.engine_space_rise_k + table.alternator_rise_k, abs=1.0)
    assert seen[1] < seen[0] - 10

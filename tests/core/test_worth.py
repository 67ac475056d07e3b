"""What buys what: costs by hand, the optimiser against brute force, plans that stand on the network."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import Unit, UnitList, usual_units
from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.planning.balance import balance
from mavrik.core.planning.changes import CHANGE_KINDS, Situation, changes_in
from mavrik.core.planning.choosing import WORTH_A, Candidate, Chooser, Goals, Settled
from mavrik.core.planning.cost import circuit_cost
from mavrik.core.planning.drive import DriveRequest
from mavrik.core.planning.figures import Figures, figures_of
from mavrik.core.planning.leads import cheapest_proposal
from mavrik.core.planning.making import WorthError, accepted_of, as_planned, choices_of, make
from mavrik.core.planning.options import Option
from mavrik.core.planning.sizing import propose, worse_checks
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.planning.use import usual_use
from mavrik.core.planning.worth import WorthRequest, WorthView, worth

PRICES = usual_prices()
CAR = build_layout("front_battery", 12)
"""90 A, 2.6 times the engine's speed: 38 A at a hot idle."""
DRIVE = DriveRequest(alternator_id="alternator", crank_mm=156, now_mm=60, limit_rpm=16_000, redline_rpm=5200)


def situation(circuit: Circuit = CAR, lamps_a: float = 45.0, **changes: Any) -> Situation:
    at = Situation(
        circuit, usual_use(circuit, [("Lamps", lamps_a)]), DRIVE, SizingTarget(target_current_a=90), usual_units(), PRICES
    )
    return replace(at, **changes)


def worn(mohm: float = 20.0) -> Circuit:
    """The battery's lead to the engine measures far too much."""
    branches = tuple(b.model_copy(update={"measured_mohm": mohm}) if b.id == "block_ground" else b for b in CAR.branches)
    return CAR.model_copy(update={"branches": branches})


@pytest.fixture(scope="module")
def compared() -> WorthView:
    return worth(situation(worn()), WorthRequest(idle_surplus_a=10))


def single(view: WorthView, change_id: str) -> Any:
    return next(w for w in view.singles if w.id == change_id)


def test_what_a_lead_costs_by_hand() -> None:
    """1.2 m of 50 mm2: 1.2 x (1.2 + 50 x 0.19) = 12.84; two lugs 2 x (0.7 + 50 x 0.035) = 4.90; 0.346 h at 60."""
    made = propose(CAR, SizingTarget(target_current_a=150)).circuit
    lead = made.branch("charge_cable")
    assert isinstance(lead, ConductorBranch) and (lead.size, lead.length_m) == ("50 mm2", 1.2)
    alone = CAR.model_copy(update={"branches": tuple(lead if b.id == lead.id else b for b in CAR.branches)})
    cost = circuit_cost(CAR, alone, PRICES)
    assert cost.parts == pytest.approx(17.74) and cost.hours == pytest.approx(0.25 + 0.08 * 1.2)
    assert cost.total(PRICES) == pytest.approx(17.74 + 60 * 0.346, abs=0.005)


def test_cleaning_costs_time_alone_and_gives_back_volts(compared: WorthView) -> None:
    """That a bad ground takes volts from the battery and no amperes from the unit is common practice."""
    cleaned = single(compared, "clean:block_ground")
    assert (cleaned.parts, cleaned.cost) == (0.0, 15.0)
    assert cleaned.figures.least_v > compared.as_found.least_v
    assert cleaned.figures.heat_w < compared.as_found.heat_w - 2
    renewed = single(compared, "lead:block_ground")
    assert renewed.figures.least_v > compared.as_found.least_v and renewed.cost > cleaned.cost


def test_a_battery_makes_no_current_and_a_cable_next_to_none(compared: WorthView) -> None:
    """Common practice of the trade: a better cable on the same unit gains almost nothing."""
    for change in ("battery:battery", "lead:charge_cable"):
        assert single(compared, change).figures.idle_surplus_a == pytest.approx(compared.as_found.idle_surplus_a, abs=0.1)
    assert single(compared, "battery:battery").figures.worst_net_ah != compared.as_found.worst_net_ah


def test_every_figure_is_that_of_the_changed_circuit(compared: WorthView) -> None:
    at = situation(worn())
    for change in changes_in(at):
        shown = single(compared, change.id)
        if shown.figures is None:
            assert len(shown.refused) > 20
            continue
        made = make(at, [change])
        seen = balance(made.circuit, made.scheme.use)
        assert shown.figures.idle_surplus_a == pytest.approx(seen.idle_surplus_a)
        assert shown.figures.worst_net_ah == pytest.approx(min(min(d.cold_net_ah, d.hot_net_ah) for d in seen.day))
        assert not check_circuit(made.circuit) and not worse_checks(at.as_found, made.circuit), change.id


def test_a_battery_whose_short_circuit_the_fuse_cannot_break_comes_with_one_that_can(compared: WorthView) -> None:
    shown = single(compared, "battery:battery")
    assert any(w.startswith("Charge fuse: ") and "strip" not in w for w in shown.comes_with), shown.comes_with


def test_a_unit_comes_with_its_leads_and_a_shaft_that_turns_too_fast_is_refused(compared: WorthView) -> None:
    """16 000 /min over 5200 /min is 3.08: of 156 mm that leaves 50.7 mm and more."""
    assert [w.id for w in compared.singles if "redline" in w.refused] == ["pulley:48", "pulley:44"]
    at = situation(worn())
    unit = next(c for c in changes_in(at) if c.id == "unit:Quarry 170")
    made = make(at, [unit])
    lead = made.circuit.branch("charge_cable")
    assert isinstance(lead, ConductorBranch) and lead.ampacity().current_a >= 170
    assert made.circuit.alternator.pulley_ratio == pytest.approx(156 / 56)
    price = next(u.price for u in usual_units().units if u.name == "Quarry 170")
    assert made.cost == pytest.approx(price + 60 * 1.2 + circuit_cost(at.as_found, made.circuit, PRICES).total(PRICES), abs=0.02)


def test_a_plan_is_picked_that_reaches_what_is_wanted(compared: WorthView) -> None:
    pick = next(p for p in compared.plans if p.id == compared.pick)
    assert pick.meets and pick.on_front and pick.figures.idle_surplus_a is not None and pick.figures.idle_surplus_a >= 10
    assert "The cheapest found that has 10 A to spare at a hot idle" in compared.pick_why
    costs = [p.cost for p in compared.plans]
    assert costs == sorted(costs)
    for one in compared.plans:
        better = [p for p in compared.plans if p.cost < one.cost and p.figures.idle_surplus_a >= one.figures.idle_surplus_a]  # type: ignore[operator]
        assert not (one.on_front and better)


def test_nothing_is_given_up_that_was_not_offered(compared: WorthView) -> None:
    assert not any(i.startswith(("without:", "idle:")) for p in compared.plans for i in p.change_ids)
    saves = {b.limit: b.saves for b in compared.bindings}
    pick = next(p for p in compared.plans if p.id == compared.pick)
    assert saves["without:Lamps"] == pytest.approx(pick.cost)
    offered = worth(situation(worn()), WorthRequest(idle_surplus_a=10, conceded=("without:Lamps",)))
    picked = next(p for p in offered.plans if p.id == offered.pick)
    assert picked.change_ids == ("without:Lamps",) and picked.cost == 0


def test_what_is_left_out_is_in_no_plan_and_an_own_cost_counts() -> None:
    request = WorthRequest(idle_surplus_a=10, left_out=("unit:Quarry 120",), own_costs={"unit:Quarry 220": 12.0})
    view = worth(situation(), request)
    assert not any("unit:Quarry 120" in p.change_ids for p in view.plans)
    pick = next(p for p in view.plans if p.id == view.pick)
    assert pick.change_ids == ("unit:Quarry 220",) and pick.cost == 12.0


def test_what_cannot_be_had_is_said_with_the_most_that_can() -> None:
    view = worth(situation(units=UnitList()), WorthRequest(idle_surplus_a=60))
    assert view.pick is None and not any(p.meets for p in view.plans)
    most = max(p.figures.idle_surplus_a or 0.0 for p in view.plans)
    assert f"The most is {most:.0f} A to spare at a hot idle" in view.pick_why
    assert "The limit speed rules out: Pulley of 48 mm, Pulley of 44 mm." in view.pick_why


def test_a_budget_holds() -> None:
    view = worth(situation(), WorthRequest(idle_surplus_a=40, budget=300))
    assert view.pick is None and all(p.cost <= 300 for p in view.plans) and "Within 300." in view.pick_why


def test_a_vehicle_that_has_all_of_it_buys_nothing() -> None:
    view = worth(situation(lamps_a=5), WorthRequest(idle_surplus_a=10))
    assert view.as_found_meets and view.pick is None and "nothing has to be bought" in view.pick_why


def test_the_same_question_has_the_same_answer(compared: WorthView) -> None:
    assert worth(situation(worn()), WorthRequest(idle_surplus_a=10)) == compared


def test_two_of_a_group_are_refused() -> None:
    at = situation()
    both = [c for c in changes_in(at) if c.group == "pulley"][:2]
    with pytest.raises(WorthError, match="not both"):
        make(at, both)


def test_a_plan_keeps_the_parts_of_the_document_and_names_those_that_change() -> None:
    at = situation(worn())
    changes = [c for c in changes_in(at) if c.id in ("clean:block_ground", "pulley:52")]
    made = make(at, changes)
    planned = as_planned(CAR, at, made)
    assert planned.branch("charge_cable") == CAR.branch("charge_cable")
    assert planned.alternator.pulley_ratio == pytest.approx(156 / 52)
    labels = [c.label for c in changes]
    assert [(c.branch_id, c.reason) for c in choices_of(at, made, labels)] == [("block_ground", f"{', '.join(labels)}.")]
    kept = accepted_of(at, [c.id for c in changes], made, 73.0)
    assert kept.cost == 73.0 and kept.before == figures_of(at.as_found, at.use) and kept.labels == tuple(labels)


def test_a_dc_charger_takes_the_place_of_a_link() -> None:
    """It takes about 30 A in for 25 A out, and the starting battery is not drained through it: common practice."""
    circuit = build_layout("second_battery_link", 12)
    at = situation(circuit, lamps_a=10.0)
    change = next(c for c in changes_in(at) if c.id == "converter:link")
    made = make(at, [change])
    assert [b.id for b in made.circuit.branches if b.kind == "voltage_link"] == []
    charger = made.circuit.converters[-1]
    assert charger.limit_a == 25 and 25 * charger.set_point_v / 13.5 / charger.efficiency == pytest.approx(30, abs=2)


@pytest.mark.parametrize("name", ["second_battery_link", "boat_selector", "motorcycle", "winch"])
def test_every_kind_of_circuit_is_compared(name: str) -> None:
    view = worth(situation(build_layout(name, 12), lamps_a=20.0, units=UnitList()), WorthRequest(idle_surplus_a=3))
    assert len(view.singles) > 5 and all(w.refused or w.figures for w in view.singles)


def test_kinds_of_change_are_found_by_themselves_and_each_has_a_place() -> None:
    assert [k.name for k in CHANGE_KINDS] == [
        "clean", "lead", "ground", "converter", "unit", "pulley", "set_point", "battery", "idle", "without",
    ]  # fmt: skip


# The optimiser against brute force

NONE = Figures(
    idle_surplus_a=-8.0, least_v=12.4, days=None, worst_net_ah=-2.0, worst_battery="Battery", heat_w=10.0, headline="short"
)


def _figures(amps: float, volts: float, ah: float) -> Figures:
    return NONE.model_copy(
        update={
            "idle_surplus_a": NONE.idle_surplus_a + amps,
            "least_v": NONE.least_v + volts,
            "worst_net_ah": NONE.worst_net_ah + ah,
        }  # type: ignore[operator]
    )


effects = st.tuples(st.integers(0, 20), st.integers(0, 4), st.integers(0, 3), st.integers(1, 200), st.integers(0, 3))


def _sets(candidates: list[Candidate]) -> Iterator[tuple[Candidate, ...]]:
    for count in range(len(candidates) + 1):
        for chosen in combinations(candidates, count):
            groups = [g for c in chosen for g in c.groups]
            if len(groups) == len(set(groups)):
                yield chosen


@settings(max_examples=150)
@given(
    st.lists(effects, min_size=1, max_size=7),
    st.integers(-8, 25),
    st.booleans(),
    st.one_of(st.none(), st.integers(50, 400)),
)
def test_the_optimiser_finds_what_brute_force_finds(
    rows: list[tuple[int, ...]], target: int, day: bool, budget: int | None
) -> None:
    """Where effects add up, over every set that has no two of a group."""
    candidates = [
        Candidate((f"c{k}",), (f"g{group}" if group else f"own{k}",), float(cost), _figures(amps, volts / 10, ah))
        for k, (amps, volts, ah, cost, group) in enumerate(rows)
    ]
    by_id = {c.ids[0]: c for c in candidates}

    def add(ids: frozenset[str]) -> Settled:
        own = [by_id[i] for i in ids]
        amps = sum((c.figures.idle_surplus_a or 0.0) + 8.0 for c in own)
        volts = sum((c.figures.least_v or 0.0) - 12.4 for c in own)
        return Settled(ids, _figures(amps, volts, sum(c.figures.worst_net_ah + 2.0 for c in own)), sum(c.cost for c in own))

    goals = Goals(idle_surplus_a=float(target), day_holds=day, budget=budget)
    every = [add(frozenset(c.ids[0] for c in chosen)) for chosen in _sets(candidates)]
    able = [s.cost for s in every if goals.met_by(s.figures, s.cost)]
    cheapest = Chooser(NONE, candidates, add).cheapest(goals)
    assert (cheapest is None) == (not able)
    if cheapest is not None:
        assert cheapest.cost == pytest.approx(min(able)) and goals.met_by(cheapest.figures, cheapest.cost)
    most = Chooser(NONE, candidates, add).most(budget)
    # A change that gives less than a tenth of an ampere for a hundred is not worth it.
    within = [s for s in every if budget is None or s.cost <= budget]
    best = max(within, key=lambda s: (s.figures.idle_surplus_a or 0.0) - WORTH_A * s.cost)
    assert most is not None and (most.figures.idle_surplus_a or 0.0) >= (best.figures.idle_surplus_a or 0.0) - 1e-9
    assert budget is None or most.cost <= budget


@pytest.mark.parametrize("surplus_a", [2.0, 14.0, 32.0])
def test_a_real_plan_is_as_cheap_as_brute_force_over_the_network(surplus_a: float) -> None:
    """Every set of two units, two pulleys and a cleaned ground, each made and solved: none that reaches it is cheaper."""
    units = UnitList(units=tuple(u for u in usual_units().units if u.name in ("Quarry 120", "Quarry 150 slow")))
    at = situation(worn(), units=units)
    kept = ("unit:Quarry 120", "unit:Quarry 150 slow", "pulley:56", "pulley:52", "clean:block_ground")
    pool = [c for c in changes_in(at) if c.id in kept]
    others = tuple(c.id for c in changes_in(at) if c.id not in kept and not c.id.startswith(("without", "idle")))
    goals = Goals(idle_surplus_a=surplus_a, least_v=13.0)
    able = []
    for count in range(len(pool) + 1):
        for chosen in combinations(pool, count):
            try:
                made = make(at, chosen)
            except WorthError:
                continue
            if goals.met_by(figures_of(made.circuit, made.scheme.use), made.cost):
                able.append(made.cost)
    view = worth(at, WorthRequest(idle_surplus_a=surplus_a, least_v=13.0, day_holds=False, left_out=others))
    pick = next((p for p in view.plans if p.id == view.pick), None)
    assert able and pick is not None
    assert pick.cost == pytest.approx(min(able), abs=0.02)


def test_leads_are_as_cheap_as_brute_force_over_the_sizes() -> None:
    """Every choice of four sizes for three groups of leads: those that need not grow do what is asked, and none costs less."""
    circuit = build_layout("rear_battery_direct", 12)
    target = SizingTarget(target_current_a=110)
    made = cheapest_proposal(circuit, target, PRICES)
    leads = [b for b in circuit.branches if isinstance(b, ConductorBranch)]
    runs = [[b.id for b in leads if "ground" not in b.id], [b.id for b in leads if "ground" in b.id]]
    cheapest = circuit_cost(circuit, made.circuit, PRICES).total(PRICES)
    costs = []
    sizes = ("25 mm2", "35 mm2", "50 mm2", "70 mm2", "95 mm2")
    for one in sizes:
        for other in sizes:
            begin = {i: Option(s) for run, s in zip(runs, (one, other), strict=True) for i in run}
            tried = propose(circuit, target, begin=begin)
            assert not worse_checks(circuit, tried.circuit)
            costs.append(circuit_cost(circuit, tried.circuit, PRICES).total(PRICES))
    assert cheapest <= min(costs) + 0.01


def test_a_unit_that_is_no_unit_is_refused() -> None:
    good = usual_units().units[0].model_dump()
    for change, message in (
        ({"points": ((3000, 50), (1500, 20))}, "rise"),
        ({"points": ((1500, 9000),)}, "2000 A"),
        ({"limit_rpm": 5}, "1000"),
    ):
        with pytest.raises(ValueError, match=message):
            Unit.model_validate({**good, **change})
    with pytest.raises(ValueError, match="Two units"):
        UnitList.model_validate({"units": [good, good]})

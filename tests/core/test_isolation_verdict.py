"""Whether a disconnect does what it is for: purposes against ways, and every rule both met and broken.

Which way does for which purpose is common practice of the trade, no source.
"""

from __future__ import annotations

import re

import numpy as np
import pytest

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import BenchCharger, Circuit, JointBranch, Load
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.controls import ControlPlace, FittedControl
from mavrik.core.circuit.dead_ends import dead_ends
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import ConsumerRole, IsolationPurpose, PurposeProfile, SwitchedConsumer, Switching
from mavrik.core.isolation.moves import moved_by
from mavrik.core.isolation.profiles import check_purposes
from mavrik.core.isolation.proof import proof
from mavrik.core.isolation.purposes import PurposeList, isolation_table, usual_purposes
from mavrik.core.isolation.rules import RULES, Answer, RuleOutcome
from mavrik.core.isolation.run_down import run_down
from mavrik.core.isolation.topologies import TOPOLOGIES, Isolated, topology_of
from mavrik.core.isolation.verdict import verdict, verdict_of
from mavrik.core.measuring.readings import Measured
from mavrik.core.planning.cost import circuit_cost
from mavrik.core.planning.guided import GuideProblemError, guide_of, guided
from mavrik.core.planning.guided.comparison import compare_answer
from mavrik.core.planning.targets import Guided, SizingTarget
from mavrik.core.procedures import Limits, procedure
from mavrik.core.protection.continuous import continuous_currents, positions


def built(topology: str, layout: str = "competition_car", volts: int = 12) -> Isolated:
    return topology_of(topology).build(build_layout(layout, volts))


def answer_of(rule: str, made: Isolated, **changes: object) -> Answer:
    return RULES[rule].ask(Case(made.circuit, made.switching.model_copy(update=changes)))


def with_load(circuit: Circuit, **load: object) -> Circuit:
    return with_parts(circuit, loads=(*circuit.loads, Load.model_validate(load)))


def with_branch(circuit: Circuit, branch_id: str, **changes: object) -> Circuit:
    return with_parts(circuit, branches=tuple(b.model_copy(update=changes) if b.id == branch_id else b for b in circuit.branches))


def also(switching: Switching, *consumers: SwitchedConsumer) -> Switching:
    return switching.model_copy(update={"consumers": (*switching.consumers, *consumers)})


@pytest.mark.long(but=4)
@pytest.mark.parametrize("volts", [12, 24])
@pytest.mark.parametrize(
    ("purpose", "fit"),
    [
        ("emergency", {"pull_cable", "two_controls", "controller"}),
        (
            "storage",
            {
                "as_fitted",
                "post",
                "pull_cable",
                "negative",
                "positive",
                "alternator_side",
                "multi_pole",
                "field_cut",
                "two_controls",
                "controller",
            },
        ),
        # The charge lead stays live where it lies on the battery's side.
        ("service", {"as_fitted", "post", "negative", "positive", "multi_pole", "field_cut", "controller"}),
        (
            "theft",
            {
                "as_fitted",
                "post",
                "pull_cable",
                "negative",
                "positive",
                "alternator_side",
                "multi_pole",
                "field_cut",
                "two_controls",
                "controller",
            },
        ),
        (
            "drain",
            {
                "as_fitted",
                "post",
                "pull_cable",
                "negative",
                "positive",
                "alternator_side",
                "multi_pole",
                "field_cut",
                "two_controls",
                "controller",
            },
        ),
    ],
)
def test_which_way_does_for_which_purpose(purpose: str, fit: set[str], volts: int) -> None:
    car = build_layout("competition_car", volts)
    does = {}
    for way in TOPOLOGIES:
        if not way.not_here(car):
            made = way.build(car)
            does[way.name] = verdict(made.circuit, made.switching, IsolationPurpose(purpose)).does
    assert {name for name, d in does.items() if d} == fit
    assert all(d is not None for d in does.values())


@pytest.mark.long(but=6)
@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_verdict_says_why_and_what_would_meet_it(layout: str) -> None:
    circuit = build_layout(layout, 12)
    # Every way on half of the layouts, every other one here.
    first = [x.name for x in LAYOUTS].index(layout) % 2
    for way in TOPOLOGIES[first::2]:
        if way.not_here(circuit):
            continue
        made = way.build(circuit)
        case = Case(made.circuit, made.switching)
        for purpose in IsolationPurpose:
            result = verdict_of(case, purpose)
            profile = isolation_table().purposes[purpose]
            named = {*profile.requires, *profile.forbids, *profile.advises}
            assert {a.rule for a in result.answers} == {n for n in named if RULES[n].applies(case)}
            decisive = {a.outcome for a in result.answers if a.kind != "advises"}
            expected = False if RuleOutcome.BROKEN in decisive else None if RuleOutcome.UNKNOWN in decisive else True
            assert result.does is expected
            for a in result.answers:
                assert a.words and (a.outcome is not RuleOutcome.BROKEN or a.change), a
            assert result.owner and "rulebook" in result.source


def test_every_rule_is_asked_for_by_some_purpose() -> None:
    named = {n for p in isolation_table().purposes.values() for n in (*p.requires, *p.forbids, *p.advises)}
    assert named == set(RULES)


def test_a_running_engine_is_stopped_or_the_row_that_says_not_is_named() -> None:
    answer = answer_of("engine_stops", built("positive"))
    assert answer.outcome is RuleOutcome.BROKEN and answer.row is not None and answer.row.runs and not answer.row.on
    assert answer_of("engine_stops", built("alternator_side")).outcome is RuleOutcome.MET
    made = built("alternator_side")
    nobody = tuple(c.model_copy(update={"role": ConsumerRole.OTHER}) for c in made.switching.consumers)
    assert answer_of("engine_stops", made, consumers=nobody).outcome is RuleOutcome.UNKNOWN
    # A small machine stops at idle for want of output, and runs on under way: that is not stopping.
    motorcycle = answer_of("engine_stops", built("positive", "motorcycle"))
    assert motorcycle.outcome is RuleOutcome.BROKEN and "under way" in motorcycle.words


def test_a_fuel_pump_on_the_wrong_side_does_not_hide_that_the_engine_stops() -> None:
    made = built("alternator_side")
    circuit = with_load(made.circuit, id="pump", label="Fuel pump", from_node="bulkhead", to_node="chassis", current_a=6)
    pumped = Isolated(circuit, also(made.switching, SwitchedConsumer(load_id="pump", role=ConsumerRole.FUEL_PUMP)), made.moves)
    assert answer_of("engine_stops", pumped).outcome is RuleOutcome.MET
    dead = answer_of("consumers_dead", pumped)
    assert dead.outcome is RuleOutcome.BROKEN and "Fuel pump" in dead.words


def test_reach_marks_and_keys() -> None:
    made = built("two_controls")
    assert answer_of("reach_driver", made).outcome is answer_of("reach_outside", made).outcome is RuleOutcome.MET
    here = tuple(c.model_copy(update={"place": ControlPlace.HIDDEN, "marked": False}) for c in made.switching.controls)
    for rule, met in (("reach_driver", False), ("reach_outside", False), ("marked", False), ("hidden", True)):
        assert (answer_of(rule, made, controls=here).outcome is RuleOutcome.MET) == met, rule
    for rule, field in (("lockable", "lockable"), ("removable", "removable")):
        assert answer_of(rule, made).outcome is RuleOutcome.BROKEN
        other = tuple(c.model_copy(update={field: True}) for c in made.switching.controls)
        assert answer_of(rule, made, controls=other).outcome is RuleOutcome.MET
    assert answer_of("two_controls", built("positive")).outcome is RuleOutcome.BROKEN
    assert answer_of("negative_side", built("negative")).outcome is RuleOutcome.MET
    assert answer_of("negative_side", built("positive")).outcome is RuleOutcome.BROKEN


def test_contacts_carry_and_crank_or_are_named_with_their_current() -> None:
    made = built("positive")
    # 90 A of output at most and what is on beside it; 250 A while cranking.
    for rating, short, carries, cranks in (
        (300, 1000, True, True),
        (20, 1000, False, True),
        (300, 200, True, False),
        (None, None, None, True),
        (None, 1000, False, True),
    ):
        circuit = with_branch(made.circuit, "isolator", rating_a=rating, intermittent_a=short)
        changed = Isolated(circuit, made.switching, made.moves)
        for rule, good in (("carries", carries), ("cranks_through", cranks)):
            answer = answer_of(rule, changed)
            assert answer.outcome is (RuleOutcome.UNKNOWN if good is None else RuleOutcome.MET if good else RuleOutcome.BROKEN), (
                rule,
                rating,
                short,
            )
    answer = answer_of(
        "cranks_through", Isolated(with_branch(made.circuit, "isolator", intermittent_a=200), made.switching, made.moves)
    )
    brief = Isolated(with_branch(made.circuit, "isolator", rating_a=None, intermittent_a=400), made.switching, made.moves)
    assert answer_of("carries", brief).words.startswith("Isolator is made for short duty only, 400 A of it, and carries ")
    # Nothing but the starter's 250 A and the ignition's 18 at 12 V pass it, less where the voltage sags.
    amps = float(re.search(r"carries (\d+) A while cranking", answer.words).group(1))  # type: ignore[union-attr]
    assert 200 < amps < 268


def test_a_small_pole_is_not_held_against_an_output_that_no_battery_takes() -> None:
    """With its main pole open an alternator regulates: the ignition's pole never sees all it can give."""
    made = built("multi_pole", "front_battery")
    pole = next(b for b in made.circuit.branches if b.id == "ignition_pole")
    assert pole.rating_a == 20
    # 10 A at 12 V, 14.4 at most beside a regulator of 14.4 V: 12 A and a little for what the wires do not lose.
    assert 9 < Case(made.circuit, made.switching).continuous_a["ignition_pole"] < 12.5
    assert answer_of("carries", made).outcome is RuleOutcome.MET


def test_what_a_contact_breaks_is_what_flows_through_it_while_the_engine_runs() -> None:
    # Beside the alternator's own side the contact carries the 18 A of ignition and pump, at 14.4 V 18 x 14.4 / 12 = 21.6.
    made = built("alternator_side")
    assert answer_of("breaks", made).outcome is RuleOutcome.UNKNOWN and "(22 A)" in answer_of("breaks", made).words
    for breaks, good in ((30.0, True), (20.0, False)):
        contacts = tuple(c.model_copy(update={"breaks_a": breaks}) for c in made.switching.contacts)
        answer = answer_of("breaks", made, contacts=contacts)
        assert (answer.outcome is RuleOutcome.MET) == good and (good or "22 A of direct current" in answer.words)


def test_what_drains_what_lasts_and_what_is_lost() -> None:
    made = built("negative")
    before = with_load(made.circuit, id="radio", label="Radio memory", from_node="bat_pos", to_node="bat_neg", current_a=0.02)
    behind = with_load(made.circuit, id="radio", label="Radio memory", from_node="bat_pos", to_node="chassis", current_a=0.02)
    radio = SwitchedConsumer(load_id="radio", role=ConsumerRole.MEMORY, when="always", needs_v=9)
    past, cut = (Isolated(c, also(made.switching, radio), made.moves) for c in (before, behind))
    assert answer_of("no_drain", past).outcome is RuleOutcome.BROKEN and answer_of("no_drain", cut).outcome is RuleOutcome.MET
    assert (
        answer_of("memory_kept", past).outcome is RuleOutcome.MET and answer_of("memory_kept", cut).outcome is RuleOutcome.BROKEN
    )
    assert answer_of("memory_kept", made).outcome is RuleOutcome.UNKNOWN
    # Half of 30 Ah at 20 mA and a little, for the battery stands above 12 V: 15 / 0.021 / 24 is 30 days.
    assert "Flat after 30 days left on (21 mA)" in answer_of("days_to_flat", cut).words
    assert "as long as the battery itself" in answer_of("days_to_flat", cut).words


def test_a_charger_at_the_posts_stays_on() -> None:
    made = built("negative")
    assert answer_of("charger_reaches", made).outcome is RuleOutcome.UNKNOWN

    def charged(minus: str) -> Answer:
        charger = BenchCharger(id="keeper", label="Keeper", positive_node="bat_pos", negative_node=minus, limit_a=4)
        return answer_of("charger_reaches", Isolated(with_parts(made.circuit, chargers=(charger,)), made.switching, made.moves))

    assert charged("bat_neg").outcome is RuleOutcome.MET and charged("chassis").outcome is RuleOutcome.BROKEN


def test_a_winch_is_dead_behind_a_heavy_isolator_of_its_own() -> None:
    made = built("winch", "winch")
    assert answer_of("winch_dead", made).outcome is answer_of("winch_rating", made).outcome is RuleOutcome.MET
    thin = Isolated(with_branch(made.circuit, made.switching.contacts[0].branch_id, rating_a=100), made.switching, made.moves)
    answer = answer_of("winch_rating", thin)
    assert answer.outcome is RuleOutcome.BROKEN and "at least 300 A" in answer.words
    assert answer_of("winch_dead", built("positive")).outcome is RuleOutcome.UNKNOWN
    assert verdict(made.circuit, made.switching, IsolationPurpose.WINCH).does is True


def test_a_second_bank_goes_off_alone() -> None:
    made = built("further_banks", "second_battery_link")
    assert answer_of("bank_off_runs_on", made).outcome is RuleOutcome.MET
    assert answer_of("bank_off_runs_on", built("alternator_side", "second_battery_link")).outcome is RuleOutcome.BROKEN
    assert answer_of("bank_off_runs_on", built("positive")).outcome is RuleOutcome.UNKNOWN
    link = answer_of("link_override", made)
    assert link.outcome is RuleOutcome.BROKEN and "drops out" in link.words
    held = Isolated(with_branch(made.circuit, "link", override="closed"), made.switching, made.moves)
    assert answer_of("link_override", held).outcome is RuleOutcome.MET


@pytest.mark.parametrize(("volts", "band", "clamp"), [(12, "79 to 101 V", "35 V"), (24, "151 to 202 V", "65 V")])
def test_a_battery_cut_from_a_charging_alternator_is_a_load_dump(volts: int, band: str, clamp: str) -> None:
    """ISO 16750-2, test A and test B, from memory."""
    answer = answer_of("surge", built("positive", volts=volts))
    assert answer.outcome is RuleOutcome.BROKEN and band in answer.words and clamp in answer.words
    assert answer_of("surge", built("alternator_side", volts=volts)).outcome is RuleOutcome.MET
    # Of two parallel batteries each has its contact, and both go.
    assert answer_of("surge", built("positive", "parallel_batteries", volts)).outcome is RuleOutcome.BROKEN
    assert answer_of("surge", built("further_banks", "parallel_batteries", volts)).outcome is RuleOutcome.MET


@pytest.mark.long
def test_a_guided_disconnect_says_side_by_side_which_way_is_fit() -> None:
    car = build_layout("competition_car", 12)
    guide = guide_of(car, "disconnect")
    (compared,) = (q for q in guide.asks(car) if q.name == guide.compares)
    request, target = {"purpose": "emergency"}, SizingTarget(target_current_a=car.alternator.rated_a)
    rows = [compare_answer(car, guide, {**request, "way": c.name}, target, usual_prices()) for c in compared.choices]
    assert {r.name: r.does for r in rows} == {
        "negative": False, "post": False, "positive": False, "breaker": False, "alternator_side": False, "pull_cable": True,
        "multi_pole": False, "field_cut": False,
        "two_controls": True, "controller": True,
    }  # fmt: skip
    assert all(r.fit_words and not r.refused and r.cost for r in rows)
    to_do = guided(car, "disconnect", {"purpose": "service", "way": "positive"}).to_do
    assert to_do[0].startswith("Fit for: service") and any("does NOT stop a running engine" in t for t in to_do)
    assert any("Never pull a battery's lead off a running engine" in t for t in to_do)
    # Five batteries: nobody fits five switches.
    with pytest.raises(GuideProblemError, match="common lead"):
        guided(build_layout("house_bank_end", 12), "disconnect", {})


@pytest.mark.long(but=4)
@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_whatever_a_guided_disconnect_says_can_be_kept(layout: str) -> None:
    circuit = build_layout(layout, 24)
    guide = guide_of(circuit, "disconnect") if layout not in ("house_bank_end", "house_bank_diagonal") else None
    if guide is None:
        return
    purposes, ways = (q.choices for q in guide.asks(circuit))
    first = [x.name for x in LAYOUTS].index(layout)
    for k, way in enumerate(ways):
        # Every way here, every purpose with it on some layout.
        for purpose in (purposes[(first + k) % len(purposes)], purposes[(first + k + 2) % len(purposes)]):
            answers: dict[str, str | float] = {"purpose": purpose.name, "way": way.name}
            to_do = guided(circuit, "disconnect", answers).to_do
            assert Guided(name="disconnect", label=guide.label, answers=answers, to_do=to_do).to_do == to_do


def test_what_is_held_in_or_never_rests_is_called_out() -> None:
    # A relay at the post that the starter's key pulls in, and whose coil then hangs behind its own contact.
    made = built("two_controls")
    latched = tuple(c.model_copy(update={"when": "coil or start"}) for c in made.switching.contacts)
    by_itself = tuple(x.model_copy(update={"plus_node": "isolated", "when": "always"}) for x in made.switching.senses)
    assert answer_of("held_in", made).outcome is RuleOutcome.MET
    # With the alternator on the battery's side neither control moves anything: it is held in.
    held = answer_of("held_in", made, contacts=latched, senses=by_itself)
    assert held.outcome is RuleOutcome.BROKEN and held.row is not None and held.row.pulled_in == {"coil"} and held.row.runs
    cut = tuple(x.model_copy(update={"when": "driver and outside"}) for x in by_itself)
    assert answer_of("held_in", made, contacts=latched, senses=cut).outcome is RuleOutcome.MET
    made = built("controller")
    assert answer_of("chatters", made).outcome is RuleOutcome.MET
    buzz = made.switching.senses[0].model_copy(update={"plus_node": "isolated", "on_v": 8, "off_v": 3})
    contacts = tuple(c.model_copy(update={"when": "not awake"}) if c.when == "awake" else c for c in made.switching.contacts)
    answer = answer_of("chatters", made, senses=(buzz,), contacts=contacts)
    assert answer.outcome is RuleOutcome.BROKEN and "Sense input" in answer.words


def test_the_owner_is_told_what_it_does_not_do() -> None:
    made = built("positive")
    text = " ".join(verdict(made.circuit, made.switching, IsolationPurpose.THEFT).owner)
    assert "Isolator does NOT stop a running engine" in text
    made = built("two_controls")
    text = " ".join(verdict(made.circuit, made.switching, IsolationPurpose.EMERGENCY).owner)
    assert "Driver's switch stops a running engine." in text and "Alternator stud" in text and "Left on, it loses 628 mA." in text


def test_no_starter_and_no_ignition_are_said_to_be_missing() -> None:
    made = built("positive", "front_battery")
    assert made.assumed and "nobody has drawn them" in made.assumed[0]
    assert answer_of("does_not_crank", made).outcome is RuleOutcome.UNKNOWN
    assert verdict(made.circuit, made.switching, IsolationPurpose.THEFT).does is None
    grow = Growing(made.circuit)
    assert grow.free("ignition") != "ignition"


@pytest.mark.parametrize("topology", ["positive", "alternator_side", "two_controls", "controller", "multi_pole"])
def test_a_proof_holds_only_where_the_vehicle_does_all_that_was_promised(topology: str) -> None:
    made = topology_of(topology).build(build_layout("front_battery", 12))
    promised = {x.point: x.promised for x in proof(made.circuit, made.switching, {}).lines}
    assert any(p.startswith("stops:") for p in promised) and "dead_v:alt_stud" in promised
    # A single pole in the positive leaves the engine running: that, too, is a promise of what is drawn.
    assert {v for p, v in promised.items() if p.startswith("stops:")} == ({"no"} if topology == "positive" else {"yes"})
    values = {"yes": 1.0, "no": 0.0, "live": 12.5, "dead": 0.9}
    read = {p: Measured(values[v], 0.01) for p, v in promised.items()}
    assert proof(made.circuit, made.switching, read).proven is True
    other = {"yes": 0.0, "no": 1.0, "live": 0.9, "dead": 1.1}
    for point, v in promised.items():
        wrong = {**read, point: Measured(other[v], 0.01)}
        result = proof(made.circuit, made.switching, wrong)
        assert result.proven is False and [x.point for x in result.lines if x.kept is False] == [point]
        missing = {p: m for p, m in read.items() if p != point}
        assert proof(made.circuit, made.switching, missing).proven is None


def test_nothing_is_asked_of_a_circuit_without_a_switch_that_a_hand_works() -> None:
    assert procedure("disconnect").points(build_layout("front_battery", 12)) == ()
    link = build_layout("second_battery_link", 12)
    assert not any(p.element in {b.id for b in link.branches if b.by_voltage} for p in procedure("disconnect").points(link))


def test_what_is_open_and_comes_back_is_judged_by_itself_and_stopping_only_against_the_promise() -> None:
    car = build_layout("competition_car", 12)
    read = {"stops:1": Measured(0.0, 0.0), "open:cut_off": Measured(0.0, 0.0), "restarts": Measured(1.0, 0.0)}
    verdicts = {j.point: j.verdict.value for j in procedure("disconnect").judge(car, read, Limits())}
    assert verdicts == {"open:cut_off": "fail", "restarts": "pass"}


def coil_answers(**coil: float) -> dict[str, tuple[str, str]]:
    made = topology_of("two_controls").build(build_layout("competition_car", 12))
    switching = made.switching.model_copy(update={"senses": tuple(s.model_copy(update=coil) for s in made.switching.senses)})
    judgement = verdict(made.circuit, switching, IsolationPurpose.EMERGENCY)
    return {a.rule: (a.outcome.value, a.words) for a in judgement.answers if a.rule.startswith("coil")}


def test_a_coil_is_asked_hot_at_the_end_of_its_own_wires() -> None:
    """By hand: 0.6 A at 12 V are 20 ohm; copper at 105 degC has 1 + 0.00393 x 85 = 1.334 of that (IEC 60028): 26.7 ohm."""
    hot = 1 + 0.00393 * 85
    answers = coil_answers()
    assert answers["coil_supply"][0] == answers["coil_wires"][0] == "met"
    # 7 m of 1.5 mm2 at 13.3 mohm/m and 20 degC (IEC 60228 class 5, from memory), two switches of 10 mohm, a 3 A blade of about 0.03 ohm.
    wires = 7 * 0.0133 + 0.02 + 0.03
    assert f"gets {12.65 * 26.68 / (26.68 + wires):.1f} V where it wants {0.67 * 12 * hot:.1f} V" in answers["coil_supply"][1]
    lost = float(answers["coil_wires"][1].split("lose ")[1].split(" V")[0])
    assert lost == pytest.approx(12.65 * wires / (20 + wires), abs=0.02)
    # 0.6 A at 80 % duty: the smallest blade that is made.
    assert "Control fuse has 3 A" in answers["coil_wires"][1]


def test_the_wire_to_the_switches_is_in_the_price() -> None:
    """By hand, of the price list: relay and switches by their amperes, a fuse, 7 m of 1.5 mm2 in three leads with two lugs each."""
    prices, circuit = usual_prices(), build_layout("competition_car", 12)
    made = topology_of("two_controls").build(circuit).circuit
    contacts = (300 + 2 * 5) * prices.contact_per_a
    wires = 7 * (prices.cable_per_m + 1.5 * prices.cable_per_m_mm2) + 6 * (prices.lug + 1.5 * prices.lug_per_mm2)
    cost = circuit_cost(circuit, made, prices)
    assert cost.parts == pytest.approx(contacts + wires + prices.fuse[FuseFamily.BLADE_C])
    assert cost.hours == pytest.approx(3 * prices.contact_h + 3 * prices.lead_h + 7 * prices.lead_h_per_m + prices.fuse_h)


def test_the_wire_to_the_switches_is_said_to_stay_live_and_to_be_fused() -> None:
    made = built("two_controls")
    owner = " ".join(verdict(made.circuit, made.switching, IsolationPurpose.EMERGENCY).owner)
    assert "and the fused wire to the switches." in owner and "Control fuse" not in owner
    fuse = made.circuit.branch("control_fuse")
    bare = JointBranch(id=fuse.id, label="Ring on the post", from_node=fuse.from_node, to_node=fuse.to_node)
    unfused = with_parts(made.circuit, branches=tuple(bare if b.id == fuse.id else b for b in made.circuit.branches))
    judgement = verdict(unfused, made.switching, IsolationPurpose.EMERGENCY)
    wires = next(a for a in judgement.answers if a.rule == "coil_wires")
    assert wires.outcome is RuleOutcome.BROKEN and "nothing fuses Ring on the post" in wires.words and "3 A" in wires.change


@pytest.mark.parametrize(("way", "relay"), [("two_controls", "coil"), ("controller", "awake")])
def test_a_control_moves_what_its_own_contact_takes_the_supply_from(way: str, relay: str) -> None:
    """No condition names a control beside its own contact: what follows is what the wire does."""
    made = built(way)
    (sense,) = made.switching.senses
    assert sense.id == relay and sense.when == "always"
    moves = moved_by(made.circuit, made.switching)
    assert moves["driver"] == {"driver_switch", "isolator"} and moves["outside"] == {"outside_switch", "isolator"}
    assert made.circuit.branch("isolator").worked_by == ("Driver's switch", "Outer switch")
    case = Case(made.circuit, made.switching)
    assert [c.id for c in case.contacts] == ["isolator"]
    start, wire = case.supply_of(sense)
    assert start == "bat_pos" and [b.id for b in wire] == [
        "control_fuse", "driver_wire", "driver_switch", "outside_wire", "outside_switch", "control_back"
    ]  # fmt: skip
    # Fed from behind the contact that it holds, neither control reaches it by its wire, and the post's contact takes all of it away.
    held = made.switching.model_copy(update={"senses": (sense.model_copy(update={"plus_node": "isolated"}),)})
    assert moved_by(made.circuit, held)["driver"] == {"driver_switch"}


@pytest.mark.parametrize(
    ("coil", "rule", "words"),
    [
        # Cold it would pull in at 10 V, hot it wants 13.3 V.
        ({"on_v": 10.0}, "coil_supply", "wants 13.3 V to pull in"),
        # It holds down to 8.4 V cold, 11.2 V hot, and the starter pulls the battery below that.
        ({"on_v": 8.4, "off_v": 8.4}, "coil_supply", "left while cranking and lets go below 11.2 V"),
        ({"lead_ohm": 3.0}, "coil_wires", "more than 5% of its supply"),
    ],
)
def test_a_coil_that_is_short_of_voltage_is_found(coil: dict[str, float], rule: str, words: str) -> None:
    outcome, message = coil_answers(**coil)[rule]
    assert outcome == "broken" and words in message


def test_switches_in_a_wire_that_feeds_nothing_of_the_circuit_make_no_more_positions() -> None:
    """Two switches in a coil's wire would ask for four times the states, or, of many, for fewer of those that matter."""
    made = built("two_controls", "second_battery_converter")
    wire = {b.id for _, b in dead_ends(made.circuit).values()}
    assert wire == {"control_fuse", "driver_wire", "driver_switch", "outside_wire", "outside_switch", "control_back"}
    assert (
        not any(wire & set(p) for p in positions(made.circuit)) and len(positions(made.circuit)) == 4
    )  # an isolator at each battery
    carries = continuous_currents(made.circuit)
    assert all(carries[i] < 1e-3 for i in wire) and carries["isolator"] > 10
    # What the regulator senses by is no dead end: a switch in it changes what comes.
    sensed = made.circuit.alternator.model_copy(update={"sense_positive_node": "driver_in"})
    assert "driver_wire" not in {b.id for _, b in dead_ends(with_parts(made.circuit, alternators=(sensed,))).values()}


# A selector, what is known of controls, and what an alternator does whose battery is taken away


def with_known(circuit: Circuit, label: str, **facts: object) -> Circuit:
    return with_parts(circuit, controls=(FittedControl.model_validate({"label": label, **facts}),))


@pytest.mark.parametrize("volts", [12, 24])
def test_a_selector_that_breaks_first_is_called_out_and_one_that_nobody_has_looked_at_is_not_known(volts: int) -> None:
    boat = build_layout("boat_selector", volts)
    fitted = topology_of("as_fitted")
    outcomes = {
        makes_first: answer_of(
            "selector_makes_first", fitted.build(with_known(boat, "Battery selector", makes_first=makes_first))
        )
        for makes_first in (True, False, None)
    }
    assert {k: a.outcome.value for k, a in outcomes.items()} == {True: "met", False: "broken", None: "unknown"}
    assert "stop the engine first" in outcomes[True].words and outcomes[False].change
    # Its charge lead on a battery's own post: however it is turned, the alternator keeps that one.
    direct = with_branch(boat, "charge_fuse", to_node="bat_pos")
    assert answer_of("selector_makes_first", fitted.build(direct)).outcome is RuleOutcome.MET
    # One contact is no selector, and where there is none nothing is asked.
    alone = with_branch(boat, "selector_2", selector=None)
    for circuit in (alone, build_layout("competition_car", volts)):
        made = fitted.build(circuit)
        assert not RULES["selector_makes_first"].applies(Case(made.circuit, made.switching))
        assert "selector_makes_first" not in {
            a.rule for a in verdict(made.circuit, made.switching, IsolationPurpose.STORAGE).answers
        }


def test_what_somebody_has_looked_at_on_a_fitted_switch_is_known_of_it() -> None:
    car = build_layout("competition_car", 12)
    assert answer_of("reach_driver", topology_of("as_fitted").build(car)).outcome is RuleOutcome.UNKNOWN
    known = with_known(car, "Cut-off switch", place="driver", marked=True, lockable=False)
    made = topology_of("as_fitted").build(known)
    assert [answer_of(r, made).outcome.value for r in ("reach_driver", "reach_outside", "marked", "lockable", "removable")] == [
        "met", "broken", "met", "broken", "unknown",
    ]  # fmt: skip
    # Of a disconnect that is put in, what it was made as stays known on its circuit.
    built_in = topology_of("two_controls").build(car).circuit
    assert {c.label: c.place for c in built_in.controls} == {
        "Driver's switch": ControlPlace.DRIVER, "Outer switch": ControlPlace.OUTSIDE,
    }  # fmt: skip
    again = topology_of("as_fitted").build(built_in)
    assert answer_of("reach_outside", again).outcome is RuleOutcome.MET and again.circuit.controls == built_in.controls
    with pytest.raises(ValueError, match="is there twice"):
        with_parts(car, controls=(FittedControl(label="One"), FittedControl(label="One")))


@pytest.mark.parametrize(("volts", "highest_v"), [(12, 101.0), (24, 202.0)])
def test_the_surge_is_the_current_times_what_is_left_and_no_more_than_an_unclamped_unit_reaches(
    volts: int, highest_v: float
) -> None:
    """Current in an inductance is continuous: I times R, by hand; the upper bound is ISO 16750-2's, from memory."""
    car = build_layout("competition_car", volts)
    drawn = [x for x in car.loads if x.on and not x.cranking]
    by_hand = volts / sum(x.current_a for x in drawn)
    unit = car.alternator
    after = run_down(case := case_of("positive", car), "isolator")
    assert after is not None and after.left_ohm is not None
    # At 3000 /min it gives all it is rated for; with loads off less is left on, so the rise is larger than with all on.
    assert after.before_a == pytest.approx(unit.rated_a, rel=0.02)
    assert after.left_ohm >= by_hand * 0.98
    assert after.peak_v == pytest.approx(min(after.before_a * after.left_ohm, highest_v))
    assert not after.field_cut and RULES["run_down"].ask(case).outcome is RuleOutcome.UNKNOWN
    # A resistor across it takes its share: less is left than of the vehicle alone.
    poled = run_down(case_of("multi_pole", car), "master")
    assert poled is not None and poled.left_ohm is not None and poled.resistor == "Run-down resistor"
    ohm = 3.0
    assert poled.left_ohm == pytest.approx(ohm, rel=0.01)
    # What a resistor takes of an exponential that is at a tenth after 0.4 s (0.35 s at 24 V).
    seconds = np.linspace(0, 5, 200_001)
    tau = {12: 0.4, 24: 0.35}[volts] / np.log(10)
    power = (poled.peak_v * np.exp(-seconds / tau)) ** 2 / ohm
    assert poled.resistor_j == pytest.approx(float(np.sum(power) * (seconds[1] - seconds[0])), rel=0.01)
    cut = run_down(case_of("field_cut", car), "master")
    assert cut is not None and cut.field_cut
    # Where the alternator keeps its battery there is none.
    assert run_down(kept := case_of("alternator_side", car), "isolator") is None and not RULES["run_down"].applies(kept)


def case_of(topology: str, circuit: Circuit) -> Case:
    made = topology_of(topology).build(circuit)
    return Case(made.circuit, made.switching)


@pytest.mark.parametrize(
    ("way", "first"), [("multi_pole", "the ignition pole opens and the resistor closes"), ("field_cut", "the field pole opens")]
)
def test_poles_that_have_to_open_first_are_named_where_a_control_moves_several(way: str, first: str) -> None:
    """Cut last, the battery takes the surge itself. Common practice, no source."""
    assert any(w.startswith(f"In this order: {first} before the main pole") for w in built(way).moves)


def test_much_left_across_a_small_unit_holds_its_surge_down() -> None:
    bike = case_of("positive", build_layout("motorcycle", 12))
    after = run_down(bike, "isolator")
    assert after is not None and after.below_rpm is None and after.peak_v < 35
    assert RULES["run_down"].ask(bike).outcome is RuleOutcome.MET


def test_a_cut_field_stops_what_is_fed_from_outside_and_a_magnet_has_none() -> None:
    car = build_layout("competition_car", 12)
    made = topology_of("field_cut").build(car)
    assert answer_of("engine_stops", made).outcome is RuleOutcome.MET
    # A unit that feeds its own field runs on: that is what the assumption says.
    own = tuple(f.model_copy(update={"self_excites": True}) for f in made.switching.fields)
    assert answer_of("engine_stops", made, fields=own).outcome is RuleOutcome.BROKEN
    assert any("feeds its own field runs on" in a for a in made.assumed)
    assert "magnet" in topology_of("field_cut").not_here(build_layout("motorcycle", 12))


# What the workshop has changed in a purpose


def test_a_workshop_changes_what_a_purpose_asks_but_not_what_makes_it_one() -> None:
    usual = usual_purposes()
    assert not check_purposes(usual)

    def changed(purpose: IsolationPurpose, **changes: object) -> PurposeList:
        own = usual.purposes[purpose].model_copy(update=changes)
        return PurposeList(purposes={**usual.purposes, purpose: own})

    emergency = usual.purposes[IsolationPurpose.EMERGENCY]
    less = changed(
        IsolationPurpose.EMERGENCY,
        requires=tuple(r for r in emergency.requires if r not in ("two_controls", "reach_outside")),
        rulebook="Club rules of 2026, part 4",
    )
    assert not check_purposes(less)
    car = build_layout("competition_car", 12)
    one = topology_of("controller").build(car)
    single = one.switching.model_copy(update={"controls": one.switching.controls[:1]})
    profile = less.purposes[IsolationPurpose.EMERGENCY]
    judgement = verdict(one.circuit, one.switching, IsolationPurpose.EMERGENCY, profile)
    assert "two_controls" not in {a.rule for a in judgement.answers} and single.controls
    assert judgement.source.startswith("Rulebook named by the workshop: Club rules of 2026, part 4. What is asked was changed")
    assert "changed" not in verdict(one.circuit, one.switching, IsolationPurpose.EMERGENCY).source

    # An emergency stop that need not stop the engine is none.
    (problem,) = check_purposes(
        changed(IsolationPurpose.EMERGENCY, requires=tuple(r for r in emergency.requires if r != "engine_stops"))
    )
    assert (problem.element, problem.field) == ("emergency", "engine_stops")
    (problem,) = check_purposes(changed(IsolationPurpose.DRAIN, advises=("levitates",)))
    assert (problem.element, problem.field) == ("drain", "advises") and "levitates" in problem.message
    with pytest.raises(ValueError, match="asked twice"):
        PurposeProfile(label="Twice", why="It is there twice.", requires=("no_drain",), forbids=(), advises=("no_drain",))
    with pytest.raises(ValueError, match="'winch' is missing"):
        PurposeList(purposes={p: f for p, f in usual.purposes.items() if p is not IsolationPurpose.WINCH})


def test_a_profile_that_leaves_out_what_makes_its_purpose_is_held_against_that_all_the_same() -> None:
    """As it may come in a bundle: an engine that runs on is never fit for an emergency stop, whatever somebody has asked."""
    usual = usual_purposes().purposes[IsolationPurpose.EMERGENCY]
    harmless = usual.model_copy(update={"requires": (), "forbids": (), "advises": ("engine_stops",)})
    made = built("positive")
    judgement = verdict(made.circuit, made.switching, IsolationPurpose.EMERGENCY, harmless)
    stops = [a for a in judgement.answers if a.rule == "engine_stops"]
    assert [(a.kind, a.outcome) for a in stops] == [("requires", RuleOutcome.BROKEN)] and judgement.does is False
    assert {a.rule for a in judgement.answers if a.kind == "requires"} == {*isolation_table().stays[IsolationPurpose.EMERGENCY]}


def test_a_rule_of_a_later_program_leaves_the_verdict_open() -> None:
    usual = usual_purposes().purposes[IsolationPurpose.STORAGE]
    later = usual.model_copy(update={"requires": (*usual.requires, "hums_a_tune")})
    made = built("negative")
    assert verdict(made.circuit, made.switching, IsolationPurpose.STORAGE).does
    judgement = verdict(made.circuit, made.switching, IsolationPurpose.STORAGE, later)
    assert judgement.does is None and next(a for a in judgement.answers if a.rule == "hums_a_tune").outcome is RuleOutcome.UNKNOWN


def test_a_breaker_as_the_switch_is_fit_where_no_starter_hangs_on_it() -> None:
    car = build_layout("competition_car", 12)
    assert answer_of("cranks_through", topology_of("breaker").build(car)).outcome is RuleOutcome.BROKEN
    without = with_parts(car, loads=tuple(x for x in car.loads if not x.cranking))
    made = topology_of("breaker").build(without)
    assert answer_of("carries", made).outcome is RuleOutcome.MET and answer_of("no_drain", made).outcome is RuleOutcome.MET
    assert made.circuit.branch("isolator").protects

"""What a disconnect does: the failures that are known of each way to wire one, steps, conditions, the whole table.

Which ways run on and which stop is common practice of the trade, no source; the figures of the controller (4.2 and 3.6 V) too.
"""

from __future__ import annotations

import time
from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mavrik.core.circuit import Circuit, Load, RelayBranch, SwitchBranch
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.rules import CircuitError
from mavrik.core.isolation.documents import (
    SITUATIONS,
    ConsumerRole,
    Control,
    FieldSupply,
    MovedContact,
    Sense,
    SwitchedConsumer,
    Switching,
)
from mavrik.core.isolation.expressions import AllOf, AnyOf, ConditionError, Constant, Name, Not, holds, names_in, read_condition
from mavrik.core.isolation.steps import Switched
from mavrik.core.isolation.table import Table, truth_table, truth_tables
from mavrik.core.isolation.topologies import TOPOLOGIES, Isolated, topology_of

NAMES = [layout.name for layout in LAYOUTS]
LEAK_A = 1e-5
"""What is off leaks a microampere or two."""
RUNS_ON = ("negative", "post", "positive", "breaker")
STOPS = ("alternator_side", "pull_cable", "multi_pole", "field_cut", "two_controls", "controller")


def built(topology: str, layout: str = "front_battery", volts: int = 12) -> Isolated:
    return topology_of(topology).build(build_layout(layout, volts))


def tables(made: Isolated) -> list[Table]:
    """As used, and with everything off that may be."""
    return list(truth_tables(made.circuit, made.switching))


@pytest.mark.long(but=80)
@pytest.mark.parametrize("volts", [12, 24])
@pytest.mark.parametrize("layout", NAMES)
@pytest.mark.parametrize("topology", [*RUNS_ON, *STOPS])
def test_which_disconnects_stop_an_engine_and_which_run_on(topology: str, layout: str, volts: int) -> None:
    if message := topology_of(topology).not_here(build_layout(layout, volts)):
        magnet = topology == "field_cut" and layout == "motorcycle"
        assert ("magnet" in message) if magnet else ("link" in message and layout.startswith("house_bank"))
        return
    made = built(topology, layout, volts)
    for table in tables(made):
        assert table.row("idle").runs and table.row("fast").runs, "with all on it runs"
        assert not table.row("key_off").runs, "the key stops it"
        for control in table.control_ids:
            # Under way an alternator carries what a running engine takes; at idle a small one may not.
            assert table.row("fast", (control,)).runs == (topology in RUNS_ON), control
            assert topology in RUNS_ON or not table.row("idle", (control,)).runs, control
            assert not table.row("cranking", (control,)).cranks, control
        assert table.row("off", table.control_ids).drain_a < LEAK_A
        assert not any(row.chatters for row in table)
    if any(x.cranking for x in made.circuit.loads):
        assert tables(made)[0].row("cranking").cranks


@pytest.mark.parametrize("layout", NAMES)
def test_a_part_that_is_taken_off_alone_lets_the_vehicle_go_on(layout: str) -> None:
    circuit = build_layout(layout, 12)
    for way in TOPOLOGIES:
        if way.changes and way.name not in (*RUNS_ON, *STOPS) and not way.not_here(circuit):
            made = way.build(circuit)
            for table in tables(made):
                (control,) = table.control_ids
                assert table.row("idle", (control,)).runs and table.row("fast", (control,)).runs
                assert table.row("idle").closed and not table.row("idle", (control,)).closed


def test_cut_in_the_positive_the_alternator_feeds_the_car_on_and_only_the_post_is_dead_behind() -> None:
    made = built("positive")
    row = truth_table(made.circuit, made.switching).row("idle", ("isolator",))
    assert row.runs and row.stud_v == pytest.approx(14.4, abs=0.1)
    assert {"alt_stud", "isolated", "bat_pos"} <= row.live
    assert row.fed == {"ignition"} and not row.closed


def test_with_the_alternator_on_the_batterys_side_all_of_the_car_is_dead_and_its_lead_stays_live() -> None:
    made = built("alternator_side", "competition_car")
    row = truth_table(made.circuit, made.switching).row("fast", ("isolator",))
    assert not row.runs and not row.fed
    # What the label on the dash has to say: the charge lead is live for as long as the battery is.
    assert {"alt_stud", "bulkhead", "bat_pos"} <= row.live and "isolated" not in row.live
    assert "From Cut-off, car side behind the isolator: Ignition and pump, Starter." in " ".join(made.moves)


def test_an_alternator_lead_on_the_wrong_post_runs_on() -> None:
    made = built("alternator_side")
    out = "isolated"
    lead = next(b for b in made.circuit.branches if "bat_pos" in (b.from_node, b.to_node) and not b.id.startswith("isolator"))
    ends = {n: out for n in ("from_node", "to_node") if getattr(lead, n) == "bat_pos"}
    wrong = made.circuit.model_copy(
        update={"branches": tuple(b.model_copy(update=ends) if b is lead else b for b in made.circuit.branches)}
    )
    assert truth_table(wrong, made.switching).row("idle", ("isolator",)).runs
    assert not truth_table(made.circuit, made.switching).row("idle", ("isolator",)).runs


def test_two_switches_in_series_with_the_coil_and_either_stops_it() -> None:
    made = built("two_controls", "competition_car")
    table = truth_table(made.circuit, made.switching)
    for off in (("driver",), ("outside",), ("driver", "outside")):
        row = table.row("idle", off)
        assert not row.runs and not row.pulled_in and "isolator" not in row.closed
    assert table.row("idle").pulled_in == {"coil"}
    # 0.6 A at 12 V are 20 ohm; 7 m of 1.5 mm2 at 13.3 mohm/m (IEC 60228 class 5, from memory), two switches of 10 mohm and a small
    # blade fuse stand before it: what a full battery of 12.65 V gives it, day and night.
    assert table.row("off").drain_a == pytest.approx(12.65 / (20 + 7 * 0.0133 + 0.02), rel=0.01)


def test_a_relay_whose_coil_hangs_on_the_switched_side_is_held_in_by_the_alternator() -> None:
    """Fed from the car's side of its own contact it never drops while the engine turns, however the battery is cut."""
    made = built("positive", "competition_car")
    out = "isolated"
    grow = Growing(made.circuit)
    grow.put(
        "branches", SwitchBranch(id="post_cut", label="Post cut", from_node="bat_pos", to_node=grow.node("cut", "Behind the cut"))
    )
    circuit = grow.done()
    # The contact is now a relay's behind the cut at the post; its coil hangs on its own output.
    branches = tuple(
        RelayBranch(id=b.id, label=b.label, from_node="cut", to_node=b.to_node, resistance_mohm=0.3, rating_a=300)
        if b.id == "isolator"
        else b
        for b in circuit.branches
    )
    circuit = circuit.model_copy(update={"branches": branches})
    held = Sense(id="coil", label="Coil", plus_node=out, minus_node="bat_neg", on_v=8, off_v=2.4, takes_a=0.6)
    switching = made.switching.model_copy(
        update={
            "controls": (Control(id="cut", label="Cut"), Control(id="button", label="Button")),
            "senses": (held,),
            "contacts": (
                MovedContact(branch_id="post_cut", when="cut"),
                MovedContact(branch_id="isolator", when="coil or button"),
            ),
        }
    )
    on_coil = truth_table(circuit, switching)
    # The button let go again, it holds itself; and it goes on doing so once the battery is cut.
    for off in (("button",), ("cut", "button")):
        row = on_coil.row("idle", off)
        assert row.runs and row.pulled_in == {"coil"} and "isolator" in row.closed, off
    # Standing and without the button nothing pulls it in.
    assert not on_coil.row("off", ("button",)).pulled_in
    before = held.model_copy(update={"plus_node": "cut"})
    on_battery = truth_table(circuit, switching.model_copy(update={"senses": (before,)}))
    # Its coil before the contact is held in by the alternator as well, through the contact itself.
    assert on_battery.row("idle", ("cut", "button")).pulled_in == {"coil"}
    at_post = held.model_copy(update={"plus_node": "bat_pos", "when": "cut"})
    row = truth_table(circuit, switching.model_copy(update={"senses": (at_post,)})).row("idle", ("cut", "button"))
    assert not row.pulled_in and "isolator" not in row.closed


def test_a_controller_drops_its_outputs_by_the_sense_wire_and_without_that_condition_does_not() -> None:
    made = built("controller", "competition_car")
    assert not truth_table(made.circuit, made.switching).row("fast", ("driver",)).runs
    without = tuple(
        c.model_copy(update={"when": "key"}) if c.role is ConsumerRole.IGNITION else c for c in made.switching.consumers
    )
    assert truth_table(made.circuit, made.switching.model_copy(update={"consumers": without})).row("fast", ("driver",)).runs
    # A sense wire from the switched side sees the alternator: it never goes low.
    wrong = tuple(s.model_copy(update={"plus_node": "isolated"}) for s in made.switching.senses)
    on = made.switching.model_copy(update={"senses": wrong})
    begun = on.model_copy(
        update={
            "contacts": (
                *(c for c in on.contacts if c.when != "awake"),
                MovedContact(branch_id="isolator", when="driver and outside"),
            )
        }
    )
    assert truth_table(made.circuit, begun).row("fast", ("driver",)).runs


@pytest.mark.parametrize("layout", ["competition_car", "boat_selector"])
def test_both_tables_in_one_go_are_those_made_alone(layout: str) -> None:
    for way in TOPOLOGIES:
        if not way.not_here(build_layout(layout, 12)):
            made = built(way.name, layout)
            for bare, together in zip((False, True), tables(made), strict=True):
                for ours, alone in zip(together, truth_table(made.circuit, made.switching, bare), strict=True):
                    assert replace(ours, node_v={}, contact_a={}, drain_a=0, stud_v=0) == replace(
                        alone, node_v={}, contact_a={}, drain_a=0, stud_v=0
                    )
                    assert ours.node_v == pytest.approx(alone.node_v, abs=1e-6)
                    assert ours.contact_a == pytest.approx(alone.contact_a, abs=1e-4)


def test_every_output_on_the_master_is_dead_before_the_engine_has_run_down() -> None:
    """The step in which the input goes low takes every output with it; the engine stops only in one after."""
    made = built("controller", "competition_car")
    switched = Switched(made.circuit, made.switching)
    table = truth_table(made.circuit, made.switching)
    running = table.switched.settle(table.switched.standing(1))
    assert len(running.at) == 1
    normal = _running(switched)
    off = replace(normal, controls=np.zeros_like(normal.controls))
    after, _, _ = switched.step(off)
    assert not after.senses.any() and after.engine[0] == off.engine[0], "the input first, the engine still turns"
    then, positions, _ = switched.step(after)
    assert not positions.loads.any() and not positions.contacts[:, :1].any()
    assert then.engine[0] == 0


def _running(switched: Switched):  # type: ignore[no-untyped-def]
    from mavrik.core.isolation.table import normal_running

    return normal_running(switched, np.zeros(1, dtype=bool)).of(np.zeros(1, dtype=np.int64))


def sensing(volts: float, was_on: bool) -> bool:
    """An input of 4.2 and 3.6 V on a battery of that voltage, at rest."""
    made = built("controller")
    share = volts / 12.65
    battery = made.circuit.battery
    grow = Growing(made.circuit)
    tap = grow.node("tap", "Tap")
    grow.put("loads", Load(id="low", label="Lower part", from_node=tap, to_node="bat_neg", current_a=12.0, law="resistance"))
    grow.put(
        "loads",
        Load(
            id="high", label="Upper part", from_node="bat_pos", to_node=tap, current_a=12 * share / (1 - share), law="resistance"
        ),
    )
    circuit = grow.done()
    awake = made.switching.senses[0].model_copy(update={"plus_node": tap, "takes_a": 0.0})
    consumers = (
        *made.switching.consumers,
        SwitchedConsumer(load_id="low", when="always"),
        SwitchedConsumer(load_id="high", when="always"),
    )
    switched = Switched(circuit, made.switching.model_copy(update={"senses": (awake,), "consumers": consumers}))
    begun = switched.standing(1)
    if was_on:
        begun.senses[:] = True
    result = switched.settle(begun)
    node = switched.wired.node
    seen = result.volts.node_v[0, node[tap]] - result.volts.node_v[0, node["bat_neg"]]
    assert seen == pytest.approx(volts, abs=0.1) and battery.state_of_charge == 1
    return bool(result.at.senses[0, 0])


@pytest.mark.parametrize(
    ("volts", "was_on", "on"), [(4.5, False, True), (4.5, True, True), (3.9, False, False), (3.9, True, True), (3.3, True, False)]
)
def test_thresholds_have_a_hysteresis(volts: float, was_on: bool, on: bool) -> None:
    assert sensing(volts, was_on) == on


def test_a_relay_that_cuts_its_own_coil_chatters_and_is_named() -> None:
    made = built("positive", "competition_car")
    coil = Sense(id="buzzer", label="Coil", plus_node="isolated", minus_node="bat_neg", on_v=8, off_v=3, takes_a=0.5)
    # Closed while its coil has let go, and its coil hangs behind it.
    switching = made.switching.model_copy(
        update={"senses": (coil,), "contacts": (MovedContact(branch_id="isolator", when="not buzzer"),)}
    )
    rows = list(truth_table(made.circuit, switching))
    assert next(r for r in rows if r.situation == "off").chatters == {"buzzer"}


def test_an_alternator_that_does_not_excite_itself_is_lost_with_its_field_wire() -> None:
    car = build_layout("competition_car", 12)
    made = topology_of("positive").build(car)

    def after_cut(self_excites: bool, when: str) -> bool:
        fields = (FieldSupply(alternator_id="alternator", when=when, self_excites=self_excites),)
        return truth_table(made.circuit, made.switching.model_copy(update={"fields": fields})).row("idle", ("isolator",)).runs

    # Cutting the field as well stops it; a machine that feeds its own field does not notice.
    assert after_cut(True, "key and isolator") and not after_cut(False, "key and isolator")
    # Fed from the ignition it holds itself up in a ring.
    assert after_cut(False, "key")


def test_memory_and_alarm_are_what_drains() -> None:
    made = built("negative", "competition_car")
    grow = Growing(made.circuit)
    grow.put("loads", Load(id="radio", label="Memory", from_node="bat_pos", to_node="chassis", current_a=0.03))
    circuit = grow.done()
    consumers = (*made.switching.consumers, SwitchedConsumer(load_id="radio", role=ConsumerRole.MEMORY, when="always"))
    table = truth_table(circuit, made.switching.model_copy(update={"consumers": consumers}))
    assert table.row("off").drain_a == pytest.approx(0.03, rel=0.1)
    assert table.row("off", ("isolator",)).drain_a < LEAK_A and "radio" not in table.row("off", ("isolator",)).fed


def test_what_does_not_fit_together_is_said_at_its_field() -> None:
    made = built("two_controls")
    own = made.switching

    def problems(**changes: object) -> set[tuple[str, str]]:
        with pytest.raises(CircuitError) as refused:
            truth_table(made.circuit, own.model_copy(update=changes))
        return {(p.element, p.field) for p in refused.value.problems}

    assert problems(contacts=(MovedContact(branch_id="nowhere", when="driver"),)) == {("nowhere", "branch_id")}
    assert problems(contacts=(MovedContact(branch_id="isolator", when="driver and pilot"),)) == {("isolator", "when")}
    assert problems(senses=(own.senses[0].model_copy(update={"plus_node": "moon"}),)) == {("coil", "plus_node")}
    assert problems(controls=(*own.controls, Control(id="key", label="Key"))) == {("key", "id")}
    assert problems(fields=(FieldSupply(alternator_id="alternator", node="moon"),)) == {("alternator", "node")}
    with pytest.raises(ValueError, match="off_v"):
        Sense(id="x", label="X", plus_node="a", minus_node="b", on_v=3, off_v=4)


def many_switches() -> tuple[Circuit, Switching]:
    """Nine switches in series with nine lamps, and one at the battery's post: 1024 combinations of each situation."""
    made = topology_of("positive").build(build_layout("competition_car", 12))
    grow = Growing(made.circuit)
    contacts, controls = list(made.switching.contacts), list(made.switching.controls)
    for k in range(9):
        node = grow.node(f"lamp_{k}", f"Lamp {k}")
        grow.put("branches", SwitchBranch(id=f"s{k}", label=f"Switch {k}", from_node="isolated", to_node=node))
        grow.put("loads", Load(id=f"lamp{k}", label=f"Lamp {k}", from_node=node, to_node="chassis", current_a=2.0))
        contacts.append(MovedContact(branch_id=f"s{k}", when=f"c{k}"))
        controls.append(Control(id=f"c{k}", label=f"Switch {k}"))
    return grow.done(), made.switching.model_copy(update={"contacts": tuple(contacts), "controls": tuple(controls)})


def test_thousands_of_rows_say_each_what_its_own_switches_do() -> None:
    circuit, switching = many_switches()
    begun = time.process_time()
    table = truth_table(circuit, switching)
    rows = list(table)
    assert len(rows) == len(table) == 1024 * len(SITUATIONS)
    assert {(r.on, r.situation) for r in rows} == {
        (frozenset(i for i, on in zip(table.control_ids, on_off, strict=True) if on), s)
        for on_off in product((True, False), repeat=10)
        for s in SITUATIONS
    }
    for row in rows:
        if row.situation == "key_on":
            on = {f"lamp{k}" for k in range(9) if f"c{k}" in row.on and "isolator" in row.on}
            assert {i for i in row.fed if i.startswith("lamp")} == on
    print(f"{len(rows)} rows in {time.process_time() - begun:.2f} s")


def test_what_is_read_first_is_a_handful() -> None:
    circuit, switching = many_switches()
    first = truth_table(circuit, switching).read_first()
    assert len(first) == 6 + 10 * 4 + 6
    assert first[0].on == {c.id for c in switching.controls}


@pytest.mark.parametrize(
    ("text", "tree"),
    [
        ("key", Name("key")),
        ("a or b and not c", AnyOf((Name("a"), AllOf((Name("b"), Not(Name("c"))))))),
        ("not (a or b)", Not(AnyOf((Name("a"), Name("b"))))),
        ("always", Constant(True)),
        ("android", Name("android")),
        ("not not never", Not(Not(Constant(False)))),
    ],
)
def test_conditions_are_read_as_they_are_meant(text: str, tree: object) -> None:
    assert read_condition(text) == tree


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "at its end"),
        ("key and", "at its end"),
        ("key driver", "at 'driver'"),
        ("__import__('os').system('x')", "No condition at"),
        ("key; drop", "at '; drop'"),
        ("K\u0117y", "plain letters"),
        ("\u202eyek", "plain letters"),
        ("(" * 50 + "a" + ")" * 50, "20 deep"),
        ("not " * 60 + "a", "at most 20 times"),
        ("a" * 1_000_000, "at most 400 letters"),
        ("a and " * 300 + "a", "at most 400 letters"),
    ],
)
def test_what_is_no_condition_is_refused_with_its_place(text: str, says: str) -> None:
    with pytest.raises(ConditionError, match=says.replace("(", r"\(")):
        read_condition(text)


CONDITIONS = st.recursive(
    st.sampled_from(["a", "b", "c", "always", "never"]),
    lambda inner: st.one_of(
        inner.map(lambda x: f"not {x}" if " " not in x else f"not ({x})"),
        st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(lambda t: f"({t[0]}) {t[1]} ({t[2]})"),
    ),
    max_leaves=8,
)


@given(CONDITIONS)
def test_conditions_hold_as_they_do_in_the_language_they_look_like(text: str) -> None:
    """Against Python's own reading of the same words, with eight rows for three names."""
    rows = list(product((False, True), repeat=3))
    on = {n: np.array([r[k] for r in rows]) for k, n in enumerate("abc")}
    tree = read_condition(text)
    expected = [
        eval(text, {"__builtins__": {}}, {**dict(zip("abc", r, strict=True)), "always": True, "never": False}) for r in rows
    ]
    assert holds(tree, on).tolist() == expected
    assert set(names_in(tree)) <= set("abc")


def test_what_is_fitted_is_tried_as_it_stands_and_a_switch_drawn_open_is_closed_as_used() -> None:
    car = build_layout("competition_car", 12)
    parked = with_parts(
        car, branches=tuple(b.model_copy(update={"closed": False}) if b.id == "cut_off" else b for b in car.branches)
    )
    for circuit, expected in ((car, 0), (parked, 1)):
        made = topology_of("as_fitted").build(circuit)
        assert [c.label for c in made.switching.controls] == ["Cut-off switch"] and len(made.assumed) == expected
        (table,) = {id(t): t for t in tables(made)[:1]}.values()
        (control,) = table.control_ids
        # Its alternator lies on the car's side: the engine runs on, whatever the switch cuts.
        assert table.row("idle", (control,)).runs and not table.row("idle", (control,)).closed
        assert table.row("off", (control,)).drain_a < LEAK_A
    assert topology_of("as_fitted").not_here(build_layout("front_battery", 12))


@pytest.mark.parametrize("topology", ["negative", "post", "positive", "breaker", "alternator_side", "pull_cable", "multi_pole"])
def test_a_disconnect_that_was_built_is_known_again_by_what_works_it(topology: str) -> None:
    """Tried as fitted, the built circuit does row by row what was promised of it."""
    promised = built(topology)
    again = topology_of("as_fitted").build(promised.circuit)
    assert [c.label for c in again.switching.controls] == [c.label for c in promised.switching.controls]
    ours, theirs = tables(promised)[0], tables(again)[0]
    for situation in ("off", "key_on", "cranking", "idle", "fast", "key_off"):
        for off in (False, True):
            a = ours.row(situation, ours.control_ids if off else ())
            b = theirs.row(situation, theirs.control_ids if off else ())
            assert (a.live, a.closed, a.cranks) == (b.live, b.closed, b.cranks), (situation, off)
            assert a.runs == b.runs

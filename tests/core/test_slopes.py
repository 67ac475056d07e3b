"""What each resistance and battery voltage does to an answer, against the same answer with that one moved a little."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from mavrik.core import network as net
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.ring import find_ring
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.hypotheses import Hypothesis, hypotheses
from mavrik.core.network import Across, EmfSource, Network, Probes, RegulatedSource, Resistor, Through
from mavrik.core.operating.bench_states import BenchState, Setup
from mavrik.core.procedures import PROCEDURES, procedure

STATES = [BenchState.AT_OUTPUT, BenchState.FAST_LOADED, BenchState.IDLE]


def test_a_divider_by_hand() -> None:
    """12 V behind 1 ohm on 1 and 2 ohm: at the middle 12 x 2 / 4 = 6 V; dV/dRa = -12 x 2 / 16, dV/dRb = 12 x 2 / 16, dV/dE = 1/2."""
    parts = [EmfSource("e", "p", "n", 12.0, 1.0), Resistor("a", "p", "q", 1.0), Resistor("b", "q", "n", 2.0)]
    network = Network(parts, "n")
    probes = Probes(network, [Across("q", "n"), Through("a"), Through("b"), Through("e")], [0] * 4)
    solved, slopes, _ = network.solve_with_slopes(network.values, probes)
    assert probes.read(solved, 1)[:, 0] == pytest.approx([6.0, 3.0, 3.0, -3.0])
    # The battery's own resistance is in series with Ra.
    assert slopes[0, 0] == pytest.approx([-1.5, 1.5, 0.5, -1.5])
    # I = 12 / 4 = 3 A through all: dI/dR = -12 / 16, dI/dE = 1/4; into the battery it is negative.
    assert slopes[0, 1:3] == pytest.approx(np.array([[-0.75, -0.75, 0.25, -0.75]] * 2))
    assert slopes[0, 3] == pytest.approx([0.75, 0.75, -0.25, 0.75])


@pytest.mark.long(but=16)
@pytest.mark.parametrize("state", STATES)
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_slopes_are_what_a_small_step_does(layout: Any, state: BenchState) -> None:
    at = BenchModel(layout.build(12)).assembled(Setup(state))
    network, own = at.network, at.values
    ohm = np.asarray(own.resistor_ohm, dtype=float) * np.array([[1.0], [1.2]])
    emf = np.tile(np.asarray(own.emf_v, dtype=float), (2, 1))
    values = replace(own, resistor_ohm=ohm, emf_v=emf)
    voltages = [Across(n, network.reference) for n in network.nodes]
    groups = {
        name: [Through(e.id) for e in group]
        for name, group in (
            ("resistor_a", network.resistors), ("emf_a", network.emfs), ("source_a", network.sources), ("diode_a", network.diodes),
            ("link_a", network.links),
        )
    }  # fmt: skip
    every = [*voltages, *(w for group in groups.values() for w in group)]
    probes = Probes(network, every, [0] * len(every))
    solved, slopes, _ = network.solve_with_slopes(values, probes)
    names = {
        name: np.array([k for k, w in enumerate(every) if w in own]) for name, own in [("node_v", voltages), *groups.items()]
    }
    assert probes.read(solved, 1) == pytest.approx(np.concatenate([getattr(solved, name).T for name in names]))

    def agrees(more: net.Values, less: net.Values, by: Any, unknown: int) -> None:
        (above, _, _), (below, _, _) = network.solve_with_slopes(more, probes), network.solve_with_slopes(less, probes)
        if any((a.mode != solved.mode).any() or (a.link_closed != solved.link_closed).any() for a in (above, below)):
            return
        for name, own in names.items():
            expected = (getattr(above, name) - getattr(below, name)) / by
            stated = slopes[:, own.astype(int), unknown]
            most = np.abs(stated).max(initial=0.0)
            assert stated == pytest.approx(expected, rel=0.01, abs=0.01 * most + 1e-3), (name, unknown)

    # What is switched off stays so.
    for k in np.flatnonzero(np.isfinite(ohm[0]))[::2].tolist():
        step = np.where(np.arange(ohm.shape[1]) == k, 1e-3 * ohm, 0.0)
        agrees(replace(values, resistor_ohm=ohm + step), replace(values, resistor_ohm=ohm - step), 2e-3 * ohm[:, k, None], k)
    for k in range(emf.shape[1]):
        volts = 1e-4 * (np.arange(emf.shape[1]) == k)
        agrees(replace(values, emf_v=emf + volts), replace(values, emf_v=emf - volts), 2e-4, ohm.shape[1] + k)


@pytest.mark.parametrize(
    "name, charged",
    [("second_battery_link", None), ("house_bank_diagonal", None), ("parallel_batteries", None)]
    + [(name, 1.0) for name in ("second_battery_converter", "tow_and_trailer")],
)
def test_a_voltage_read_at_the_stud_is_held_while_a_lead_moves(name: str, charged: float | None) -> None:
    """The batteries make good what a lead then loses: as `predict` finds it with the lead moved, beside it nothing.

    Beside a DC-DC charger and a full battery, too, where the output cannot be forced.
    """
    circuit = build_layout(name, 12)
    if charged is not None:
        full = circuit.battery.model_copy(update={"state_of_charge": charged})
        circuit = circuit.model_copy(update={"batteries": (full, *circuit.batteries[1:])})
    amps = 0.8 * circuit.alternator.rated_a
    setup = Setup(BenchState.AT_OUTPUT, output_a=amps, stud_v=14.2)
    placed = [(p, setup) for p in procedure("charging_drops").points(circuit)]
    branches = tuple(find_ring(circuit).feed)
    batteries = tuple(b.id for b in circuit.batteries)
    model = BenchModel(circuit)
    u = model.unknowns
    sound = [Hypothesis((NOTHING,), 1.0)]

    def row(more_ohm: Any, more_v: Any) -> Any:
        changed = np.zeros((1, len(u)))
        changed[0, [u.place[What.MORE_OHM, b] for b in branches]] = more_ohm
        changed[0, [u.place[What.CHARGED, b] for b in batteries]] = more_v
        return changed

    def seen(more_ohm: Any, more_v: Any) -> Any:
        return model.predict(placed, sound, row(more_ohm, more_v))[0]

    start, none = np.full(len(branches), 1e-3), np.zeros(len(batteries))
    values, slopes = model.slopes(placed, sound, row(start, none))
    assert values[0] == pytest.approx(seen(start, none), abs=2e-3)
    for k, b in enumerate(branches):
        step = 1e-4 * (np.arange(len(branches)) == k)
        expected = (seen(start + step, none) - seen(start - step, none)) / 2e-4
        assert slopes[0, :, u.place[What.MORE_OHM, b]] == pytest.approx(expected, rel=0.05, abs=0.05 * amps)
    for k, b in enumerate(batteries):
        step = 0.02 * (np.arange(len(batteries)) == k)
        expected = (seen(start, none + step) - seen(start, none - step)) / 0.04
        assert slopes[0, :, u.place[What.CHARGED, b]] == pytest.approx(expected, rel=0.1, abs=0.1 * np.abs(expected).max() + 0.1)


STEPS = {What.MORE_OHM: 1e-5, What.SET_POINT: 1e-3, What.EMF: 1e-3, What.CHARGE: 1e-3, What.UNLEVEL: 1e-5}
SMALL = 1e-3


@pytest.mark.long(but=16)
@pytest.mark.parametrize("state", [s for s in BenchState if s is not BenchState.AT_OUTPUT])
@pytest.mark.parametrize(
    "name", ["front_battery", "parallel_batteries", "boat_isolator", "second_battery_link", "house_bank_diagonal"]
)
def test_what_each_unknown_does_is_what_a_small_step_does(name: str, state: BenchState) -> None:
    """Every unknown of the model, in every state of the bench, as the network has it with that one moved."""
    circuit = build_layout(name, 12)
    model = BenchModel(circuit)
    u, sound = model.unknowns, [Hypothesis((NOTHING,), 1.0)]
    points = [p for of in PROCEDURES for p in of.points(circuit) if p.state is state and not p.own_rule and not p.kind.yes_or_no]
    placed = [(p, Setup(state)) for p in points if not p.indicator]
    if not placed:
        return
    middle = (u.centre + 0.05 * u.width)[None, :]
    _, slopes = model.slopes(placed, sound, middle)
    for k, (what, _) in enumerate(u.names):
        step = STEPS.get(what, SMALL) * (np.arange(len(u)) == k)[None, :]
        more, less = (model.predict(placed, sound, middle + sign * step)[0] for sign in (1, -1))
        expected = (more - less) / (2 * STEPS.get(what, SMALL))
        # Where one of them turns a unit to its limit, or a battery from taking to giving, there is no slope.
        bent = np.abs(more + less - 2 * model.predict(placed, sound, middle)[0]) > 0.01 * np.abs(more - less) + 1e-9
        off = np.abs(slopes[0, :, k] - expected) > 0.02 * np.abs(expected) + 2e-3
        assert not (off & ~bent).any(), (
            what,
            [placed[j][0].id for j in np.flatnonzero(off & ~bent)],
            slopes[0, off, k],
            expected[off],
        )


@pytest.mark.parametrize("more", [0.2, 0.5])
def test_what_a_belt_that_slips_with_nothing_on_does(more: float) -> None:
    """At idle with a battery that takes all that the unit gives: the slip, and what of it shows without loads."""
    circuit = build_layout("front_battery", 12)
    model = BenchModel(circuit)
    u, slips = model.unknowns, [h for h in hypotheses(circuit) if h.causes == ("belt_slips:alternator",)]
    row = u.centre.copy()
    slip, unloaded, takes = (
        u.place[w, e] for w, e in ((What.SLIP, "alternator"), (What.SLIP_UNLOADED, "alternator"), (What.TAKES_SHARE, "battery"))
    )
    row[slip], row[unloaded], row[takes] = 0.35, more, -3.0
    placed = [(p, Setup(p.state)) for p in procedure("regulated").points(circuit) if p.state is BenchState.IDLE]
    _, slopes = model.slopes(placed, slips, row[None, :])
    for k in (slip, unloaded):
        step = 1e-4 * (np.arange(len(u)) == k)
        above, below = (model.predict(placed, slips, (row + sign * step)[None, :])[0] for sign in (1, -1))
        assert slopes[0, :, k] == pytest.approx((above - below) / 2e-4, rel=0.05)
        assert (slopes[0, :, k] < -0.05).any()


@pytest.mark.long(but=2)
@pytest.mark.parametrize(
    "name", ["front_battery", "boat_isolator", "second_battery_link", "second_battery_converter", "house_bank_diagonal"]
)
def test_states_solved_together_read_as_each_by_itself(name: str) -> None:
    """With every fault of the catalogue: leads that are open, joints that come and go, belts that slip, units that are cold or slow."""
    circuit = build_layout(name, 12)
    suspects = hypotheses(circuit)
    every = [p for of in PROCEDURES for p in of.points(circuit) if not p.own_rule]
    placed = [(p, Setup(p.state, output_a=60.0 if p.state is BenchState.AT_OUTPUT else None)) for p in every]
    model = BenchModel(circuit)
    rows = model.unknowns.rows(suspects)
    predicted, by = model.slopes(placed, suspects, rows)
    for state in dict.fromkeys(p.state for p in every):
        own = [k for k, p in enumerate(every) if p.state is state]
        alone, by_alone = model.slopes([placed[k] for k in own], suspects, rows)
        assert predicted[:, own] == pytest.approx(alone, rel=1e-6, abs=1e-6, nan_ok=True)
        # Two that regulate one bar share by micro-ohms: what one of them gives is known to no more than that.
        assert by[:, own] == pytest.approx(by_alone, rel=1e-4, abs=1e-4, nan_ok=True)


def test_slopes_where_a_rectifier_clamps_and_a_battery_is_charged() -> None:
    """Two states, probes of their own in each: a known output on 10 ohm alone, which its rectifier holds, and on a battery."""
    alternator = RegulatedSource("alt", "p", "n", "p", "n", 14.2, 100.0, forced_a=20.0, clamp_v=28.0)
    parts = [
        alternator,
        EmfSource("e", "q", "n", 12.6, 0.01),
        Resistor("cable", "p", "q", 0.02),
        Resistor("load", "p", "n", 10.0),
    ]
    network = Network(parts, "n")
    own = network.values
    ohm = np.array([[1e9, 10.0], [0.02, 10.0]])
    probes = Probes(
        network, [Through("alt"), Across("p", "n"), Across("p", "q"), Through("e"), Through("cable")], [0, 0, 1, 1, 1]
    )
    state = np.array([0, 1])
    shown, slopes, _ = network.solve_with_slopes(replace(own, resistor_ohm=ohm), probes, state)
    by = probes.by_probe(slopes, 2)[:, 0]
    read = probes.read(shown, 2)[:, 0]
    # The clamp takes what 10 ohm at some 28 V do not: 28 V and 17 A on 20 milliohm; by hand.
    assert read[:2] == pytest.approx([28.3 / 10, 28.3], abs=0.1)
    for k in range(2):
        step = 1e-4 * ohm * (np.arange(2) == k)
        more, less = (
            probes.read(network.solve_with_slopes(replace(own, resistor_ohm=ohm + sign * step), probes, state)[0], 2)[:, 0]
            for sign in (1, -1)
        )
        expected = (more - less) / (2 * step[probes.of, k])
        assert by[:, k] == pytest.approx(expected, rel=1e-3, abs=1e-6)
    forced = len(network.resistors) + 2 * len(network.emfs) + len(network.sources)
    more, less = (
        probes.read(network.solve_with_slopes(replace(own, resistor_ohm=ohm, forced_a=20.0 + a), probes, state)[0], 2)[:, 0]
        for a in (0.01, -0.01)
    )
    assert by[:, forced] == pytest.approx((more - less) / 0.02, rel=1e-3, abs=1e-6)

"""The solver: one state, a sweep, beside ngspice, and how its cost grows."""

from __future__ import annotations

import shutil
import statistics
import subprocess
import tempfile
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.report import Figure
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.network import Element, EmfSource, Network, PowerLoad, RegulatedSource, Resistor, Values
from mavrik.core.operating import Engine, State, solve_circuit
from mavrik.exchange.spice import Netlist, netlist_of
from mavrik.exchange.spice import write as write_elements

STATES = 10_000


def ladder(branches: int, curved_w: float = 0.0) -> Network:
    """An alternator, a battery, and a ring of so many branches with a second ground beside half of it.

    curved_w: what a load of constant power beside the battery takes; 0: there is none
    """
    feed, home = branches // 2, branches - branches // 2 - 1
    elements: list[Element] = [RegulatedSource("alt", "f0", "case", "f0", "case", 14.4, 90.0)]
    elements += [Resistor(f"f{k}", f"f{k}", f"f{k + 1}", 0.0004) for k in range(feed)]
    elements += [EmfSource("battery", f"f{feed}", "h0", 12.65, 0.006, 0.5)]
    elements += [Resistor(f"h{k}", f"h{k}", f"h{k + 1}" if k < home - 1 else "case", 0.0004) for k in range(home)]
    elements += [Resistor("beside", "h0", "case", 0.002)]
    if curved_w:
        elements.append(PowerLoad("load", f"f{feed}", "h0", curved_w))
    return Network(elements, "case")


def _median(work: Callable[[], object], runs: int) -> tuple[float, float]:
    for _ in range(3):
        work()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append((time.perf_counter() - start) * 1000)
    return statistics.median(times), statistics.quantiles(times, n=20)[-1]


def _sweep(net: Network, states: int) -> None:
    limit = np.linspace(5, 200, states)[:, None]
    net.solve_many(replace(net.values, limit_a=limit))


def _spice_sweep(netlist: Netlist, node_v: Mapping[str, float], limit_a: float, most_a: tuple[float, float]) -> float:
    """Seconds a state that ngspice takes for a netlist, its source's limit swept inside one run."""
    program = shutil.which("ngspice")
    assert program is not None
    names = {s: node_v[n] for n, s in netlist.names.items() if s != "0"}
    lines = [line.replace(f", {limit_a!r})", ", v(most))") for line in netlist.lines]
    start = f".nodeset {' '.join(f'v({s})={v:.6f}' for s, v in names.items())}"
    low, high = most_a
    step = (high - low) / (STATES - 1)
    sweep = ["vmost most 0 90", start, ".options reltol=1e-6 itl1=500", f".dc vmost {low} {high + step / 2} {step:.9f}", ".end"]
    deck = "\n".join([*lines, *sweep]) + "\n"
    with tempfile.TemporaryDirectory() as folder:
        raw = Path(folder) / "out.raw"
        begin = time.perf_counter()
        done = subprocess.run([program, "-b", "-r", str(raw)], input=deck, capture_output=True, text=True, check=False)
        took = (time.perf_counter() - begin) / STATES
        assert f"No. of Data Rows : {STATES}" in done.stdout + done.stderr, (done.stdout[-600:], done.stderr[-600:])
    return took


def _our_sweep(net: Network, values: Values, most_a: tuple[float, float]) -> float:
    """The same sweep with ours, seconds a state."""
    limit = np.linspace(*most_a, STATES)[:, None]
    begin = time.perf_counter()
    net.solve_many(replace(values, limit_a=limit))
    return (time.perf_counter() - begin) / STATES


def _beside_ngspice() -> list[Figure]:
    """A ring of 30 branches, without and with a load of constant power, and a small ready layout, pair by pair."""
    ring, curved_ring = ladder(30), ladder(30, 300.0)
    engine = Engine(build_layout("second_battery_switch", 12), State(engine_rpm=2000))
    layout = engine.network
    source = next(s for s in layout.sources)
    cases = (
        ("a ring of 30 branches", ring, ring.values, write_elements(ring.elements, "case", {}, {}, {}), 90.0, (5.0, 200.0)),
        (
            "the same ring with a curved load", curved_ring, curved_ring.values, write_elements(curved_ring.elements, "case", {}, {}, {"load": 13.0}),
            90.0, (5.0, 200.0),
        ),
        ("a ready layout of 12 branches with a curved load", layout, engine.values(), netlist_of(engine.circuit, engine.state)[0], source.limit_a, (10.0, 60.0)),
    )  # fmt: skip
    measured = []
    for name, net, values, netlist, limit, most in cases:
        volts = net.solve(values).node_v
        _our_sweep(net, values, most)
        ratios = [_spice_sweep(netlist, volts, limit, most) / _our_sweep(net, values, most) for _ in range(7)]
        what = f"ngspice over ours, {STATES} states in one batch: {name}"
        measured.append(
            Figure(
                "solving",
                what,
                "times",
                statistics.median(ratios),
                max(ratios),
                None if layout is net else 5.0,
                more_is_better=True,
            )
        )
    return measured


def figures() -> list[Figure]:
    """Medians; the ratio beside ngspice pair by pair."""
    measured = []
    thirty = ladder(30)
    measured.append(
        Figure("solving", "one state, 30 branches, arrays", "ms", *_median(lambda: thirty.solve_many(thirty.values), 200), 0.5)
    )
    front = build_layout("house_bank_diagonal", 12)
    measured.append(
        Figure(
            "solving",
            "a whole circuit at a state, 20 branches, as the state bar points",
            "ms",
            *_median(lambda: solve_circuit(front, State()), 40),
            None,
        )
    )
    measured.append(
        Figure(
            "solving",
            f"{STATES} states, 30 branches",
            "ms",
            *_median(lambda: _sweep(thirty, STATES), 5),
            2000.0,
        )
    )
    measured += _beside_ngspice()
    for branches in (10, 100, 300):
        net = ladder(branches)
        measured.append(
            Figure(
                "solving", f"one state, {branches} branches", "ms", *_median(lambda net=net: net.solve_many(net.values), 30), None
            )
        )  # type: ignore[misc]
    return measured

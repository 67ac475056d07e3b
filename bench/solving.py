"""The solver: one state, a sweep, beside ngspice, and how its cost grows."""

from __future__ import annotations

import shutil
import statistics
import subprocess
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.report import Figure
from mavrik.core.layouts import build_layout
from mavrik.core.network import EmfSource, Network, RegulatedSource, Resistor
from mavrik.core.operating import Engine, State, solve_circuit
from mavrik.exchange.spice import netlist_of

STATES = 10_000
SPICE_STATES = 1_000


def ladder(branches: int) -> Network:
    """An alternator, a battery, and a ring of so many branches with a second ground beside half of it."""
    feed, home = branches // 2, branches - branches // 2 - 1
    elements: list[RegulatedSource | Resistor | EmfSource] = [RegulatedSource("alt", "f0", "case", "f0", "case", 14.4, 90.0)]
    elements += [Resistor(f"f{k}", f"f{k}", f"f{k + 1}", 0.0004) for k in range(feed)]
    elements += [EmfSource("battery", f"f{feed}", "h0", 12.65, 0.006, 0.5)]
    elements += [Resistor(f"h{k}", f"h{k}", f"h{k + 1}" if k < home - 1 else "case", 0.0004) for k in range(home)]
    elements += [Resistor("beside", "h0", "case", 0.002)]
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


def _spice_sweep() -> float:
    """Seconds a state that ngspice takes for the same circuit, swept inside one run."""
    program = shutil.which("ngspice")
    assert program is not None
    circuit, state = build_layout("second_battery_switch", 12), State(engine_rpm=2000)
    netlist, found = netlist_of(circuit, state)
    names = {s: found.node_v[n] for n, s in netlist.names.items() if s != "0"}
    limit = next(e.limit_a for e in Engine(circuit, state).elements if isinstance(e, RegulatedSource))
    lines = [line.replace(f", {limit!r})", ", v(most))") for line in netlist.lines]
    start = f".nodeset {' '.join(f'v({s})={v:.6f}' for s, v in names.items())}"
    sweep = [
        "vmost most 0 90",
        start,
        ".options reltol=1e-6 itl1=500",
        f".dc vmost 10 60 {50 / (SPICE_STATES - 1):.6f}",
        ".end",
    ]
    deck = "\n".join([*lines, *sweep]) + "\n"
    with tempfile.TemporaryDirectory() as folder:
        raw = Path(folder) / "out.raw"
        begin = time.perf_counter()
        done = subprocess.run([program, "-b", "-r", str(raw)], input=deck, capture_output=True, text=True, check=False)
        took = (time.perf_counter() - begin) / SPICE_STATES
        assert f"No. of Data Rows : {SPICE_STATES}" in done.stdout + done.stderr, (done.stdout[-600:], done.stderr[-600:])
    return took


def _our_sweep() -> float:
    """The same circuit and sweep with ours, seconds a state."""
    engine = Engine(build_layout("second_battery_switch", 12), State(engine_rpm=2000))
    limit = np.linspace(10, 60, SPICE_STATES)[:, None]
    begin = time.perf_counter()
    engine.network.solve_many(replace(engine.values(), limit_a=limit))
    return (time.perf_counter() - begin) / SPICE_STATES


def figures() -> list[Figure]:
    """Medians; the ratio beside ngspice pair by pair."""
    found = []
    thirty = ladder(30)
    found.append(
        Figure("solver", "one state, 30 branches, arrays", "ms", *_median(lambda: thirty.solve_many(thirty.values), 200), 0.5)
    )
    front = build_layout("house_bank_diagonal", 12)
    found.append(
        Figure(
            "solver",
            "a whole circuit at a state, 20 branches, as the state bar asks",
            "ms",
            *_median(lambda: solve_circuit(front, State()), 40),
            None,
        )
    )
    found.append(
        Figure(
            "solver",
            f"{STATES} states, 30 branches",
            "ms",
            *_median(lambda: _sweep(thirty, STATES), 5),
            2000.0,
        )
    )
    ratios = [_spice_sweep() / _our_sweep() for _ in range(5)]
    found.append(
        Figure(
            "solver",
            f"ngspice over ours, {SPICE_STATES} states of one circuit in one batch",
            "times",
            statistics.median(ratios),
            max(ratios),
            None,
        )
    )
    for branches in (10, 100, 300):
        net = ladder(branches)
        found.append(
            Figure(
                "solver", f"one state, {branches} branches", "ms", *_median(lambda net=net: net.solve_many(net.values), 30), None
            )
        )  # type: ignore[misc]
    return found

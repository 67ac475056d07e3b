"""Planning: does it keep up, days and weeks, what buys what; processor time of one thread, for the machine is shared."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from bench.report import Figure
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import usual_units
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.planning.balance import balance
from mavrik.core.planning.changes import Situation
from mavrik.core.planning.drive import DriveRequest, plan_drive
from mavrik.core.planning.simulation import SimulationRequest, simulate
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.planning.use import UseRequest, usual_use
from mavrik.core.planning.worth import WorthRequest, worth


def thirty_branches() -> Circuit:
    """A house bank, grown to thirty branches by what is added most."""
    circuit = build_layout("house_bank_end", 12)
    for name in ("battery_link", "load_on_a_lead", "load_on_a_lead", "ground_case"):
        circuit = add_to(circuit, name)
    return circuit


def _use(circuit: Circuit) -> UseRequest:
    return usual_use(circuit, [("Work lamps", 45.0)])


def _situation(circuit: Circuit) -> Situation:
    drive = DriveRequest(alternator_id=circuit.alternator.id, crank_mm=156, now_mm=60, limit_rpm=16_000, redline_rpm=5200)
    return Situation(circuit, _use(circuit), drive, SizingTarget(target_current_a=90), usual_units(), usual_prices())


def _processor_s(work: Callable[[], object], runs: int) -> tuple[float, float]:
    took = []
    for _ in range(runs):
        start = time.process_time()
        work()
        took.append(time.process_time() - start)
    return float(np.median(took)), float(np.percentile(took, 95))


def figures() -> list[Figure]:
    """Medians, each in one process."""
    small, large = build_layout("front_battery", 12), thirty_branches()
    assert len(large.branches) == 30
    drive = DriveRequest(alternator_id=small.alternator.id, crank_mm=150, now_mm=60, new_mm=52, limit_rpm=16_000)
    rows: tuple[tuple[str, float | None, float, Callable[[], object], int], ...] = (
        ("a pulley dragged a step, its view made anew", 150, 1000, lambda: plan_drive(small.alternator, drive), 50),
        ("does it keep up, 7 branches", 150, 1000, lambda: balance(small, _use(small)), 20),
        ("does it keep up, 30 branches, six batteries", 150, 1000, lambda: balance(large, _use(large)), 10),
        ("a day, 7 branches", 2, 1, lambda: simulate(small, _use(small), SimulationRequest(days=1, runs=1)), 5),
        (
            "a week of 500 vehicles, 7 branches",
            60,
            1,
            lambda: simulate(small, _use(small), SimulationRequest(days=7, runs=500)),
            1,
        ),
        ("what buys what, 7 branches", 3, 1, lambda: worth(_situation(small), WorthRequest(idle_surplus_a=10)), 3),
        ("what buys what, 30 branches", 3, 1, lambda: worth(_situation(large), WorthRequest(idle_surplus_a=10)), 1),
    )
    measured = []
    for name, target, factor, work, runs in rows:
        median, p95 = _processor_s(work, runs)
        unit = "ms" if factor > 1 else "s"
        measured.append(Figure("planning", name, unit, median * factor, p95 * factor if runs > 1 else None, target))
    return measured

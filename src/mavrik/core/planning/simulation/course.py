"""Days and weeks of a use, step by step."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.planning.charging import Chargers
from mavrik.core.planning.simulation.book import Book
from mavrik.core.planning.simulation.day import day_of, legs
from mavrik.core.planning.simulation.documents import SimulationRequest, SimulationView
from mavrik.core.planning.simulation.vehicles import Now, SceneNetwork, Vehicles
from mavrik.core.planning.use import DAY_H, UseProblemError, UseRequest, check_use

MOST_CHARGE_STEP = 0.01
"""No battery's charge moves by more in one step: the next answer of the network would be another."""
MOST_STEP_S, LEAST_STEP_S = 3600.0, 5.0
CHARGER_STEP_S = 600.0
WARMING_STEP_S = 120.0
"""While an alternator warms up or cools down, steps are no longer than a fifth of its time constant."""

MOST_VEHICLE_DAYS, MOST_STARTS = 3500, 3000
"""500 vehicles for a week; what is beyond takes hours."""


def check_simulation(use: UseRequest, how: SimulationRequest) -> None:
    """Raises UseProblemError for what would take hours: too many vehicles for so many days, or too many starts in them."""
    if how.runs * how.days > MOST_VEHICLE_DAYS:
        raise UseProblemError(
            "runs", f"{how.runs} vehicles for {how.days:g} days are too many: at most {MOST_VEHICLE_DAYS} days of all."
        )
    if use.starts_a_day * how.days > MOST_STARTS:
        raise UseProblemError(
            "days", f"{use.starts_a_day} starts a day for {how.days:g} days are too many: at most {MOST_STARTS}."
        )


def simulate(
    circuit: Circuit, use: UseRequest, how: SimulationRequest, progress: Callable[[float], None] = lambda _: None
) -> SimulationView:
    """Let days and weeks go by.

    circuit: the document; use: how it is used; how: how long, how many vehicles, which regulator; progress: told the share that is done
    Every moment is solved on the network, for all vehicles at once: acceptance by chemistry, charge and temperature, the alternator
    warming up and losing output by it, links that close and open, what collapses. Charge goes on by Heun's method, in steps in which
    no battery moves by more than one per cent. The vehicles differ in output, loads, capacity, acceptance and the day's temperature;
    the first is the nominal one. The same seed gives the same curves.
    Raises as `balance`.
    Source: the network; acceptance and charge efficiency, see the source table; the spread of vehicles, our choice.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.planning.use import usual_use
    >>> seen = simulate(front_battery(12), usual_use(front_battery(12)), SimulationRequest(days=1, runs=1))
    >>> seen.no_start_after_d is None, seen.batteries[0].end_charge > 0.8
    (True, True)
    """
    if problems := check_circuit(circuit):
        raise CircuitError(problems)
    check_use(circuit, use)
    check_simulation(use, how)
    model = Vehicles(circuit, use, how)
    runs, banks = how.runs, len(model.batteries)
    now = Now(
        np.full((runs, banks), use.state_of_charge), model.ambient_c.copy(), 0.0, np.zeros(runs, dtype=bool),
        Chargers.of(model.circuit, runs),
    )  # fmt: skip
    book = Book(model, now)
    for scene, hours, starts, done in legs(day_of(use), how.days):
        if starts:
            now.charge = np.maximum(now.charge - model.crank_ah / model.capacity, 0.0)
            now.since_start_h = 0.0
            book.cranked()
        _through(model, model.scene(scene), hours, now, book)
        progress(done)
    return book.view(how)


def _through(model: Vehicles, scene: SceneNetwork, hours: float, now: Now, book: Book) -> None:
    """One stretch, step by step."""
    left, tau_h = hours, model.table.alternator_tau_s / 3600
    model.regulate(scene, now)
    answer = model.answer(scene, now)
    while left > 1e-9:
        rate = model.rates(answer)
        fastest = float(np.abs(rate).max())
        goal = model.settles_c(scene, answer)
        moves = float(np.abs(goal - now.unit_c).max()) > 1.0
        step = min(left, MOST_STEP_S / 3600, MOST_CHARGE_STEP / fastest if fastest > 0 else left)
        if moves and scene.running:
            step = min(step, WARMING_STEP_S / 3600)
        if now.chargers.change:
            # Stages change, and so does the sun.
            step = min(step, CHARGER_STEP_S / 3600)
        step = max(step, min(left, LEAST_STEP_S / 3600))
        before, warm = now.charge, now.unit_c
        now.charge = np.clip(before + rate * step, 0.0, 1.0)
        now.unit_c = goal + (warm - goal) * np.exp(-step / tau_h)
        now.since_start_h += step
        now.hour = (now.hour + step) % DAY_H
        model.regulate(scene, now)
        before_stage = now.chargers.floats[0].copy()
        now.chargers.go_on(step, answer.charger_most_a, answer.charger_a, answer.charger_v)
        then = model.answer(scene, now)
        now.charge = np.clip(before + (rate + model.rates(then)) / 2 * step, 0.0, 1.0)
        book.went(step, before, warm, answer, then, now)
        book.charged(step, before_stage, answer, now)
        left -= step
        answer = then

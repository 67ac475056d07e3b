"""Days and weeks of a use, step by step."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from contextlib import suppress

import numpy as np

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import CircuitError, check_circuit
from mavrik.core.planning.charging import Chargers
from mavrik.core.planning.simulation.book import Book
from mavrik.core.planning.simulation.day import day_of, legs
from mavrik.core.planning.simulation.documents import SimulationRequest, SimulationView
from mavrik.core.planning.simulation.vehicles import Asking, Now, Question, SceneNetwork, Vehicles
from mavrik.core.planning.use import DAY_H, Scene, UseProblemError, UseRequest, check_use

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
    return simulate_together([(circuit, use)], how, progress)[0]


def simulate_together(
    cases: Sequence[tuple[Circuit, UseRequest]], how: SimulationRequest, progress: Callable[[float], None] = lambda _: None
) -> list[SimulationView]:
    """Several circuits, each in its use, as `simulate` does one by one: those of one network are solved together.

    cases: circuits and uses
    Raises as `simulate`, for the first that it would raise for.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.planning.use import usual_use
    >>> car = front_battery(12)
    >>> short = SimulationRequest(days=0.25, runs=1)
    >>> [v.headline for v in simulate_together([(car, usual_use(car))] * 2, short)] == [simulate(car, usual_use(car), short).headline] * 2
    True
    """
    courses = [_Course(circuit, use, how) for circuit, use in cases]
    # Stretch by stretch, so that vehicles which drive the same are in the same one.
    running = courses
    while running := [c for c in running if c.begins_a_stretch()]:
        _finish([c.stretch() for c in running])
        progress(sum(c.done for c in courses) / len(courses))
    return [c.book.view(how) for c in courses]


def _finish(some: Sequence[Asking[None]]) -> None:
    """To their ends; what they ask of one network on the way is answered together."""
    questions: dict[int, Question] = {}

    def go_on(k: int, answer: net.Moment | None) -> None:
        with suppress(StopIteration):
            questions[k] = some[k].send(answer)  # type: ignore[arg-type]

    for k in range(len(some)):
        go_on(k, None)
    while questions:
        by_network: defaultdict[net.Network, list[int]] = defaultdict(list)
        for k, (network, _, _) in questions.items():
            by_network[network].append(k)
        for network, asking in by_network.items():
            moments = network.go_on_each([questions.pop(k)[1:] for k in asking])
            for k, moment in zip(asking, moments, strict=True):
                go_on(k, moment)


class _Course:
    """The days of one circuit in its use, stretch by stretch."""

    def __init__(self, circuit: Circuit, use: UseRequest, how: SimulationRequest) -> None:
        if problems := check_circuit(circuit):
            raise CircuitError(problems)
        check_use(circuit, use)
        check_simulation(use, how)
        self.model = Vehicles(circuit, use, how)
        runs, banks = how.runs, len(self.model.batteries)
        self.now = Now(
            np.full((runs, banks), use.state_of_charge), self.model.ambient_c.copy(), 0.0, np.zeros(runs, dtype=bool),
            Chargers.of(self.model.circuit, runs),
        )  # fmt: skip
        self.book = Book(self.model, self.now)
        self._left = legs(day_of(use), how.days)
        self._at: tuple[Scene, float, bool, float] | None = None
        self.done = 0.0
        """Share of the time that is gone when the stretch it is in ends."""

    def begins_a_stretch(self) -> bool:
        """Go to its next stretch; False at its end."""
        self._at = next(self._left, None)
        return self._at is not None

    def stretch(self) -> Asking[None]:
        """Through the stretch it is at."""
        assert self._at is not None
        scene, hours, starts, self.done = self._at
        if starts:
            self.now.charge = np.maximum(self.now.charge - self.model.crank_ah / self.model.capacity, 0.0)
            self.now.since_start_h = 0.0
            self.book.cranked()
        return _through(self.model, self.model.scene(scene), hours, self.now, self.book)


def _through(model: Vehicles, scene: SceneNetwork, hours: float, now: Now, book: Book) -> Asking[None]:
    """One stretch, step by step."""
    left, tau_h = hours, model.table.alternator_tau_s / 3600
    model.regulate(scene, now)
    answer = yield from model.answer(scene, now)
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
        then = yield from model.answer(scene, now)
        now.charge = np.clip(before + (rate + model.rates(then)) / 2 * step, 0.0, 1.0)
        book.went(step, before, warm, answer, then, now)
        book.charged(step, before_stage, answer, now)
        left -= step
        answer = then

"""Circuits at many states, brought to rest together where their networks have one shape."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import TypeAlias

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.operating.engine import Engine, Settled, Settling
from mavrik.core.operating.state import State
from mavrik.core.operating.wiring import Wirings

AtState: TypeAlias = tuple[Circuit, State]


def settle_together(engines: Sequence[Engine]) -> list[Settled | net.NoOperatingPointError]:
    """Every engine at rest as its own `settle` finds it, or why there is no rest; those of one network take their steps together.

    engines: of any circuits and states

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> engines = [Engine(front_battery(12), State(engine_rpm=r)) for r in (0, 2000)]
    >>> [round(s.solution.current_a["alternator"]) for s in settle_together(engines) if isinstance(s, Settled)]
    [0, 1]
    """
    settled: list[Settled | net.NoOperatingPointError] = [net.NoOperatingPointError("Not begun")] * len(engines)
    running: dict[int, Settling[Settled]] = {k: e.settling() for k, e in enumerate(engines)}
    questions: dict[int, tuple[net.Values, net.Batch | None]] = {}

    def go_on(k: int, answer: net.Batch | net.NoOperatingPointError | None) -> None:
        """One step of an engine, to its next question or to its end."""
        settling = running[k]
        try:
            questions[k] = settling.throw(answer) if isinstance(answer, Exception) else settling.send(answer)  # type: ignore[arg-type]
        except StopIteration as done:
            settled[k] = done.value
        except net.NoOperatingPointError as error:
            settled[k] = error

    for k in running:
        go_on(k, None)
    while questions:
        by_network: defaultdict[net.Network, list[int]] = defaultdict(list)
        for k in questions:
            by_network[engines[k].network].append(k)
        for network, some in by_network.items():
            answers = network.settle_each([questions.pop(k) for k in some])
            for k, answer in zip(some, answers, strict=True):
                go_on(k, answer)
    return settled


def solved_together(cases: Sequence[AtState]) -> list[net.Solution | None]:
    """Every circuit at its state, as `Engine.settle` finds it; None for one without an operating point.

    cases: circuits that have passed `check_circuit`, each with a state of it
    Loads that are off are there and take nothing, so that states which differ in what is on are still one network.
    Raises CircuitError for a state that names what is not there.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> [round(s.current_a["alternator"]) for s in solved_together([(car, State(engine_rpm=r)) for r in (0, 2000)]) if s]
    [0, 1]
    """
    wirings = Wirings()
    engines = [Engine(circuit, state, checked=True, wirings=wirings, off_too=True) for circuit, state in cases]
    return [s.solution if isinstance(s, Settled) else None for s in settle_together(engines)]

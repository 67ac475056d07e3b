"""Proposals made side by side, so that what the circuits of all of them carry is solved together."""

from __future__ import annotations

from collections.abc import Callable, Generator, Sequence
from contextlib import suppress
from typing import TypeAlias, TypeVar

from mavrik.core.circuit import Circuit
from mavrik.core.planning.rated import AtRatedOutput, at_rated
from mavrik.core.protection.continuous import continuous_currents_each

T = TypeVar("T")

Sizing: TypeAlias = Generator[Circuit, None, T]
"""Steps on the way to something: each says the circuit of which is asked next what it carries for good, and at rated output."""


def finished(sizing: Sizing[T]) -> T:
    """What one of them comes to, by itself. Raises what it raises.

    sizing: not begun yet
    """
    try:
        while True:
            next(sizing)
    except StopIteration as done:
        return done.value  # type: ignore[no-any-return]


def finished_together(
    sizings: Sequence[Sizing[T]], may_fail: tuple[type[Exception], ...], progress: Callable[[float], None] = lambda _: None
) -> list[T | Exception]:
    """What each of them comes to, as `finished` finds it, or why there is nothing.

    sizings: not begun yet; may_fail: errors that end one of them and not the others;
    progress: told the share that is finished; may raise to stop
    """
    results: dict[int, T | Exception] = {}
    running = dict(enumerate(sizings))
    while running:
        progress(len(results) / len(sizings))
        questions = []
        for k, sizing in list(running.items()):
            try:
                questions.append(next(sizing))
            except StopIteration as done:
                results[k] = done.value
            except may_fail as error:
                results[k] = error
            if k in results:
                del running[k]
        # A circuit that cannot be computed is found out by the one that asks for it, and spoils nothing for the others.
        with suppress(*may_fail):
            continuous_currents_each(questions)
            AtRatedOutput.solve([at_rated(circuit) for circuit in questions])
    return [results[k] for k in range(len(sizings))]

"""Many systems of nodal equations of one shape, taken apart together: the unknowns go out one after the other, in all systems at once."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class _Step:
    """One unknown that goes out."""

    at: int
    pivot: int
    """Where its own coefficient lies among those kept."""
    around: tuple[int, ...]
    """The unknowns left that it goes with."""
    with_them: NDArray[np.int64]
    """Where its coefficients with them lie."""
    among: NDArray[np.int64]
    """Where theirs with each other lie, and of which two each is."""
    one: NDArray[np.int64]
    other: NDArray[np.int64]


class Elimination:
    """An order of elimination for symmetric equations, found once from which unknowns go with which."""

    def __init__(self, linked: NDArray[np.bool_]) -> None:
        """Find the order: always the unknown next that goes with the fewest others, so that little is filled in.

        linked: which unknowns go with which (n, n), symmetric
        Source: the minimum degree ordering (George and Liu, SIAM Review 31, 1989, from memory).
        """
        self._n = len(linked)
        places: dict[tuple[int, int], int] = {}

        def place(a: int, b: int) -> int:
            return places.setdefault((a, b) if a < b else (b, a), len(places))

        given = np.argwhere(np.triu(linked) | np.eye(self._n, dtype=bool))
        for a, b in given.tolist():
            place(a, b)
        self._rows, self._columns = given.T
        self._steps = []
        for at, around in _order(linked):
            pairs = [(i, j) for i in range(len(around)) for j in range(i, len(around))]
            self._steps.append(
                _Step(
                    at, place(at, at), around, np.array([place(at, k) for k in around], dtype=np.int64),
                    np.array([place(around[i], around[j]) for i, j in pairs], dtype=np.int64),
                    np.array([i for i, _ in pairs], dtype=np.int64), np.array([j for _, j in pairs], dtype=np.int64),
                )
            )  # fmt: skip
        self._places = len(places)

    def solve(self, a: Floats, b: Floats) -> Floats:
        """Solve systems of this shape, all of them together.

        a: (systems, n, n), symmetric and positive definite as nodal equations are; b: (systems, n, right sides)
        Returns the unknowns in the shape of `b`. Raises numpy.linalg.LinAlgError where one of `a` is not positive definite.
        Source: Gaussian elimination without pivots, stable for such matrices (Higham, Accuracy and Stability of Numerical
        Algorithms, ch. 10, from memory).

        >>> chain = np.array([[[2.0, -1.0, 0.0], [-1.0, 2.0, -1.0], [0.0, -1.0, 2.0]]])
        >>> Elimination(chain[0] != 0).solve(chain, np.ones((1, 3, 1)))[0, :, 0].round(9).tolist()
        [1.5, 2.0, 1.5]
        """
        kept = np.zeros((self._places, len(a)))
        kept[: len(self._rows)] = a[:, self._rows, self._columns].T
        solution = np.array(b.transpose(1, 0, 2))
        shares: list[Floats] = []
        for step in self._steps:
            pivot = kept[step.pivot]
            if not (pivot > 0).all():
                raise np.linalg.LinAlgError("Singular matrix")
            coefficients = kept[step.with_them]
            share = coefficients / pivot
            kept[step.among] -= share[step.one] * coefficients[step.other]
            for k, other in enumerate(step.around):
                solution[other] -= share[k][:, None] * solution[step.at]
            solution[step.at] /= pivot[:, None]
            shares.append(share)
        for step, share in zip(reversed(self._steps), reversed(shares), strict=True):
            for k, other in enumerate(step.around):
                solution[step.at] -= share[k][:, None] * solution[other]
        return np.asarray(solution.transpose(1, 0, 2))


def _order(linked: NDArray[np.bool_]) -> Iterator[tuple[int, tuple[int, ...]]]:
    near = {k: set(np.flatnonzero(row).tolist()) - {k} for k, row in enumerate(linked)}
    while near:
        at = min(near, key=lambda k: len(near[k]))
        around = near.pop(at)
        for other in around:
            near[other] = (near[other] | around) - {at, other}
        yield at, tuple(sorted(around))

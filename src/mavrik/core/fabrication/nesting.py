"""Which lead is cut from which reel or offcut, so that least is left over that nobody can use."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array

LONGEST_S = 0.5
"""So long the best cutting is looked for; a request waits for it. What was found by then is no worse than first fit."""
NEAR_ENOUGH = 0.01
"""A cutting within one per cent of the best there can be is as good. Our choice."""


@dataclass(frozen=True)
class Cutting:
    """How leads are cut."""

    piece_of: tuple[int | None, ...]
    """For each lead the place of its reel or offcut; None: there is none long enough left."""
    left_mm: tuple[float, ...]
    """Of each reel or offcut."""
    proven: bool
    """Whether no other begins one per cent less."""

    @property
    def short(self) -> tuple[int, ...]:
        """Places of leads that there is no cable for."""
        return tuple(k for k, at in enumerate(self.piece_of) if at is None)


def nest(leads_mm: Sequence[float], stock_mm: Sequence[float], kerf_mm: float = 0.0, useless_mm: float = 0.0) -> Cutting:
    """Cut leads of one cable from what is there: as many as can be, from the shortest lengths that do, the longest kept whole.

    leads_mm: to be cut; stock_mm: reels and offcuts, kerf_mm: lost at each cut; useless_mm: a rest shorter than that is waste [mm]
    Raises ValueError for a length that is not above 0.
    Source: bin packing: of all ways to cut as many leads as can be, the one that begins the fewest metres, a rest of no use counted on
    top. First fit within the shortest set of lengths it gets on with; where that is not within one per cent of what nobody can better, a
    mixed-integer programme, solved by HiGHS (scipy), looks for a second.

    >>> cut = nest([900, 700, 400], [1000, 1200, 25000])
    >>> cut.piece_of, cut.left_mm
    ((0, 1, 1), (100.0, 100.0, 25000.0))
    """
    leads, stock = np.asarray(leads_mm, dtype=float), np.asarray(stock_mm, dtype=float)
    if (leads <= 0).any() or (stock <= 0).any() or not (np.isfinite(leads).all() and np.isfinite(stock).all()):
        raise ValueError("Leads, reels and offcuts have a length above 0")
    if kerf_mm < 0 or useless_mm < 0:
        raise ValueError("What is lost at a cut, and a rest of no use, are 0 or more")
    if not len(leads) or not len(stock):
        return Cutting((None,) * len(leads), tuple(stock.tolist()), True)
    pieces, proven = _solved(leads, stock, kerf_mm, useless_mm)
    left = stock.copy()
    for k, at in enumerate(pieces):
        if at is not None:
            left[at] -= min(leads[k] + kerf_mm, left[at])
    return Cutting(tuple(pieces), tuple(left.tolist()), proven)


def _solved(leads: NDArray[np.float64], stock: NDArray[np.float64], kerf: float, useless: float) -> tuple[list[int | None], bool]:
    """Unknowns: lead k from length j; length j begun; its rest is of no use."""
    simple = _fewest(leads, stock, kerf)
    if None not in simple and _worth(simple, leads, stock, kerf, useless)[1] <= (1 + NEAR_ENOUGH) * leads.sum():
        # Fewer metres than those of the leads themselves nobody can begin.
        return simple, True
    # Where first fit cuts every lead, how many are cut is no question any more, and the gap is one of metres alone.
    all_go = None not in simple
    m, n = len(leads), len(stock)
    pairs = m * n
    begun, waste = pairs + np.arange(n), pairs + n + np.arange(n)
    total = float(stock.sum())
    cost = np.zeros(pairs + 2 * n)
    if not all_go:
        # A lead that is cut is worth more than all else.
        cost[:pairs] = -10.0 * (n + 2)
    cost[begun], cost[waste] = stock / total, useless / total
    rows: list[int] = []
    cols: list[int] = []
    values: list[float] = []
    low: list[float] = []
    high: list[float] = []

    def add(entries: list[tuple[int, float]], at_least: float, at_most: float) -> None:
        for column, value in entries:
            rows.append(len(low))
            cols.append(column)
            values.append(value)
        low.append(at_least)
        high.append(at_most)

    for k in range(m):
        add([(k * n + j, 1.0) for j in range(n)], 1 if all_go else 0, 1)
    for j in range(n):
        columns = [(k * n + j, float(leads[k] + kerf)) for k in range(m)]
        # The last cut may end where the length does.
        room = float(stock[j] + kerf)
        add([*columns, (int(begun[j]), -room)], -np.inf, 0)
        # What is left of a length that was begun is of use, unless it is counted as waste.
        add([*columns, (int(begun[j]), useless), (int(waste[j]), -useless - kerf)], -np.inf, float(stock[j]))
    matrix = coo_array((values, (rows, cols)), shape=(len(low), pairs + 2 * n)).tocsr()
    solution = milp(
        cost, integrality=np.ones(len(cost)), bounds=Bounds(0, 1), constraints=LinearConstraint(matrix, low, high),
        options={"time_limit": LONGEST_S, "mip_rel_gap": NEAR_ENOUGH if all_go else 0.0},
    )  # fmt: skip
    if solution.x is None:
        return simple, False
    chosen = solution.x[:pairs].reshape(m, n) > 0.5
    pieces: list[int | None] = [int(np.argmax(row)) if row.any() else None for row in chosen]
    if solution.status == 0:
        return pieces, True
    return min(pieces, simple, key=lambda way: _worth(way, leads, stock, kerf, useless)), False


def _worth(
    way: list[int | None], leads: NDArray[np.float64], stock: NDArray[np.float64], kerf: float, useless: float
) -> tuple[int, float]:
    """What a cutting is held against another by: leads that are short, then metres begun with the rests of no use."""
    left = stock.copy()
    for k, at in enumerate(way):
        if at is not None:
            left[at] -= leads[k] + kerf
    used = left < stock
    return way.count(None), float(stock[used].sum() + useless * (used & (left < useless)).sum())


MOST_SETS = 12
"""Of so many lengths every set is tried, from the shortest on; of more each is left out in turn."""


def _fewest(leads: NDArray[np.float64], stock: NDArray[np.float64], kerf: float) -> list[int | None]:
    """First fit from the shortest set of lengths that it gets on with; from all of them where it does not."""
    every = np.arange(len(stock))
    best = _first_fit(leads, stock, kerf)
    if None in best:
        return best
    if len(stock) <= MOST_SETS:
        sets = (np.arange(2 ** len(stock))[:, None] >> every) & 1
        rooms = sets @ stock
        for k in np.argsort(rooms, kind="stable"):
            if rooms[k] < leads.sum():
                continue
            alone = every[sets[k] == 1]
            if None not in (way := _first_fit(leads, stock[alone], kerf)):
                return [int(alone[at]) for at in way if at is not None]
        return best
    kept = list(every)
    for j in np.argsort(-stock):
        alone = np.array([x for x in kept if x != j], dtype=int)
        if len(alone) and None not in (way := _first_fit(leads, stock[alone], kerf)):
            kept, best = list(alone), [int(alone[at]) for at in way if at is not None]
    return best


def _first_fit(leads: NDArray[np.float64], stock: NDArray[np.float64], kerf: float) -> list[int | None]:
    """The longest first, each from the shortest length that still takes it."""
    left = stock.copy()
    pieces: list[int | None] = [None] * len(leads)
    for k in np.argsort(-leads):
        able = [j for j in np.argsort(left) if left[j] >= leads[k]]
        if able:
            pieces[int(k)] = int(able[0])
            left[able[0]] -= leads[k] + kerf
    return pieces

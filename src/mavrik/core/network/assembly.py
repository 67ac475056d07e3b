"""A network's shape: which element sits between which nodes, and the nodes that only resistances touch taken out.

Most nodes of a vehicle's wiring have cables on all sides and nothing else. Seen from the batteries, regulators, diodes and
loads such a part is one resistive block, and Gaussian elimination of its inner nodes leaves the same currents at its rim
(Kron reduction). What the rounds of a solve then work on is a matrix of half a dozen nodes, however many cables there are.

A battery sees the voltage between its posts and not where both lie. So posts that nothing but batteries touches are taken as one
common voltage and the others' differences from it, and the common voltage is eliminated as an inner node is.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, fields
from functools import cached_property
from itertools import pairwise
from typing import TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy.linalg.lapack import dgesv
from scipy.sparse import csr_matrix

from mavrik.core.effort import spend
from mavrik.core.network.elements import (
    ENDS,
    MAY_BE_ENDLESS,
    VALUE_NAMES,
    Converter,
    CurrentSource,
    Diode,
    Element,
    EmfSource,
    Floats,
    Link,
    PowerLoad,
    RegulatedSource,
    Resistor,
    Values,
    grouped,
    values_of,
)
from mavrik.core.network.elimination import Elimination

LEAK_S = 1e-12
"""From every node to the reference, so that a part behind open switches sits at 0 V instead of nowhere."""

LEAK_SHARE = 4e-15
"""The same as a share of what is connected to the node: what the rounding of large conductances would swallow."""

E = TypeVar("E")
Pairs: TypeAlias = Sequence[tuple[str, str]]


@dataclass(frozen=True)
class Reduction:
    """A network's resistances without its inner nodes: arrays with one leading row for all states, or one for each."""

    base: Floats
    """Conductances between the kept coordinates (rows, kept, kept) [S]."""
    drive: Floats
    """Currents driven into the kept nodes (rows, kept) [A]."""
    follows: Floats
    """What an inner node's voltage takes of each kept node's (rows, inner, kept), negative."""
    lift: Floats
    """Inner voltages with all kept nodes at 0 V (rows, inner) [V]."""
    inner: Floats
    """Conductances between the inner nodes (rows, inner, inner) [S]."""

    def inner_v(self, kept_v: Floats) -> Floats:
        """Voltages of the inner nodes from those of the kept ones (states, inner) [V]."""
        if len(self.follows) == 1:
            return np.asarray(self.lift - kept_v @ self.follows[0].T)
        return np.asarray(self.lift - np.matmul(self.follows, kept_v[:, :, None])[:, :, 0])

    def of_states(self, which: NDArray[np.int64] | slice) -> Reduction:
        """That of some of the states; what all share stays so."""
        arrays = {f.name: getattr(self, f.name) for f in fields(self)}
        return Reduction(**{n: a if len(a) == 1 else a[which] for n, a in arrays.items()})


ELEMENT_WORK, ENTRY_WORK = 50.0, 0.07
"""What an element of a network, and each place of a matrix that is taken apart, counts for; measured, rough."""


class Assembly:
    """The shape of a network and the values it was made with."""

    def __init__(self, elements: Sequence[Element], reference: str, reduced: bool = True) -> None:
        """Group and number everything.

        elements: in any order; reference: the node that is 0 V
        reduced: whether to take nodes out that only resistances touch; without, every node stays in the matrix
        Raises ValueError for an id used twice.
        """
        spend(ELEMENT_WORK * len(elements))
        groups = grouped(elements)

        def of(kind: type[E]) -> list[E]:
            return groups[kind]

        self.resistors, self.currents, self.emfs = of(Resistor), of(CurrentSource), of(EmfSource)
        self.sources, self.diodes, self.loads = of(RegulatedSource), of(Diode), of(PowerLoad)
        self.links, self.converters = of(Link), of(Converter)
        ids = [e.id for e in elements if e.id]
        if len(ids) != len(set(ids)):
            raise ValueError(f"Two elements have the id {next(i for i in ids if ids.count(i) > 1)}")
        pairs = [(e.positive, e.negative) for e in self.emfs]
        for group in (self.diodes, self.loads, self.links):
            pairs += [(e.start, e.end) for e in group]
        regulated = [(s.positive, s.negative, s.sense_positive, s.sense_negative) for s in self.sources]
        regulated += [(c.out_positive, c.out_negative, c.out_positive, c.out_negative) for c in self.converters]
        gives, senses = [(plus, minus) for plus, minus, _, _ in regulated], [(plus, minus) for _, _, plus, minus in regulated]
        link_senses = [(k.sense_positive, k.sense_negative) for k in self.links]
        inputs = [(c.in_positive, c.in_negative) for c in self.converters]
        others = [*pairs[len(self.emfs) :], *gives, *senses, *link_senses, *inputs]
        self._number(elements, reference, (pairs[: len(self.emfs)], others) if reduced else None)
        self._stamp_resistors()
        self.across = self._difference(pairs)
        """One row for each battery, diode, load and link: +1 where its current leaves the node, -1 where it arrives."""
        self.across_t = np.ascontiguousarray(self.across.T)
        edges = np.cumsum([0, *(len(g) for g in (self.emfs, self.diodes, self.loads, self.links))]).tolist()
        self.part = [slice(a, b) for a, b in pairwise(edges)]
        """Where batteries, diodes, loads and links are among those rows."""
        self.injection = np.zeros((len(self.currents), len(self.nodes)))
        for k, c in enumerate(self.currents):
            for at, sign in self.incidence(c.end, c.start).items():
                self.injection[k, at] = sign
        self.injection = self.injection[:, :-1]
        self.gives, self.senses = self._difference(gives), self._difference(senses)
        self.link_senses, self.inputs = self._difference(link_senses), self._difference(inputs)
        self.values = values_of(elements)
        self.cut_in, self.cut_out = np.array([k.cut_in_v for k in self.links]), np.array([k.cut_out_v for k in self.links])
        self.efficiency = np.array([c.efficiency for c in self.converters])
        self.starves_below = np.array([c.input_cut_off_v for c in self.converters])
        self.most_in = np.array([c.input_limit_a for c in self.converters])

    def _number(self, elements: Sequence[Element], reference: str, seen: tuple[Pairs, Pairs] | None) -> None:
        """Kept coordinates first, then those that are eliminated, the reference last.

        seen: pairs of nodes whose difference batteries see, and those of all other elements; None: every node is kept as it is
        """
        every = {getattr(e, end) for e in elements for end in ENDS[type(e)]} - {reference}
        common: dict[str, str] = {}
        """Of each node whose coordinate is a difference: the node it is taken from."""
        kept = every
        if seen is not None:
            batteries, others = seen
            elsewhere = {n for pair in others for n in pair} | {reference}
            # Only what always conducts: a part behind open diodes or switches lies at 0 V by its leak alone, which would be lost in
            # the rounding of a sum.
            common = {
                n: root for root, members in _components(batteries) if elsewhere.isdisjoint([root, *members]) for n in members
            }
            kept = {n for pair in (*batteries, *others) for n in pair} - {reference} - set(common.values())
        self.kept = len(kept)
        self.nodes = (*sorted(kept), *sorted(every - kept), reference)
        self.row = {name: k for k, name in enumerate(self.nodes)}
        last = len(self.nodes) - 1
        self.common = np.array([self.row[common[n]] if n in common else last for n in self.nodes], dtype=np.int64)
        """Which coordinate is to be added to each for its node's voltage; the reference's, 0, to what is a voltage itself."""

    def incidence(self, plus: str, minus: str) -> dict[int, float]:
        """The voltage from `minus` to `plus` as a sum of coordinates: their places and signs, without the reference."""
        signs: dict[int, float] = {}
        for node, sign in ((plus, 1.0), (minus, -1.0)):
            at = self.row[node]
            for place in (at, int(self.common[at])):
                signs[place] = signs.get(place, 0.0) + sign
        last = len(self.nodes) - 1
        return {place: sign for place, sign in signs.items() if sign and place != last}

    def node_voltages(self, coordinates: Floats) -> Floats:
        """Voltages of all nodes from all coordinates, the reference's 0 at the end (states, nodes) [V]."""
        return coordinates + coordinates.take(self.common, axis=-1)

    def _stamp_resistors(self) -> None:
        n = len(self.nodes) - 1
        self.starts = np.array([self.row[r.start] for r in self.resistors], dtype=np.int64)
        self.ends = np.array([self.row[r.end] for r in self.resistors], dtype=np.int64)
        rows = [self.incidence(r.start, r.end) for r in self.resistors]
        self.through = np.zeros((n, len(rows)))
        """Where a current through each resistance leaves and arrives, in coordinates."""
        for r, places_of in enumerate(rows):
            for at, sign in places_of.items():
                self.through[at, r] = sign
        # Behind the resistances a leak of every node, whose voltage may be a sum of two coordinates.
        rows += [self.incidence(node, self.nodes[-1]) for node in self.nodes[:-1]]
        entries = [(i * n + j, k, si * sj) for k, row in enumerate(rows) for i, si in row.items() for j, sj in row.items()]
        places, columns, signs = zip(*entries, strict=True) if entries else ((), (), ())
        self._stamp_places, self._stamp_of = np.array(places, dtype=np.int64), np.array(columns, dtype=np.int64)
        self._stamp_signs = np.array(signs, dtype=float)
        self._stamp = csr_matrix((self._stamp_signs, (self._stamp_places, self._stamp_of)), shape=(n * n, len(rows)))
        ends = np.concatenate((self.starts, self.ends))
        here, k = ends < n, np.tile(np.arange(len(self.resistors)), 2)
        self._touches = csr_matrix((np.ones(here.sum()), (ends[here], k[here])), shape=(n, len(self.resistors)))
        """Which resistances end at each node."""

    def _difference(self, pairs: list[tuple[str, str]]) -> Floats:
        """One row a pair: the voltage between its two nodes, from the kept coordinates."""
        difference = np.zeros((len(pairs), self.kept))
        for k, (plus, minus) in enumerate(pairs):
            for at, sign in self.incidence(plus, minus).items():
                difference[k, at] = sign
        return difference

    def check(self, values: Values) -> None:
        """Raises ValueError for a resistance that is not above 0, or a value that is not finite and should be."""
        for name, group in (
            ("resistor_ohm", self.resistors), ("emf_ohm", self.emfs), ("emf_charging_ohm", self.emfs), ("diode_ohm", self.diodes),
            ("link_ohm", self.links),
        ):  # fmt: skip
            ohm = np.atleast_2d(np.asarray(getattr(values, name), dtype=float))
            # An infinite resistance is an open switch; what is no number is not above 0 either.
            if not ohm.min(initial=np.inf) > 0:
                bad = ~(ohm > 0)
                k = int(np.argmax(bad.any(axis=0)))
                raise ValueError(f"{group[k].id}: a resistance is above 0 ohm, not {ohm[bad][0]:g}")
        for name in VALUE_NAMES:
            if name not in MAY_BE_ENDLESS and not np.isfinite(np.asarray(getattr(values, name), dtype=float).sum()):
                raise ValueError(f"{name} holds a value that is not finite")

    def conductances(self, resistor_ohm: Floats) -> Floats:
        """The nodal matrix of the resistances alone, in coordinates, (rows, nodes, nodes) without the reference [S]."""
        n, rows = len(self.nodes) - 1, len(resistor_ohm)
        g = 1.0 / resistor_ohm
        g = np.concatenate((g, LEAK_S + LEAK_SHARE * (self._touches @ g.T).T), axis=1)
        if rows == 1:
            weights = self._stamp_signs * g[0, self._stamp_of]
            return np.asarray(np.bincount(self._stamp_places, weights, minlength=n * n), dtype=float).reshape(1, n, n)
        return np.asarray((self._stamp @ g.T).T).reshape(rows, n, n)

    @cached_property
    def _elimination(self) -> Elimination:
        n, k = len(self.nodes) - 1, self.kept
        linked = np.zeros(n * n, dtype=bool)
        linked[self._stamp_places] = True
        return Elimination(linked.reshape(n, n)[k:, k:])

    def solve_inner(self, matrix: Floats, right: Floats) -> Floats:
        """The coordinates of the inner nodes, of many states.

        matrix: the nodal matrix of the inner nodes (states, inner, inner); right: (states, inner, right sides)
        Returns them in the shape of `right`. Raises numpy.linalg.LinAlgError where a matrix is singular.
        """
        n = matrix.shape[-1]
        if n >= MANY and len(matrix) * n >= TOGETHER:
            # What hangs on next to nothing may be lost in rounding without pivots; those have the last word.
            with suppress(np.linalg.LinAlgError):
                return self._elimination.solve(matrix, right)
        return np.asarray(np.linalg.solve(matrix, right), dtype=float)

    def reduce(self, rows: Mapping[str, NDArray[np.float64]]) -> Reduction:
        """Take the inner nodes out; `rows` holds resistances and driven currents, one row for all states or one for each."""
        ohm, amps, k = rows["resistor_ohm"], rows["current_a"], self.kept
        spend(ENTRY_WORK * len(ohm) * len(self.nodes) ** 2)
        full, driven = self.conductances(ohm), amps @ self.injection
        inner = len(self.nodes) - 1 - k
        if not inner:
            return Reduction(full, driven, np.zeros((1, 0, k)), np.zeros((1, 0)), full[:, k:, k:])
        cross, inside = full[:, k:, :k], full[:, k:, k:]
        if len(full) == 1:
            solved = solve_dense(inside[0], np.concatenate((cross[0], driven[:, k:].T), axis=1))
            follows, lift = solved[None, :, :k], solved[:, k:].T
        else:
            right = np.broadcast_to(driven[:, k:, None], (len(full), inner, 1))
            solved = self.solve_inner(inside, np.concatenate((cross, right), axis=2))
            follows, lift = solved[:, :, :k], solved[:, :, k]
        across = cross.transpose(0, 2, 1)
        base = full[:, :k, :k] - np.matmul(across, follows)
        if len(full) == 1:
            return Reduction(base, driven[:, :k] - lift @ cross[0], follows, lift, inside)
        return Reduction(base, driven[:, :k] - np.matmul(across, lift[:, :, None])[:, :, 0], follows, lift, inside)


def _components(tied: Pairs) -> list[tuple[str, list[str]]]:
    """Nodes that pairs tie together: the one in most pairs, and the others."""
    near: dict[str, list[str]] = {}
    for a, b in tied:
        near.setdefault(a, []).append(b)
        near.setdefault(b, []).append(a)
    components, seen = [], set[str]()
    for start in near:
        if start in seen:
            continue
        members, todo = [start], [start]
        seen.add(start)
        while todo:
            for other in near[todo.pop()]:
                if other not in seen:
                    seen.add(other)
                    members.append(other)
                    todo.append(other)
        root = max(members, key=lambda n: len(near[n]))
        components.append((root, [n for n in members if n != root]))
    return components


MANY, TOGETHER = 40, 2500
"""Systems of one shape with so many unknowns each, and so many in all, are sooner taken apart together, in an order that fills in little;
others one by one by LAPACK. Measured."""


def solve_dense(a: Floats, b: Floats) -> Floats:
    """One system of equations by LAPACK itself: for small ones numpy's wrapper takes longer than the elimination.

    a: (n, n); b: (n,) or (n, right sides)
    Returns the unknowns in the shape of `b`. Raises numpy.linalg.LinAlgError where `a` is singular.
    Source: LAPACK, dgesv.
    """
    if not a.size:
        return b
    _, _, solution, info = dgesv(a, b)
    if info:
        raise np.linalg.LinAlgError("Singular matrix")
    return np.asarray(solution)

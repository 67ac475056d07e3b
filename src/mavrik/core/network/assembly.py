"""A network's shape: which element sits between which nodes, and the nodes that only resistances touch taken out.

Most nodes of a vehicle's wiring have cables on all sides and nothing else. Seen from the batteries, regulators, diodes and
loads such a part is one resistive block, and Gaussian elimination of its inner nodes leaves the same currents at its rim
(Kron reduction). What the rounds of a solve then work on is a matrix of half a dozen nodes, however many cables there are.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy.linalg.lapack import dgesv
from scipy.sparse import csr_matrix

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
)

LEAK_S = 1e-12
"""From every node to the reference, so that a part behind open switches sits at 0 V instead of nowhere."""

LEAK_SHARE = 4e-15
"""The same as a share of what is connected to the node: what the rounding of large conductances would swallow."""

E = TypeVar("E")


@dataclass(frozen=True)
class Reduction:
    """A network's resistances without its inner nodes: arrays with one leading row for all states, or one for each."""

    base: Floats
    """Conductances between the kept nodes (rows, kept, kept) [S]."""
    drive: Floats
    """Currents driven into the kept nodes (rows, kept) [A]."""
    follows: Floats
    """What an inner node's voltage takes of each kept node's (rows, inner, kept), negative."""
    lift: Floats
    """Inner voltages with all kept nodes at 0 V (rows, inner) [V]."""

    def inner_v(self, kept_v: Floats) -> Floats:
        """Voltages of the inner nodes from those of the kept ones (states, inner) [V]."""
        if len(self.follows) == 1:
            return np.asarray(self.lift - kept_v @ self.follows[0].T)
        return np.asarray(self.lift - np.matmul(self.follows, kept_v[:, :, None])[:, :, 0])


class Assembly:
    """The shape of a network and the values it was made with."""

    def __init__(self, elements: Sequence[Element], reference: str, reduced: bool = True) -> None:
        """Group and number everything.

        elements: in any order; reference: the node that is 0 V
        reduced: whether to take nodes out that only resistances touch; without, every node stays in the matrix
        Raises ValueError for an id used twice.
        """
        groups: dict[type, list[Element]] = {kind: [] for kind in ENDS}
        for e in elements:
            groups[type(e)].append(e)

        def of(kind: type[E]) -> list[E]:
            return groups[kind]  # type: ignore[return-value]

        self.resistors, self.currents, self.emfs = of(Resistor), of(CurrentSource), of(EmfSource)
        self.sources, self.diodes, self.loads = of(RegulatedSource), of(Diode), of(PowerLoad)
        self.links, self.converters = of(Link), of(Converter)
        ids = [e.id for e in elements if e.id]
        if len(ids) != len(set(ids)):
            raise ValueError(f"Two elements have the id {next(i for i in ids if ids.count(i) > 1)}")
        self._number(elements, reference, reduced)
        self._stamp_resistors()
        row = self.row
        pairs = [(e.positive, e.negative) for e in self.emfs]
        for group in (self.diodes, self.loads, self.links):
            pairs += [(e.start, e.end) for e in group]
        self.across = self._difference(pairs)
        """One row for each battery, diode, load and link: +1 where its current leaves the node, -1 where it arrives."""
        self.across_t = np.ascontiguousarray(self.across.T)
        edges = np.cumsum([0, *(len(g) for g in (self.emfs, self.diodes, self.loads, self.links))]).tolist()
        self.part = [slice(a, b) for a, b in pairwise(edges)]
        """Where batteries, diodes, loads and links are among those rows."""
        self.injection = np.zeros((len(self.currents), len(self.nodes)))
        for k, c in enumerate(self.currents):
            self.injection[k, row[c.end]] += 1
            self.injection[k, row[c.start]] -= 1
        self.injection = self.injection[:, :-1]
        regulated = [(s.positive, s.negative, s.sense_positive, s.sense_negative) for s in self.sources]
        regulated += [(c.out_positive, c.out_negative, c.out_positive, c.out_negative) for c in self.converters]
        self.gives = self._difference([(plus, minus) for plus, minus, _, _ in regulated])
        self.senses = self._difference([(plus, minus) for _, _, plus, minus in regulated])
        self.link_senses = self._difference([(k.sense_positive, k.sense_negative) for k in self.links])
        self.inputs = self._difference([(c.in_positive, c.in_negative) for c in self.converters])
        self.values = self._own_values()
        self.cut_in, self.cut_out = np.array([k.cut_in_v for k in self.links]), np.array([k.cut_out_v for k in self.links])
        self.efficiency = np.array([c.efficiency for c in self.converters])
        self.starves_below = np.array([c.input_cut_off_v for c in self.converters])
        self.most_in = np.array([c.input_limit_a for c in self.converters])

    def _number(self, elements: Sequence[Element], reference: str, reduced: bool) -> None:
        """Kept nodes first, then those that only resistances touch, the reference last."""
        every, touched = set(), set()
        for e in elements:
            ends = [getattr(e, end) for end in ENDS[type(e)]]
            every.update(ends)
            if not isinstance(e, Resistor | CurrentSource):
                touched.update(ends)
        every.discard(reference)
        kept = touched & every if reduced else every
        self.kept = len(kept)
        self.nodes = (*sorted(kept), *sorted(every - kept), reference)
        self.row = {name: k for k, name in enumerate(self.nodes)}

    def _stamp_resistors(self) -> None:
        n = len(self.nodes) - 1
        self.starts = np.array([self.row[r.start] for r in self.resistors], dtype=np.int64)
        self.ends = np.array([self.row[r.end] for r in self.resistors], dtype=np.int64)
        k = np.arange(len(self.resistors))
        a, b, one = self.starts, self.ends, np.ones(len(k))
        rows, columns = np.concatenate((a, b, a, b)), np.concatenate((a, b, b, a))
        inside = (rows < n) & (columns < n)
        places = (rows * n + columns)[inside]
        signs = np.concatenate((one, one, -one, -one))[inside]
        self._stamp = csr_matrix((signs, (places, np.tile(k, 4)[inside])), shape=(n * n, len(k)))
        self._stamp_places, self._stamp_of, self._stamp_signs = places, np.tile(k, 4)[inside], signs

    def _difference(self, pairs: list[tuple[str, str]]) -> Floats:
        """One row a pair: the voltage between its two nodes, from the voltages of the kept nodes."""
        found = np.zeros((len(pairs), len(self.nodes)))
        for k, (plus, minus) in enumerate(pairs):
            found[k, self.row[plus]] += 1
            found[k, self.row[minus]] -= 1
        return np.ascontiguousarray(found[:, : self.kept])

    def _own_values(self) -> Values:
        return Values(
            resistor_ohm=np.array([r.ohm for r in self.resistors]),
            current_a=np.array([c.ampere for c in self.currents]),
            emf_v=np.array([e.volt for e in self.emfs]),
            emf_ohm=np.array([e.ohm for e in self.emfs]),
            emf_charging_ohm=np.array([e.ohm if e.charging_ohm is None else e.charging_ohm for e in self.emfs]),
            set_point_v=np.array([s.set_point_v for s in self.sources]),
            limit_a=np.array([s.limit_a for s in self.sources]),
            forced_a=np.array([np.nan if s.forced_a is None else s.forced_a for s in self.sources]),
            diode_v=np.array([d.forward_v for d in self.diodes]),
            diode_ohm=np.array([d.ohm for d in self.diodes]),
            load_w=np.array([x.watt for x in self.loads]),
            load_cut_off_v=np.array([x.cut_off_v for x in self.loads]),
            link_ohm=np.array([k.ohm for k in self.links]),
            link_closed=np.array([k.closed for k in self.links], dtype=bool),
            converter_set_point_v=np.array([c.set_point_v for c in self.converters]),
            converter_limit_a=np.array([c.limit_a for c in self.converters]),
        )

    def check(self, values: Values) -> None:
        """Raises ValueError for a resistance that is not above 0, or a value that is not finite and should be."""
        for name, group in (
            ("resistor_ohm", self.resistors), ("emf_ohm", self.emfs), ("emf_charging_ohm", self.emfs), ("diode_ohm", self.diodes),
            ("link_ohm", self.links),
        ):  # fmt: skip
            ohm = np.atleast_2d(np.asarray(getattr(values, name), dtype=float))
            # An infinite resistance is an open switch.
            bad = ~(ohm > 0)
            if bad.any():
                k = int(np.argmax(bad.any(axis=0)))
                raise ValueError(f"{group[k].id}: a resistance is above 0 ohm, not {ohm[bad][0]:g}")
        for name in VALUE_NAMES:
            if name not in MAY_BE_ENDLESS and not np.isfinite(np.asarray(getattr(values, name), dtype=float)).all():
                raise ValueError(f"{name} holds a value that is not finite")

    def conductances(self, resistor_ohm: Floats) -> Floats:
        """The nodal matrix of the resistances alone, (rows, nodes, nodes) without the reference [S]."""
        n, rows = len(self.nodes) - 1, len(resistor_ohm)
        g = 1.0 / resistor_ohm
        if rows == 1:
            weights = self._stamp_signs * g[0, self._stamp_of]
            full = np.asarray(np.bincount(self._stamp_places, weights, minlength=n * n), dtype=float).reshape(1, n, n)
        else:
            full = (self._stamp @ g.T).T.reshape(rows, n, n)
        at = np.arange(n)
        full[:, at, at] = full[:, at, at] * (1 + LEAK_SHARE) + LEAK_S
        return full

    def reduce(self, rows: Mapping[str, NDArray[np.float64]]) -> Reduction:
        """Take the inner nodes out; `rows` holds resistances and driven currents, one row for all states or one for each."""
        ohm, amps, k = rows["resistor_ohm"], rows["current_a"], self.kept
        full, driven = self.conductances(ohm), amps @ self.injection
        inner = len(self.nodes) - 1 - k
        if not inner:
            return Reduction(full, driven, np.zeros((1, 0, k)), np.zeros((1, 0)))
        cross = full[:, k:, :k]
        if len(full) == 1:
            solved = solve_dense(full[0, k:, k:], np.concatenate((cross[0], driven[:, k:].T), axis=1))
            follows, lift = solved[None, :, :k], solved[:, k:].T
        else:
            right = np.broadcast_to(driven[:, k:, None], (len(full), inner, 1))
            solved = np.asarray(np.linalg.solve(full[:, k:, k:], np.concatenate((cross, right), axis=2)), dtype=float)
            follows, lift = solved[:, :, :k], solved[:, :, k]
        across = cross.transpose(0, 2, 1)
        base = full[:, :k, :k] - np.matmul(across, follows)
        if len(full) == 1:
            return Reduction(base, driven[:, :k] - lift @ cross[0], follows, lift)
        return Reduction(base, driven[:, :k] - np.matmul(across, lift[:, :, None])[:, :, 0], follows, lift)


def solve_dense(a: Floats, b: Floats) -> Floats:
    """One system of equations by LAPACK itself: for small ones numpy's wrapper takes longer than the elimination.

    a: (n, n); b: (n,) or (n, right sides)
    Returns the unknowns in the shape of `b`. Raises numpy.linalg.LinAlgError where `a` is singular.
    Source: LAPACK, dgesv.
    """
    if not a.size:
        return b
    _, _, found, info = dgesv(a, b)
    if info:
        raise np.linalg.LinAlgError("Singular matrix")
    return np.asarray(found)

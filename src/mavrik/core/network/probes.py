"""Voltages between nodes and currents through elements, read off solved states, and what every value of the network does to them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core.effort import spend
from mavrik.core.network.assembly import Assembly
from mavrik.core.network.elements import Element, Floats, Solved
from mavrik.core.network.pieces import AT_LIMIT, FORCED, REGULATING, Pieces

Places: TypeAlias = NDArray[np.int64]

SLOPE_WORK = 0.2
"""What each slope of a node counts for; measured on two networks, rough."""


@dataclass(frozen=True)
class Across:
    """A voltage: the red probe on one node, the black one on another."""

    red: str
    black: str


@dataclass(frozen=True)
class Through:
    """A current along an element's direction; an element that the network does not have carries none."""

    element: str


Probe: TypeAlias = Across | Through


class Probes:
    """What is read in some states of one network, in each of them something of its own."""

    def __init__(self, net: Assembly, probes: Sequence[Probe], of: Sequence[int]) -> None:
        """Find where everything is.

        probes: voltages and currents; of: in which of the states each of them is read
        Raises KeyError for a node that is not there.
        """
        self.net, self.probes, self.of = net, tuple(probes), np.asarray(of, dtype=np.int64)
        self._guarded: Probes | None = None
        column: dict[int, int] = {}
        self.slot = np.zeros(len(self.probes), dtype=np.int64)
        """Of each its place among those of its state."""
        for j, state in enumerate(self.of.tolist()):
            self.slot[j] = column[state] = column.get(state, -1) + 1
        shape = max(column, default=0) + 1, max(column.values(), default=-1) + 1
        last, starts, start = len(net.nodes) - 1, {}, len(net.nodes)
        at: dict[str, tuple[str, int]] = {}
        groups: dict[str, Sequence[Element]] = {
            "resistor": net.resistors, "emf": net.emfs, "diode": net.diodes, "link": net.links, "source": net.sources,
        }  # fmt: skip
        for kind, group in groups.items():
            starts[kind] = start
            start += len(group)
            at |= {e.id: (kind, k) for k, e in enumerate(group) if e.id}
        scales = {"resistor": 1, "emf": 1 + len(net.resistors) + net.part[0].start}
        scales |= {"diode": 1 + len(net.resistors) + net.part[1].start, "link": 1 + len(net.resistors) + net.part[3].start}
        self._red, self._black = np.full(len(self.probes), last), np.full(len(self.probes), last)
        self._coordinates = np.zeros((*shape, last))
        self._given = np.zeros((*shape, len(net.gives)))
        self._scale = np.zeros(shape, dtype=np.int64)
        self._resistor, self._emf, self._diode = np.full(shape, -1), np.full(shape, -1), np.full(shape, -1)
        for j, (probe, place) in enumerate(zip(self.probes, zip(self.of.tolist(), self.slot.tolist(), strict=True), strict=True)):
            if isinstance(probe, Across):
                self._red[j], self._black[j] = net.row[probe.red], net.row[probe.black]
                self._spread(place, net.incidence(probe.red, probe.black))
                continue
            kind, k = at.get(probe.element, ("", 0))
            if not kind:
                continue
            self._red[j] = starts[kind] + k
            if kind == "source":
                self._given[(*place, k)] = 1.0
                continue
            self._scale[place] = scales[kind] + k
            if kind == "resistor":
                self._resistor[place] = k
                self._spread(place, net.incidence(net.resistors[k].start, net.resistors[k].end))
            elif kind == "emf":
                self._emf[place] = k
                self._spread(place, net.incidence(net.emfs[k].positive, net.emfs[k].negative))
            else:
                element = (net.diodes if kind == "diode" else net.links)[k]
                self._diode[place] = k if kind == "diode" else -1
                self._spread(place, net.incidence(element.start, element.end))
        self.inside = bool(self._coordinates[:, :, net.kept :].any())
        """Whether any probe is at a node that is taken out."""
        self._clamps: list[tuple[int, int]] = []

    def _spread(self, place: tuple[int, int], coordinates: dict[int, float]) -> None:
        for at, sign in coordinates.items():
            self._coordinates[(*place, at)] = sign

    def read(self, solved: Solved, states: int) -> Floats:
        """What the probes show (probes, rows).

        solved: a row for each of some cases, those of one state behind those of another; states: how many those are
        """
        every = np.concatenate(
            (solved.node_v, solved.resistor_a, solved.emf_a, solved.diode_a, solved.link_a, solved.source_a), axis=1
        )
        by_state = every.reshape(states, len(every) // states, -1)
        return np.asarray(by_state[self.of, :, self._red] - by_state[self.of, :, self._black])

    def by_probe(self, slopes: Floats, states: int) -> Floats:
        """Slopes by probe (probes, rows, values); slopes: as `slopes` has them, rows as in `read`."""
        return np.asarray(slopes.reshape(states, len(slopes) // states, *slopes.shape[1:])[self.of, :, self.slot])

    def slopes(self, rest: Pieces, state: Places) -> Floats:
        """What each resistance, battery and regulated source does to what the probes show (rows, slots, values), all of them at rest.

        rest: rows of the network; state: of each row which of the states it is
        The values are the resistances [1/ohm], the batteries' open-circuit voltages [1/V], the resistances they are at, giving or
        taking [1/ohm], the sources' set points [1/V], their limits or forced outputs [1/A] and the diodes' forward voltages [1/V], each
        in the order of the network, with every element at its piece and tangent.
        Source: adjoint of the nodal equations; a resistance that changes by dR acts like a current i dR / R injected along it.
        """
        net, k, p, answer = self.net, rest.n, rest.p, rest.answer
        ohm, rows, slots = rest.given["resistor_ohm"], rest.states, self._scale.shape[1]
        spend(SLOPE_WORK * rows * len(net.nodes) * slots)
        emfs, many, batteries, sources = net.part[0], len(net.resistors), len(net.emfs), rest.k
        matrix, _ = rest.linear()
        one = np.ones((rows, 1))
        scale = np.concatenate((one, np.broadcast_to(1.0 / ohm, (rows, many)), rest.g), axis=1)
        scale = np.take_along_axis(scale, self._scale[state], axis=1)
        weights = self._coordinates[state] * scale[:, :, None]
        adjoint, node_v = adjoint_of(rest, matrix, weights, self._given[state], self.inside)
        at_emf, at_behind, at_set = many, many + batteries, many + 2 * batteries
        at_limit = at_set + sources
        at_diode = at_limit + sources
        slopes = np.empty((rows, slots, at_diode + len(net.diodes)))
        unit = answer.resistor_a / ohm
        slopes[:, :, :many] = (node_v.take(net.starts, axis=2) - node_v.take(net.ends, axis=2)) * unit[:, None, :]
        behind = np.where(rest.charging, p["emf_charging_ohm"], p["emf_ohm"])
        through = answer.emf_a / behind
        across = (adjoint[:, :, :k] @ net.across[emfs].T) / behind[:, None, :]
        slopes[:, :, at_emf:at_behind] = across
        slopes[:, :, at_behind:at_set] = across * answer.emf_a[:, None, :]
        mode, of_sources = rest.mode[:, :sources], adjoint[:, :, k : k + sources]
        slopes[:, :, at_set:at_limit] = of_sources * (mode == REGULATING)[:, None, :]
        slopes[:, :, at_limit:at_diode] = of_sources * ((mode == AT_LIMIT) | (mode == FORCED))[:, None, :]
        if net.diodes:
            siemens = np.where(rest.conducts, 1.0 / p["diode_ohm"], 0.0)
            slopes[:, :, at_diode:] = (adjoint[:, :, :k] @ net.across[net.part[1]].T) * siemens[:, None, :]
            row, slot = np.nonzero(self._diode[state] >= 0)
            at = self._diode[state[row], slot]
            slopes[row, slot, at_diode + at] -= siemens[row, at]
        row, slot = np.nonzero(self._resistor[state] >= 0)
        at = self._resistor[state[row], slot]
        slopes[row, slot, at] -= unit[row, at]
        row, slot = np.nonzero(self._emf[state] >= 0)
        at = self._emf[state[row], slot]
        slopes[row, slot, at_emf + at] -= 1.0 / behind[row, at]
        slopes[row, slot, at_behind + at] -= through[row, at]
        for j, clamp in self._clamps:
            here = state == self.of[j]
            slopes[here, self.slot[j]] -= slopes[here, self.slot[clamp]]
        return slopes

    def guarded(self, net: Assembly, clamps: dict[str, str]) -> Probes:
        """The same of a network that has diodes besides: a clamp's current is part of its source's.

        net: the network with them; clamps: of each source that has one, its diode
        """
        if self._guarded is None:
            clamped = [
                (j, clamps[p.element]) for j, p in enumerate(self.probes) if isinstance(p, Through) and p.element in clamps
            ]
            beside = [Through(diode) for _, diode in clamped]
            made = Probes(net, [*self.probes, *beside], [*self.of.tolist(), *(int(self.of[j]) for j, _ in clamped)])
            made._clamps = [(j, len(self.probes) + k) for k, (j, _) in enumerate(clamped)]
            self._guarded = made
        return self._guarded


def adjoint_of(rest: Pieces, matrix: Floats, weights: Floats, given: Floats, inside: bool = True) -> tuple[Floats, Floats]:
    """The adjoint of the nodal equations: what a current into each coordinate, and into each node, does to what some probes show.

    rest: rows at rest; matrix: of their kept coordinates and regulated sources
    weights: what each probe shows as a sum of coordinates (rows, probes, coordinates), and of what the sources give, `given`
    inside: whether any probe is at a node that is taken out
    Returns it of the kept coordinates and sources (rows, probes, kept + sources), and of all nodes (rows, probes, nodes).
    """
    net, k, follows = rest.net, rest.n, rest.red.follows
    of_sources, inner = weights[:, :, :k], weights[:, :, k:]
    if inside:
        of_sources = of_sources - np.matmul(inner, follows)
    right = np.concatenate((of_sources, given), axis=2)
    adjoint = np.linalg.solve(matrix.transpose(0, 2, 1), right.transpose(0, 2, 1)).transpose(0, 2, 1)
    kept = adjoint[:, :, :k]
    taken_out = -np.matmul(kept, follows.transpose(0, 2, 1))
    if inside and inner.shape[2]:
        taken_out += net.solve_inner(rest.red.inner, inner.transpose(0, 2, 1)).transpose(0, 2, 1)
    coordinates = np.concatenate((kept, taken_out, np.zeros((*kept.shape[:2], 1))), axis=2)
    return np.asarray(adjoint), np.asarray(net.node_voltages(coordinates))

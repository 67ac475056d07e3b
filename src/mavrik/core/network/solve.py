"""Solve an assembled network: one state, many at once, or how much each resistance matters."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, field, fields
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from mavrik.core.network.assembly import Assembly, Reduction
from mavrik.core.network.batch import Batch
from mavrik.core.network.elements import (
    VALUE_NAMES,
    Diode,
    Element,
    Floats,
    Link,
    Mode,
    NoOperatingPointError,
    Resistor,
    Solution,
    Solved,
    Values,
    shape_of,
)
from mavrik.core.network.guards import Guards, merged
from mavrik.core.network.pieces import AtRest
from mavrik.core.network.probes import Probes, adjoint_of

CHUNK = 2048
MOST_ENTRIES = 2**21
"""Of all matrices of a chunk together: 16 MB, of which there are a few at once."""

BEYOND_A = 1e-6
"""A guard that carries more is at work."""

COARSE = 16
"""One state of so many is solved before the others."""


def _as_rows(values: Values) -> dict[str, NDArray[np.float64]]:
    """Every array of values as (states, elements)."""
    return {name: np.atleast_2d(np.asarray(getattr(values, name))) for name in VALUE_NAMES}


def _stacked(some: Sequence[Values]) -> Values:
    """The values of several states as rows; one row of what they share, so that equal resistances are taken apart once."""

    def rows(name: str) -> NDArray[np.float64]:
        many = np.array([getattr(v, name) for v in some], dtype=float)
        return many[:1] if (many == many[0]).all() else many

    return Values(**{name: rows(name) for name in VALUE_NAMES})


@dataclass(frozen=True)
class Moment:
    """States at rest at one moment of their time; the next moment is near it."""

    solved: Solved
    at_rest: AtRest
    values: Values
    reduction: Reduction | None
    """Of states that share resistances and driven currents."""


class Network(Assembly):
    """A network, assembled once and solved for as many states as one likes."""

    def __init__(self, elements: Sequence[Element], reference: str, reduced: bool = True) -> None:
        """As `Assembly`."""
        super().__init__(elements, reference, reduced)
        self.elements, self.reference = tuple(elements), reference
        self._checked = False
        self._shaped: dict[str, NDArray[np.float64]] = {}
        self.guards = Guards(self)

    @cached_property
    def guarded(self) -> Network:
        """The same with a diode for each consumer and clamp, see `guards`."""
        return Network([*self.elements, *self.guards.diodes], self.reference)

    @cached_property
    def _guarded_order(self) -> NDArray[np.int64]:
        return np.array([self.guarded.row[n] for n in self.nodes], dtype=np.int64)

    def settle(self, values: Values | None = None, near: Batch | None = None) -> Batch:
        """Bring one state to rest.

        values: left out, those the network was made with
        near: a state at rest that it is taken to be near, which saves rounds
        Returns the state, to be named, asked for its sensitivities, or begun from; where the answer lies beyond what a consumer
        or a rectifier lets be, that of the `guarded` network. Raises as `solve`.
        """
        rows = self._rows(self.values if values is None else values)
        batch = Batch(self, rows, 1)
        if near is not None and near.net is self:
            batch.begin_like(near.at_rest, np.zeros(1, dtype=np.int64))
        batch.run()
        if self.guards.beyond(batch.answer.node_v)[0]:
            batch = Batch(self.guarded, self.guards.values(rows), 1)
            batch.run()
        return batch

    def settle_each(self, cases: Sequence[tuple[Values, Batch | None]]) -> list[Batch | NoOperatingPointError]:
        """Several states brought to rest at once, each as `settle` does by itself: a call costs far more than a state more.

        cases: for each its values and, if any, a state at rest that it is taken to be near
        Returns for each its state, or why there is none. Raises ValueError for values that cannot be.

        >>> from dataclasses import replace
        >>> from mavrik.core.network import EmfSource, Resistor
        >>> halved = Network([EmfSource("battery", "p", "n", 12.0, 1.0), Resistor("a", "p", "n", 1.0)], "n")
        >>> found = halved.settle_each([(replace(halved.values, emf_v=[v]), None) for v in (12.0, 10.0)])
        >>> [round(halved.named(rest).node_v["p"], 6) for rest in found if isinstance(rest, Batch)]
        [6.0, 5.0]
        """
        settled: dict[int, Batch | NoOperatingPointError] = {}
        if len(cases) > 1:
            settled |= self._settled_rows(self._rows(_stacked([values for values, _ in cases])), [near for _, near in cases])
        for k, (values, near) in enumerate(cases):
            if k not in settled:
                try:
                    settled[k] = self.settle(values, near)
                except NoOperatingPointError as error:
                    settled[k] = error
        return [settled[k] for k in range(len(cases))]

    def _settled_rows(self, rows: dict[str, NDArray[np.float64]], near: Sequence[Batch | None]) -> dict[int, Batch]:
        """Those of some states that come to rest together, by their number."""
        states = len(near)
        batch = Batch(self, rows, states)
        begin = {k: rest.at_rest for k, rest in enumerate(near) if rest is not None and rest.net is self}
        if begin:
            which = np.full(states, -1)
            which[list(begin)] = np.arange(len(begin))
            batch.begin_like(AtRest.joined(list(begin.values())), which)
        try:
            restless = set(batch.run_all().tolist())
        except NoOperatingPointError:
            return {}
        beyond = self.guards.beyond(batch.answer.node_v)
        settled = {k: batch.of_state(k) for k in range(states) if k not in restless and not beyond[k]}
        held = np.flatnonzero(beyond)
        if len(held) > 1:
            values = {n: a if len(a) == 1 else a[held] for n, a in rows.items()}
            settled |= {int(held[k]): rest for k, rest in self._guarded_rows(values, len(held)).items()}
        return settled

    def _guarded_rows(self, rows: dict[str, NDArray[np.float64]], states: int) -> dict[int, Batch]:
        batch = Batch(self.guarded, self.guards.values(rows), states)
        try:
            restless = set(batch.run_all().tolist())
        except NoOperatingPointError:
            return {}
        return {k: batch.of_state(k) for k in range(states) if k not in restless}

    def solve(self, values: Values | None = None) -> Solution:
        """Solve one state.

        values: left out, those the network was made with
        Raises ValueError for values that cannot be, NoOperatingPointError where nothing satisfies the network.
        """
        return self.named(self.settle(values))

    def named(self, batch: Batch) -> Solution:
        """What a probe could read in a state at rest, by name."""
        solved, beyond = batch.answer, frozenset[str]()
        current = {c.id: a for c, a in zip(self.currents, batch.given["current_a"][0].tolist(), strict=True) if c.id}
        if batch.net is not self:
            stops = dict(zip((d.id for d in batch.net.diodes), solved.diode_a[0].tolist(), strict=True))
            beyond = frozenset(d.id.rsplit(":", 1)[0] for d in self.guards.diodes if stops[d.id] > BEYOND_A)
            current |= {c.id: current[c.id] - stops[f"{c.id}:stop"] for c in self.currents if c.takes}
            solved = self.guards.without(solved, self._guarded_order)
        for group, amps in (
            (self.resistors, solved.resistor_a), (self.emfs, solved.emf_a), (self.sources, solved.source_a), (self.diodes, solved.diode_a),
            (self.loads, solved.load_a), (self.links, solved.link_a), (self.converters, solved.converter_a),
        ):  # fmt: skip
            current |= dict(zip((e.id for e in group), amps[0].tolist(), strict=True))
        modes = {s.id: Mode(int(m)) for s, m in zip(self.sources, solved.mode[0], strict=True)}
        modes |= {c.id: Mode(int(m)) for c, m in zip(self.converters, solved.converter_mode[0], strict=True)}
        is_open = {k.id for k, closed in zip(self.links, solved.link_closed[0], strict=True) if not closed}
        is_open |= {x.id for x, on in zip(self.loads, solved.load_on[0], strict=True) if not on}
        is_open |= {c.id for c, starved in zip(self.converters, solved.converter_starved[0], strict=True) if starved}
        return Solution(
            node_v=dict(zip(self.nodes, solved.node_v[0].tolist(), strict=True)),
            current_a=current,
            input_a=dict(zip((c.id for c in self.converters), solved.converter_in_a[0].tolist(), strict=True)),
            mode=modes,
            open_ids=frozenset(is_open),
            chattering=frozenset(k.id for k, c in zip(self.links, solved.link_chatters[0], strict=True) if c),
            beyond=beyond,
        )

    def solve_many(self, values: Values, near: Batch | None = None, lenient: bool = False) -> Solved:
        """Solve many states: every array of `values` is (elements,) or (states, elements), and they broadcast.

        near: a state at rest that all of them are taken to be near; left out, those of a sweep begin from one another
        lenient: a state without an operating point is NaN throughout; otherwise one refuses the whole call
        Errors as for `solve`.
        """
        shaped = self._rows(values)
        solved = self._solve_shaped(shaped, near.at_rest if near is not None and near.net is self else None, lenient)
        beyond = self.guards.beyond(solved.node_v)
        if beyond.any():
            values_beyond = {n: a if len(a) == 1 else a[beyond] for n, a in self.guards.values(shaped).items()}
            again = self.guarded._solve_shaped(values_beyond, None, lenient)
            solved = merged(solved, beyond, self.guards.without(again, self._guarded_order))
        return solved

    def solve_with_slopes(
        self,
        values: Values,
        probes: Probes,
        state: NDArray[np.int64] | None = None,
        near: AtRest | None = None,
        which: NDArray[np.int64] | None = None,
    ) -> tuple[Solved, Floats, AtRest]:
        """A few states, and what each resistance and battery voltage does to what is read in each of them.

        values: as for `solve_many`
        probes: what is read; state: which of their states each row here is, left out the first
        near: states at rest that these are taken to be near; which: for each state here the one of `near`, left out its first
        A state without an operating point is NaN throughout. Returns the answers, the slopes as `Probes.slopes` has them, and the
        states at rest, for others to begin near.

        >>> from mavrik.core.network import Across, EmfSource, Resistor
        >>> parts = [EmfSource("e", "p", "n", 12.0, 1.0), Resistor("a", "p", "q", 1.0), Resistor("b", "q", "n", 2.0)]
        >>> divider = Network(parts, "n")
        >>> _, slopes, _ = divider.solve_with_slopes(divider.values, Probes(divider, [Across("q", "n")], [0]))
        >>> slopes.round(6).tolist()  # by a, b, the voltage behind and the battery's own resistance
        [[[-1.5, 1.5, 0.5, -1.5]]]
        """
        shaped = self._rows(values)
        every = np.arange(max(a.shape[0] for a in shaped.values()))
        begin = near if near is not None and near.net is self else None
        batch = self._begun(shaped, every, None, begin, np.zeros_like(every) if which is None else which, lenient=True)
        state = np.zeros_like(every) if state is None else state
        solved, slopes = batch.answer, probes.slopes(batch, state)
        beyond = self.guards.beyond(solved.node_v)
        if beyond.any():
            values_beyond = {n: a if len(a) == 1 else a[beyond] for n, a in self.guards.values(shaped).items()}
            some = np.arange(int(beyond.sum()))
            again = self.guarded._begun(values_beyond, some, None, None, some, lenient=True)
            solved = merged(solved, beyond, self.guards.without(again.answer, self._guarded_order))
            beside = probes.guarded(self.guarded, self.guards.clamps).slopes(again, state[beyond])
            # Behind the diodes of the network itself are those that guard it.
            slopes[beyond] = beside[:, : slopes.shape[1], : slopes.shape[2]]
        return solved, slopes, batch.at_rest

    def go_on(self, values: Values, last: Moment | None) -> Moment:
        """States that each go on from where they were a moment ago; one without an operating point is NaN throughout.

        values: as for `solve_many`, every time of as many states. Resistances and driven currents that are the same arrays as at the
        last moment are not reduced anew.
        last: that moment; None to begin
        Raises ValueError for values that cannot be.
        """
        shaped, reduction = self._rows(values), self._reduced_before(values, last)
        states = max(a.shape[0] for a in shaped.values())
        if reduction is None and len(shaped["resistor_ohm"]) == len(shaped["current_a"]) == 1:
            reduction = self.reduce(shaped)
        at_once = max(1, min(CHUNK, MOST_ENTRIES // max(len(self.nodes), 1) ** 2))
        chunks = [np.arange(k, min(k + at_once, states)) for k in range(0, states, at_once)]
        batches = [self._begun(shaped, chunk, reduction, last.at_rest if last else None, chunk, lenient=True) for chunk in chunks]
        solved = Solved(**{f.name: np.concatenate([getattr(b.answer, f.name) for b in batches]) for f in fields(Solved)})
        solved = self._held_by_guards(shaped, solved)
        return Moment(solved, AtRest.joined([b.at_rest for b in batches]), values, reduction)

    def go_on_each(self, cases: Sequence[tuple[Values, Moment | None]]) -> list[Moment]:
        """Several vehicles on this network, each as `go_on` does by itself: a call costs far more than a state more.

        cases: for each its values and its last moment; those of more than one state are many already, and solved by themselves
        Errors as for `go_on`.

        >>> from dataclasses import replace
        >>> from mavrik.core.network import EmfSource, Resistor
        >>> halved = Network([EmfSource("battery", "p", "n", 12.0, 1.0), Resistor("a", "p", "n", 1.0)], "n")
        >>> moments = halved.go_on_each([(replace(halved.values, emf_v=[v]), None) for v in (12.0, 10.0)])
        >>> [round(float(m.solved.node_v[0, halved.row["p"]]), 6) for m in moments]
        [6.0, 5.0]
        """
        shaped = [self._rows(values) for values, _ in cases]
        if len(cases) == 1 or any(len(a) > 1 for rows in shaped for a in rows.values()):
            return [self.go_on(*case) for case in cases]
        reduced = [self._reduced_before(*case) or self.reduce(rows) for case, rows in zip(cases, shaped, strict=True)]
        together = {n: np.concatenate([rows[n] for rows in shaped]) for n in VALUE_NAMES}
        joined = Reduction(**{f.name: np.concatenate([getattr(r, f.name) for r in reduced]) for f in fields(Reduction)})
        before = [last.at_rest for _, last in cases if last]
        begun = np.cumsum([last is not None for _, last in cases]) - 1
        which = np.where([last is not None for _, last in cases], begun, -1)
        batch = self._begun(
            together, np.arange(len(cases)), joined, AtRest.joined(before) if before else None, which, lenient=True
        )
        solved, at_rest = self._held_by_guards(together, batch.answer), batch.at_rest
        return [
            Moment(solved.of_state(k), at_rest.of_state(k), values, reduction)
            for k, ((values, _), reduction) in enumerate(zip(cases, reduced, strict=True))
        ]

    def _reduced_before(self, values: Values, last: Moment | None) -> Reduction | None:
        """The reduction of the last moment, where it is that of these values too."""
        if last is None or last.values.resistor_ohm is not values.resistor_ohm or last.values.current_a is not values.current_a:
            return None
        return last.reduction

    def _held_by_guards(self, shaped: dict[str, NDArray[np.float64]], solved: Solved) -> Solved:
        """Answers of states, those beyond what a consumer or a rectifier lets be solved with their guards."""
        beyond = self.guards.beyond(solved.node_v)
        if not beyond.any():
            return solved
        some = {n: a if len(a) == 1 else a[beyond] for n, a in self.guards.values(shaped).items()}
        again = self.guarded._solve_shaped(some, None, lenient=True)
        return merged(solved, beyond, self.guards.without(again, self._guarded_order))

    def _solve_shaped(self, shaped: dict[str, NDArray[np.float64]], near: AtRest | None, lenient: bool) -> Solved:
        states = max(a.shape[0] for a in shaped.values())
        # Resistances that all states share are reduced once for all of them.
        shared = states > 1 and len(shaped["resistor_ohm"]) == len(shaped["current_a"]) == 1
        reduction = self.reduce(shaped) if shared else None

        nodes = self.kept if shared else len(self.nodes)
        at_once = max(1, min(CHUNK, MOST_ENTRIES // max(nodes, 1) ** 2))
        step = max(COARSE, -(-states // at_once))

        def begun(chunk: NDArray[np.int64], from_: AtRest | None, which: NDArray[np.int64]) -> Batch:
            return self._begun(shaped, chunk, reduction, from_, which, lenient)

        def chunks(from_: AtRest, which: Callable[[NDArray[np.int64]], NDArray[np.int64]]) -> Solved:
            every = [np.arange(k, min(k + at_once, states)) for k in range(0, states, at_once)]
            answers = [begun(chunk, from_, which(chunk)).answer for chunk in every]
            return Solved(**{f.name: np.concatenate([getattr(a, f.name) for a in answers]) for f in fields(Solved)})

        only = np.zeros(1, dtype=np.int64)
        if states == 1:
            return begun(only, None, only).answer
        # The states of a sweep are alike: some spread over it begin where the middle one has come to rest, all the others
        # where the nearest of those has.
        if near is not None:
            return chunks(near, np.zeros_like)
        spread = np.arange(states // 2 % step, states, step)
        middle = int(np.argmin(np.abs(spread - states // 2)))
        seed = begun(spread[middle : middle + 1], None, only)
        sound = bool(np.isfinite(seed.answer.node_v).all())
        coarse = begun(spread, seed.at_rest if sound else None, np.zeros(len(spread), dtype=np.int64))
        return chunks(coarse.at_rest, lambda chunk: np.clip((chunk - spread[0] + step // 2) // step, 0, len(spread) - 1))

    def _begun(
        self,
        shaped: dict[str, NDArray[np.float64]],
        chunk: NDArray[np.int64],
        reduction: Reduction | None,
        near: AtRest | None,
        which: NDArray[np.int64],
        lenient: bool,
    ) -> Batch:
        """States brought to rest from those they are near; those that find none from there, from nowhere."""
        batch = self._batch(shaped, chunk, reduction)
        if near is not None:
            batch.begin_like(near, which)
        try:
            left = batch.run_all()
            if len(left) and near is not None:
                # A neighbour that is unlike can lead into a circle that the state itself does not have.
                again = self._batch(shaped, chunk[left], reduction)
                still = again.run_all()
                batch.take_over(again, left)
                left = left[still]
        except NoOperatingPointError:
            if not lenient or len(chunk) == 1:
                raise
            return self._one_by_one(shaped, chunk, reduction)
        if len(left):
            if not lenient:
                raise batch.restless(left)
            batch.forget(left)
        return batch

    def _one_by_one(self, shaped: dict[str, NDArray[np.float64]], chunk: NDArray[np.int64], reduction: Reduction | None) -> Batch:
        """States of which one at least has no voltages at all: that one alone is NaN."""
        batch = self._batch(shaped, chunk, reduction)
        batch.answer = batch.answer_now()
        bad = []
        for k in range(len(chunk)):
            one = self._batch(shaped, chunk[k : k + 1], reduction)
            try:
                none = len(one.run_all()) > 0
            except NoOperatingPointError:
                none = True
            if none:
                bad.append(k)
            else:
                batch.take_over(one, np.array([k]))
        batch.forget(np.array(bad, dtype=np.int64))
        return batch

    def _batch(self, shaped: dict[str, NDArray[np.float64]], which: NDArray[np.int64], reduction: Reduction | None) -> Batch:
        some = {n: a if len(a) == 1 else a[which] for n, a in shaped.items()}
        return Batch(self, some, len(which), reduction.of_states(which) if reduction else None)

    def _rows(self, values: Values) -> dict[str, NDArray[np.float64]]:
        """The values checked and as rows; the network's own only once."""
        if values is not self.values:
            self.check(values)
            return _as_rows(values)
        if not self._checked:
            self.check(values)
            self._checked, self._shaped = True, _as_rows(values)
        return self._shaped

    def sensitivities(self, plus: str, minus: str, at: Batch | None = None) -> dict[str, float]:
        """How a voltage answers to each resistance, at one state [V/ohm].

        plus, minus: the nodes it is taken between
        at: the state, at rest; left out, that of the values the network was made with
        Returns dV/dR of every resistance, diode and closed link by id, with everything at its piece and tangent.
        Raises as `solve`, KeyError for a node that is not there.
        Source: adjoint of the nodal equations: with A v = b and A' w = e, dV/dR = (w across the branch) i / R.

        >>> from mavrik.core.network import EmfSource, Resistor
        >>> parts = [EmfSource("battery", "p", "n", 12.0, 1.0), Resistor("a", "p", "q", 1.0), Resistor("b", "q", "n", 2.0)]
        >>> round(Network(parts, "n").sensitivities("q", "n")["a"], 6)  # 12 V x 2 / (2 + R)^2, R = 2
        -1.5
        """
        batch = at or self.settle()
        if batch.net is not self:
            of_guarded = self.guarded.sensitivities(plus, minus, batch)
            return {i: v for i, v in of_guarded.items() if i not in {d.id for d in self.guards.diodes}}
        solved, rows = batch.answer, batch.given
        weights = np.zeros((1, 1, len(self.nodes) - 1))
        for place, sign in self.incidence(plus, minus).items():
            weights[0, 0, place] = sign
        _, every = adjoint_of(batch, batch.linear()[0], weights, np.zeros((1, 1, len(self.gives))))
        adjoint = every[0, 0]
        answer: dict[str, float] = {}
        groups: tuple[tuple[Sequence[Resistor | Diode | Link], Floats, Floats], ...] = (
            (self.resistors, solved.resistor_a, rows["resistor_ohm"]),
            (self.diodes, solved.diode_a, rows["diode_ohm"]),
            (self.links, solved.link_a, rows["link_ohm"]),
        )
        for group, amps, ohm in groups:
            for k, e in enumerate(group):
                across = adjoint[self.row[e.start]] - adjoint[self.row[e.end]]
                answer[e.id] = float(across * amps[0, k] / ohm[0, k])
        return answer


@lru_cache(maxsize=128)
def _assembled(shape: Hashable, of: _Made) -> Network:
    return Network(of.elements, of.reference)


@dataclass(frozen=True)
class _Made:
    """What a network is made of, equal to any other: the shape beside it says which it is."""

    elements: Sequence[Element] = field(compare=False)
    reference: str = field(compare=False)


def network_of(elements: Sequence[Element], reference: str) -> Network:
    """A network, or one of the same shape that was assembled before.

    elements, reference: as for `Network`; their values are those of `values_of(elements)`, not the network's own
    """
    return _assembled((reference, shape_of(elements)), _Made(tuple(elements), reference))


def solve_network(elements: Sequence[Element], reference: str) -> Solution:
    """Solve a network once.

    elements: all with an id of their own
    reference: the node that is 0 V
    Returns node voltages [V] and currents [A] by id, and what every regulated source, link and load does.
    Raises ValueError for values that cannot be, NoOperatingPointError where nothing satisfies the network.
    Source: modified nodal analysis; piecewise-linear elements by changing pieces until the answer agrees.

    >>> from mavrik.core.network import CurrentSource, Resistor
    >>> s = solve_network([Resistor("a", "p", "n", 2.0), CurrentSource("n", "p", 3.0)], "n")
    >>> round(s.node_v["p"], 6), round(s.current_a["a"], 6)
    (6.0, 3.0)
    """
    return Network(elements, reference).solve()

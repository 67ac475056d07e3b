"""What is to be fitted: sets of causes, and the readings that all of them share."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from mavrik.core.circuit import Circuit
from mavrik.core.findings.bench_model import BenchModel, Floats, Placed
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.hypotheses import Hypothesis
from mavrik.core.findings.likelihood import scatter_by, scatter_terms
from mavrik.core.findings.unknowns import Unknowns
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import Observation

LOAD_STEP = 0.02
MOST_BY_LOADS = 30.0
"""A branch that the loads leave next to nothing takes no more times what they take less."""

NO_READING = 1e-6

OUTPUT_SHARE = 0.01
"""How well an output is known that nobody says the clamp of. Our choice, no source."""


@dataclass(frozen=True)
class Trial:
    """A set of causes to be fitted."""

    causes: tuple[str, ...]
    base: Hypothesis
    """With the changes of all of them, at their middle magnitudes."""
    log_prior: float
    start: Floats | None = None
    """The unknowns of another trial to begin from, where they are nothing that this set's causes change."""
    kept: frozenset[int] = frozenset()
    """Unknowns to begin from that one although this set's causes change them: the other's do so too."""

    @classmethod
    def of(cls, base: Hypothesis, start: Floats | None = None) -> Trial:
        """A hypothesis as it is met."""
        return cls(base.causes, base, float(np.log(base.weight)), start)

    def with_base(self, base: Hypothesis) -> Trial:
        """The same causes in another way, as much likelier as that way is; begun alike."""
        return replace(self, base=base, log_prior=self.log_prior + float(np.log(base.weight / self.base.weight)))

    def begun_at(self, start: Floats) -> Trial:
        """The same from just these unknowns."""
        return replace(self, start=start, kept=frozenset(range(len(start))))


@dataclass(frozen=True)
class FitProblem:
    """What all sets of causes share: the readings and how far each may lie from what it should be."""

    model: BenchModel
    evidence: tuple[Observation, ...]
    smooth: NDArray[np.int64]
    """Which readings have a value that goes with the unknowns."""
    others: NDArray[np.int64]
    """Those that are looked at."""
    runs: tuple[int, ...]
    """Those with a known output."""
    output_share: Floats
    """Standard uncertainty of each of those outputs, of itself."""
    scaled: NDArray[np.bool_]
    """Which smooth readings each run's output scales (readings, runs)."""
    by_loads: Floats
    """Of each smooth reading at a known output, of itself: what it moves with the natural logarithm of what the loads take."""
    terms: Floats
    """What each of them scatters, `scatter_terms` (4, readings)."""
    offset: Floats
    """How much further than the documented charge the unknowns of the batteries' voltages begin, by unknown [V]."""

    @classmethod
    def of(cls, circuit: Circuit, model: BenchModel, evidence: tuple[Observation, ...]) -> FitProblem:
        """The problem of a circuit and its readings."""
        eye = [o.point.kind.yes_or_no or (bool(o.point.indicator) and o.point.indicator != "shaft") for o in evidence]
        smooth = np.flatnonzero(~np.array(eye, dtype=bool))
        at_output = [o for o in evidence if o.setup.state is BenchState.AT_OUTPUT]
        runs = tuple(sorted({o.run for o in at_output}))
        share = [
            max((o.setup.output_u or 0.0) / COVERAGE / (o.setup.output_a or 1.0), 0.0) or OUTPUT_SHARE
            for r in runs
            for o in [next(o for o in at_output if o.run == r)]
        ]
        scaled = np.array(
            [[evidence[k].run == r and evidence[k].setup.state is BenchState.AT_OUTPUT for r in runs] for k in smooth.tolist()],
            dtype=bool,
        ).reshape(len(smooth), len(runs))
        return cls(
            model, evidence, smooth, np.flatnonzero(np.array(eye, dtype=bool)), runs, np.array(share), scaled,
            _by_loads(circuit, [(evidence[k].point, evidence[k].setup) for k in smooth.tolist()]),
            np.array([scatter_terms(evidence[k].point) for k in smooth.tolist()]).reshape(-1, 4).T,
            _offset(model),
        )  # fmt: skip

    @property
    def unknowns(self) -> Unknowns:
        """Those of the circuit."""
        return self.model.unknowns

    @property
    def branch_ids(self) -> tuple[str, ...]:
        """Of the metal."""
        return self.unknowns.branch_ids

    @property
    def battery_ids(self) -> tuple[str, ...]:
        """Those whose charge while an output was read is an unknown."""
        return tuple(i for what, i in self.unknowns.names if what is What.CHARGED)

    def scatter(self, seen: Floats) -> Floats:
        """Standard deviation of the smooth readings without their meters' (trials, readings).

        seen: what each trial predicts
        """
        return scatter_by(self.terms, seen)

    @property
    def read(self) -> Floats:
        """Values of the smooth readings."""
        return np.array([self.evidence[k].measured.value for k in self.smooth.tolist()])


def _by_loads(circuit: Circuit, placed: Sequence[Placed]) -> Floats:
    """What readings at a known output move, of themselves, with the logarithm of what the loads take: what they leave goes elsewhere."""
    moved = np.zeros(len(placed))
    at_output = [k for k, (_, setup) in enumerate(placed) if setup.state is BenchState.AT_OUTPUT]
    if at_output and circuit.loads:
        loads = tuple(x.model_copy(update={"current_a": x.current_a * (1 + LOAD_STEP)}) for x in circuit.loads)
        sound = [Hypothesis((NOTHING,), 1.0)]
        there = [placed[k] for k in at_output]
        usual, more = (
            BenchModel(c, checked=True).predict(there, sound)[0] for c in (circuit, circuit.model_copy(update={"loads": loads}))
        )
        share = np.nan_to_num((more - usual) / np.where(np.abs(usual) > NO_READING, usual, np.inf)) / LOAD_STEP
        moved[at_output] = np.clip(share, -MOST_BY_LOADS, MOST_BY_LOADS)
    return moved


def _offset(model: BenchModel) -> Floats:
    """How far the batteries' documented charge lies from what they read at rest: the model begins at what was read."""
    offset, u = np.zeros(len(model.unknowns)), model.unknowns
    if not model.day.rest_v:
        return offset
    documented, group = model.documented_emf_v(), dict(u.group_of)
    for first in dict.fromkeys(group.values()):
        alike = [b for b, f in group.items() if f == first]
        level = max((model.day.rest_v[b] for b in alike if b in model.day.rest_v), default=None)
        if level is None:
            continue
        offset[u.place[What.CHARGE, first]] = documented[first] - level
        for b in alike:
            if b in model.day.rest_v:
                offset[u.place[What.EMF, b]] = level - model.day.rest_v[b]
    return offset

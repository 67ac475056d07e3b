"""What all judgements of one job share: the circuit at the drop test and at rated output, the drops read, the inference."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.ring import Ring
from mavrik.core.findings.band import Band
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.inference import Candidate, Estimate, Posterior
from mavrik.core.measuring.instruments import gain_uncertainty
from mavrik.core.measuring.limits import Limit, LimitProfileName, Scope, limit_for
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import combine
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.operating.prediction import Prediction
from mavrik.core.procedures import Observation

NO_CURRENT_A = 1e-6
NO_DROP_V = 1e-5
"""What loses less in the test says nothing of what it loses at rated output."""


@dataclass(frozen=True)
class Known:
    """A voltage with its expanded uncertainty, and the output it was read at."""

    volts: float
    u: float
    output_a: float
    u_output_a: float
    common_u: float = 0.0
    """Part of `u` that goes with the value, of one meter on one range: its percent of the reading."""
    meter: str | None = None
    """What it was read with; None: with several, or nobody knows."""
    pieces: tuple[float, ...] = ()
    """The drops that were read one after the other for it, while the current may have wandered."""

    @classmethod
    def of(cls, read: Observation) -> Known:
        """A reading."""
        m, s = read.measured, read.setup
        common = min(gain_uncertainty(m.value, read.meter), m.uncertainty)
        meter = read.meter.id if read.meter else None
        return cls(m.value, m.uncertainty, s.output_a or 0.0, s.output_u or 0.0, common, meter, (m.value,))

    def minus(self, other: Known) -> Known:
        """The difference of two values at one output.

        Read with one meter, what it reads too high of itself it does of both: only what is left of that counts, and the digits of
        both. Source: JCGM 100, 5.2.2.
        """
        volts, u = self.volts - other.volts, combine(self.u, other.u)
        common = 0.0
        if self.meter is not None and self.meter == other.meter:
            common = abs(self.common_u * _sign(self.volts) - other.common_u * _sign(other.volts))
            u = common + combine(self.u - self.common_u, other.u - other.common_u)
        return Known(volts, u, self.output_a, self.u_output_a, common, self.meter, (*self.pieces, *other.pieces))


def _sign(volts: float) -> float:
    return -1.0 if volts < 0 else 1.0


def total(known: Sequence[Known]) -> Known:
    """The sum of drops read one after the other with one meter.

    A meter that reads a little high reads all of them a little high: what it may be off adds up, and does not average out.
    Source: JCGM 100, 5.2.2, fully correlated values.

    >>> total([Known(0.05, 0.003, 80, 2), Known(0.04, 0.003, 80, 2)]).u
    0.006
    """
    meters = {k.meter for k in known}
    return Known(
        sum(k.volts for k in known), sum(k.u for k in known), known[0].output_a, known[0].u_output_a,
        abs(sum(k.common_u * _sign(k.volts) for k in known)), meters.pop() if len(meters) == 1 else None,
        tuple(p for k in known for p in k.pieces),
    )  # fmt: skip


@dataclass(frozen=True)
class Bench:
    """One circuit on the bench."""

    circuit: Circuit
    ring: Ring
    read: Mapping[str, Observation]
    """The readings of drop tests, by point."""
    posterior: Posterior
    now: Prediction
    """Sound parts, at the drop test."""
    fitted: Prediction
    """The parts as the readings have them, at the drop test."""
    rated: Prediction
    """Sound parts, at rated output, warmed up."""
    fitted_rated: Prediction
    """The parts as the readings have them, at rated output, warmed up."""
    profile: LimitProfileName
    rated_a: float
    """Alternator output the limits are for [A]."""
    spurs: frozenset[str] = frozenset()
    """Branches that serve a load or a converter alone: no part of the charging path, they may lose as much as the whole."""

    band: Band = field(default_factory=dict)
    """What a sound branch of the ring loses in the test."""

    doubtful: frozenset[str] = frozenset()
    """Points whose reading no likely cause explains."""

    @property
    def measured(self) -> bool:
        """Whether any evidence is more than what somebody says."""
        return any(not o.point.hearsay for o in self.posterior.evidence)

    def limit(self, scope: Scope) -> Limit:
        """The profile's limit for a scope."""
        return limit_for(self.profile, scope, self.circuit.system_voltage_v)

    def predicted_v(self, of: Observation, with_it: Candidate) -> float:
        """What a set of causes, fitted to all readings, would let a drop be [V]; 0 for one that is no evidence."""
        return next((float(v) for o, v in zip(self.posterior.evidence, with_it.predicted, strict=True) if o is of), 0.0)

    def surely_below(self, of: Observation, volts: float) -> bool:
        """Whether what is surely wrong leaves next to no current for a drop: behind what is open nothing is lost.

        The drops by themselves do not make it sure: probes that touch nothing read so too.
        """
        posterior = self.posterior
        if all(o.setup.state is BenchState.AT_OUTPUT for o in posterior.evidence):
            return False
        low = (c.probability for c in posterior.candidates if abs(self.predicted_v(of, c)) < volts)
        return sum(low) >= fault_table().probably

    def at_rated(self, known: Known, branch_ids: tuple[str, ...], threshold_v: float = 0.0) -> Measured:
        """A drop carried from the output it was read at to rated output, cables warmed up, with its uncertainty [V].

        branch_ids: those it was read over, one behind the other
        threshold_v: part of it that is there before any current, a diode's
        Source: the network as the readings have it at both outputs; JCGM 100, 5.1.2 for the uncertainty, the clamp's included.
        """
        metal, times = known.volts - threshold_v, self._carried(branch_ids, threshold_v)
        u_output = metal * known.u_output_a / known.output_a if known.output_a else 0.0
        return Measured(threshold_v + metal * times, times * combine(known.u, u_output))

    def fitted_at_rated(self, branch_id: str, estimate: Estimate) -> Measured:
        """What a branch beside the ring loses at rated output, as all readings have its resistance [V].

        branch_id: that carries another unit's or battery's current, of which nobody read how much it was; estimate: of its resistance
        """
        # What several units give of it in the test says little of what they give at rated output.
        at = self.rated if len(self.circuit.alternators) > 1 else self.fitted_rated
        amps = abs(at.current_a[branch_id])
        volts = amps * self.fitted_rated.resistance_ohm[branch_id]
        if amps > NO_CURRENT_A:
            volts += self.circuit.branch(branch_id).threshold_v
        return Measured(volts, amps * (estimate.high_ohm - estimate.low_ohm) / 2)

    def _carried(self, branch_ids: tuple[str, ...], threshold_v: float) -> float:
        """How many times what it lost in the test a way loses at rated output: by its current, and by its warmth."""
        for now, rated in ((self.fitted, self.fitted_rated), (self.now, self.rated)):
            before, after = now.path_drop(branch_ids) - threshold_v, rated.path_drop(branch_ids) - threshold_v
            if before > NO_DROP_V and np.isfinite(after) and after > 0:
                return float(after / before)
        return self.rated.output_a / self.now.output_a if self.now.output_a else 1.0


def millivolts(volts: float) -> str:
    """Volts as millivolts in words."""
    return f"{volts * 1000:.0f} mV"

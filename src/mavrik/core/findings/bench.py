"""What all judgements of one job share: the circuit at the drop test and at rated output, the drops read, the inference."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.ring import Ring
from mavrik.core.findings.inference import Posterior
from mavrik.core.measuring.limits import Limit, LimitProfileName, Scope, limit_for
from mavrik.core.measuring.uncertainty import ratio_uncertainty
from mavrik.core.operating.prediction import Prediction
from mavrik.core.procedures import Observation

NO_CURRENT_A = 1e-6


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
    profile: LimitProfileName
    rated_a: float
    """Alternator output the limits are for [A]."""
    spurs: frozenset[str] = frozenset()
    """Branches that serve a load or a converter alone: no part of the charging path, they may lose as much as the whole."""

    doubtful: frozenset[str] = frozenset()
    """Points whose reading no likely cause explains."""

    def limit(self, scope: Scope) -> Limit:
        """The profile's limit for a scope."""
        return limit_for(self.profile, scope, self.circuit.system_voltage_v)

    def at_rated(self, of: Observation, threshold_v: float = 0.0, off_ring: str = "") -> tuple[float, float]:
        """A drop scaled from the output it was read at to rated output, with its uncertainty [V].

        threshold_v: part of it that is there before any current, a diode's
        off_ring: id of a branch beside the ring; its current need not go with the output, the model says how it goes
        Source: Ohm's law for the scaling; JCGM 100, 5.1.2 for the uncertainty, the clamp's included.
        """
        drop, u_drop = of.measured.value, of.measured.uncertainty
        output, u_output, rated = of.setup.output_a or self.rated_a, of.setup.output_u or 0.0, self.rated_a
        if off_ring and abs(self.now.current_a[off_ring]) > NO_CURRENT_A:
            rated = output * abs(self.rated.current_a[off_ring] / self.now.current_a[off_ring])
        metal = drop - threshold_v
        return threshold_v + metal * rated / output, rated * ratio_uncertainty(metal, u_drop, output, u_output)


def millivolts(volts: float) -> str:
    """Volts as millivolts in words."""
    return f"{volts * 1000:.0f} mV"

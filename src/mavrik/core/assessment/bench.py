"""What all judgements of one test share: the readings, how well they are known, the limits, the current they are for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mavrik.core.circuit import Circuit
from mavrik.core.limits import Limit, LimitProfileName, Scope, limit_for
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.prediction import Prediction
from mavrik.core.uncertainty import MeterSpec, expanded_uncertainty, ratio_uncertainty

NO_CURRENT_A = 1e-6


@dataclass(frozen=True)
class Readings:
    """A test by what each reading is of, with the accuracy of its meters at hand."""

    value: Mapping[tuple[Quantity, str | None], float]
    output_a: float
    u_output_a: float
    voltmeter: MeterSpec
    clamp: MeterSpec

    @classmethod
    def of(cls, test: DropTest) -> Readings:
        """The readings of a test."""
        clamp = test.clamp.spec
        output = test.output_current_a
        return cls(test.by_key(), output, expanded_uncertainty(output, clamp), test.voltmeter.spec, clamp)

    def u_volts(self, volts: float) -> float:
        """Expanded uncertainty of a voltage [V]."""
        return expanded_uncertainty(volts, self.voltmeter)

    def u_amps(self, amps: float) -> float:
        """Expanded uncertainty of a current [A]."""
        return self.u_output_a if amps == self.output_a else expanded_uncertainty(amps, self.clamp)


@dataclass(frozen=True)
class Bench:
    """One circuit on the bench, predicted at the test and at rated output, with the readings where there are any."""

    circuit: Circuit
    readings: Readings | None
    now: Prediction
    rated: Prediction
    profile: LimitProfileName
    rated_a: float
    """Alternator output the limits are for [A]."""
    spurs: frozenset[str] = frozenset()
    """Branches that serve a load or a converter alone: no part of the charging path, they may lose as much as the whole."""

    def limit(self, scope: Scope) -> Limit:
        """The profile's limit for a scope."""
        return limit_for(self.profile, scope, self.circuit.system_voltage_v)

    def at_rated(self, drop_v: float, u_drop_v: float, threshold_v: float = 0.0, off_ring: str = "") -> tuple[float, float]:
        """A drop read at the test current, scaled to rated output, with its uncertainty [V].

        threshold_v: part of it that is there before any current, a diode's
        off_ring: id of a branch beside the ring; its current need not go with the output, the model says how it goes
        Source: Ohm's law for the scaling; JCGM 100, 5.1.2 for the uncertainty, the clamp's included.
        """
        assert self.readings is not None
        output, rated = self.readings.output_a, self.rated_a
        if off_ring and abs(self.now.current_a[off_ring]) > NO_CURRENT_A:
            rated = output * abs(self.rated.current_a[off_ring] / self.now.current_a[off_ring])
        metal = drop_v - threshold_v
        scaled = rated * ratio_uncertainty(metal, u_drop_v, output, self.readings.u_output_a)
        return threshold_v + metal * rated / output, scaled


def millivolts(volts: float) -> str:
    """Volts as millivolts in words."""
    return f"{volts * 1000:.0f} mV"

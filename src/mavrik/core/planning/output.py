"""What an alternator gives over its shaft's speed, from what is known of it: a maker's curve, two points, or readings at the bench."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy.optimize import least_squares

from mavrik.core.catalogue.sources import CurvePoint, KnownOutput, OutputBasis, output_limit_a, source_table
from mavrik.core.circuit import Alternator
from mavrik.core.document import Document, RatedOutput
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.protection.documents import Finding, Severity, by_severity

Floats: TypeAlias = NDArray[np.float64]

RATED_RPM, IDLE_RPM = 6000.0, 1800.0
"""Shaft speeds at which an output is stated: rated, and low, 1500 to 1800 /min. Source: ISO 8854, from memory."""

USUAL_CUT_IN_RPM, CUT_IN_SPREAD = 1050.0, 0.15
"""Where wound-field units begin to give, and by what share they differ. Common practice, rough, no source."""

USUAL_SOFTNESS, SOFTNESS_SPREAD = 1.5, 0.4
"""Resistance against voltage and the current at endless speed; by the usual shape of the data file and by what share units differ."""

TOP_SPREAD = 0.2
"""By what share the output of a unit may differ from its nameplate. Our choice, no source."""

MISFIT = 0.03
"""By what share of its current a real unit leaves the formula. Our choice: the usual shape leaves it by 2 % at most."""

SPEED_SHARE = 0.02
"""Expanded uncertainty of a speed read by tachometer or taken from a ratio, as a share. Common practice, no source."""

MAKER_SHARE = 0.05
"""Expanded uncertainty of a maker's point, as a share. Common practice, rough, no source."""

GRID_RPM = (1200.0, 1500.0, 1800.0, 2200.0, 2600.0, 3000.0, 3500.0, 4000.0, 5000.0, 6000.0, 8000.0, 12_000.0)
"""Where the curve is written down, beside the speed at which it begins."""


class OutputRequest(Document):
    """A unit and what is known of it."""

    kind: Literal["wound_field", "permanent_magnet"] = "wound_field"
    rated_a: RatedOutput
    basis: OutputBasis | None = Field(None, description="Left out, the usual shape up to the rating")

    @property
    def known(self) -> tuple[KnownOutput, ...]:
        """All that is known, by the shaft's speed."""
        return tuple(sorted(self.basis.known, key=lambda k: k.shaft_rpm)) if self.basis else ()


class OutputPoint(Document):
    """What it gives at one speed, at 25 degC, and between what."""

    shaft_rpm: float
    output_a: float
    low_a: float
    high_a: float
    hot_a: float = Field(description="The same when hot [A]")


class OutputView(Document):
    """A unit's curve."""

    points: tuple[OutputPoint, ...]
    curve: tuple[CurvePoint, ...] = Field(description="As the circuit's alternator keeps it; empty: the usual shape")
    cut_in_rpm: float = Field(description="Where it begins to give [1/min]")
    rated_a: float = Field(description="What the curve gives at the shaft speed of the rating [A]")
    rated_rpm: float = RATED_RPM
    reference_c: float
    hot_c: float
    findings: tuple[Finding, ...]


class OutputProblemError(ValueError):
    """Something of a request that does not go together, and in which field."""

    def __init__(self, field: str, message: str) -> None:
        """field: of the request; message: in plain words."""
        super().__init__(message)
        self.field = field


def machine_a(shaft_rpm: Floats | float, cut_in_rpm: float, top_a: float, softness: float) -> Floats:
    """Current of a synchronous machine behind a rectifier into a battery, which holds its voltage [A].

    shaft_rpm: speed of the shaft, one or many; cut_in_rpm: where its voltage reaches the battery's
    top_a: current at endless speed [A]; softness: its resistance times that current, over the voltage
    The voltage induced and the reactance both rise with speed: (n / n0)^2 = (1 + I r)^2 + (I x n / n0)^2, r and x in parts of the
    battery's voltage, so the current comes to 1 / x at endless speed.
    Raises ValueError for a cut-in, top or softness not above 0.
    Source: the phasor diagram of a synchronous machine at unity power factor, any text on electrical machines.

    >>> float(machine_a(1000, 1000, 100, 1.5)), round(float(machine_a(6000, 1000, 100, 1.5)), 1)
    (0.0, 91.8)
    """
    if min(cut_in_rpm, top_a, softness) <= 0:
        raise ValueError("Cut-in, top and softness are above 0")
    n = np.asarray(shaft_rpm, dtype=float) / cut_in_rpm
    # As I over top_a: y^2 (softness^2 + n^2) + 2 softness y + 1 - n^2 = 0.
    a, c = softness**2 + n**2, 1 - np.maximum(n, 1.0) ** 2
    return np.asarray(top_a * (-softness + np.sqrt(softness**2 - a * c)) / a)


@dataclass(frozen=True)
class _Fit:
    """Logarithms of cut-in, top and softness, and how surely they are known."""

    mean: Floats
    covariance: Floats

    def at(self, rpm: Floats) -> Floats:
        return machine_a(rpm, *np.exp(self.mean).tolist())

    def spread_a(self, rpm: Floats) -> Floats:
        """Standard deviation of what it gives at speeds, and of what a real unit differs from the formula by [A]."""
        step = 1e-4
        moved = [self.mean + step * e for e in np.eye(3)]
        slope = np.array([(machine_a(rpm, *np.exp(m).tolist()) - self.at(rpm)) / step for m in moved])
        of_fit = np.einsum("ik,ij,jk->k", slope, self.covariance, slope)
        return np.asarray(np.sqrt(of_fit + (MISFIT * self.at(rpm)) ** 2))


def warmth_factor(rated_a: float, unit_c: float | None) -> float:
    """What a unit gives at a temperature, over what it gives at 25 degC.

    rated_a: its rating [A]; unit_c: its temperature [degC]; None: as its rating was taken

    >>> warmth_factor(170, 25)
    1.0
    """
    table = source_table()
    if unit_c is None:
        return 1.0
    return float(output_limit_a(rated_a, RATED_RPM, unit_c)) / float(output_limit_a(rated_a, RATED_RPM, table.reference_c))


def _fit(request: OutputRequest) -> _Fit:
    """The machine that most likely gave what is known: least squares, with what is usual of such machines beside it."""
    rpm = np.array([k.shaft_rpm for k in request.known])
    warm = np.array([warmth_factor(request.rated_a, k.unit_c) for k in request.known])
    amps = np.array([k.output_a for k in request.known]) / warm
    u = np.array([k.u_a if k.u_a is not None else MAKER_SHARE * k.output_a for k in request.known]) / warm
    begin = np.log([USUAL_CUT_IN_RPM, request.rated_a * 1.08, USUAL_SOFTNESS])
    prior = np.array([CUT_IN_SPREAD, TOP_SPREAD, SOFTNESS_SPREAD])
    sigma = np.ones_like(amps)

    def left(q: Floats) -> Floats:
        fits = (machine_a(rpm, *np.exp(q).tolist()) - amps) / sigma
        return np.concatenate([fits, (q - begin) / prior])

    at = begin
    for _ in range(3):
        # An error of the speed is one of the current where the curve is steep; how steep, the round before has shown.
        now = machine_a(rpm, *np.exp(at).tolist())
        faster = machine_a(rpm * (1 + SPEED_SHARE / COVERAGE), *np.exp(at).tolist())
        sigma = np.sqrt((u / COVERAGE) ** 2 + (faster - now) ** 2 + (MISFIT * amps) ** 2 + (0.002 * request.rated_a) ** 2)
        solution = least_squares(left, at)
        at = solution.x
    return _Fit(np.asarray(solution.x), np.linalg.inv(solution.jac.T @ solution.jac))


def output_curve(request: OutputRequest) -> OutputView:
    """A unit's output over speed, with between what it lies.

    request: kind, rating, how to go about it, and what is known
    Returns the curve at 25 degC, the band in which nineteen of twenty such units lie, and what to say of it.
    Raises OutputProblemError for what does not go together.
    Source: fitted: `machine_a` by least squares with what is usual beside it; the two points of ISO 8854 are two that are known.

    >>> two = (KnownOutput(shaft_rpm=1800, output_a=70), KnownOutput(shaft_rpm=6000, output_a=170))
    >>> seen = output_curve(OutputRequest(rated_a=170, basis=OutputBasis(how="fitted", known=two)))
    >>> at = {p.shaft_rpm: p for p in seen.points}
    >>> abs(at[1800].output_a - 70) < 3, at[1800].low_a < 70 < at[1800].high_a
    (True, True)
    """
    _check(request)
    hot, how = warmth_factor(request.rated_a, source_table().hot_c), request.basis.how if request.basis else "shape"
    fit = _fit(request) if how == "fitted" else None
    if fit is not None:
        cut_in = round(float(np.exp(fit.mean[0])))
        rpm = np.array(sorted({cut_in, *GRID_RPM}), dtype=float)
        mean, spread = fit.at(rpm), COVERAGE * fit.spread_a(rpm)
    else:
        curve = _as_known(request)
        rpm = np.array([p.shaft_rpm for p in curve] or GRID_RPM)
        mean = np.asarray(
            output_limit_a(request.rated_a, rpm, source_table().reference_c, curve, request.kind == "permanent_magnet")
        )
        spread = (MAKER_SHARE if curve else COVERAGE * TOP_SPREAD / 2) * mean
        cut_in = round(float(rpm[np.flatnonzero(mean > 0)[0]])) if (mean > 0).any() else round(float(rpm[-1]))
    points = tuple(
        OutputPoint(
            shaft_rpm=float(n), output_a=round(float(a), 1), low_a=round(max(float(a - s), 0.0), 1), high_a=round(float(a + s), 1),
            hot_a=round(float(a) * hot, 1),
        )
        for n, a, s in zip(rpm, mean, spread, strict=True)
    )  # fmt: skip
    kept = tuple(CurvePoint(shaft_rpm=p.shaft_rpm, output_a=p.output_a) for p in points) if how != "shape" else ()
    rated = float(
        output_limit_a(request.rated_a, RATED_RPM, source_table().reference_c, kept, request.kind == "permanent_magnet")
    )
    findings = [*_of_rating(request, rated), *(_of_readings(request, fit) if fit is not None else ())]
    return OutputView(
        points=points, curve=kept, cut_in_rpm=cut_in, rated_a=round(rated, 1), reference_c=source_table().reference_c,
        hot_c=source_table().hot_c, findings=by_severity(findings),
    )  # fmt: skip


def output_spread(unit: Alternator, shaft_rpm: float) -> float:
    """By what share of it such units differ from what this one's curve says at a speed, as a standard deviation.

    unit: the circuit's; shaft_rpm: speed of its shaft [1/min]
    Of a fitted curve as `output_curve` has its band; of points that were entered what makers' points are good for; of the usual shape
    what units of one rating differ by.
    Source: as `output_curve`.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> unit = front_battery(12).alternator
    >>> points = (CurvePoint(shaft_rpm=1500, output_a=40), CurvePoint(shaft_rpm=6000, output_a=90))
    >>> output_spread(unit, 2000), output_spread(unit.model_copy(update={"curve": points}), 2000)
    (0.1, 0.025)
    """
    basis = unit.curve_basis
    if not unit.curve:
        return TOP_SPREAD / 2
    if basis is None or basis.how == "points":
        return MAKER_SHARE / COVERAGE
    fit = _fit(OutputRequest(kind=unit.kind, rated_a=unit.rated_a, basis=basis))
    rpm = np.array([shaft_rpm])
    mean = float(fit.at(rpm)[0])
    return float(fit.spread_a(rpm)[0]) / mean if mean > 0 else TOP_SPREAD / 2


def _as_known(request: OutputRequest) -> tuple[CurvePoint, ...]:
    """What is known as a curve, each point at 25 degC."""
    return tuple(
        CurvePoint(shaft_rpm=k.shaft_rpm, output_a=k.output_a / warmth_factor(request.rated_a, k.unit_c)) for k in request.known
    )


def _check(request: OutputRequest) -> None:
    if request.basis is None:
        return
    known, fitted = request.known, request.basis.how == "fitted"
    if fitted and request.kind == "permanent_magnet":
        raise OutputProblemError(
            "how", "The formula is that of a wound field, which a regulator drives full: for a magnet, enter its points."
        )
    if len(known) < (1 if fitted else 2) or not any(k.output_a > 0 for k in known):
        raise OutputProblemError(
            "known",
            "Enter one point at least at which it gives something."
            if fitted
            else "Straight lines take two points at least, and an output at one of them.",
        )
    for a, b in pairwise(known):
        if not fitted and a.shaft_rpm == b.shaft_rpm:
            raise OutputProblemError("known", f"Two points are of {a.shaft_rpm:g} /min: straight lines go through one of them.")


SOURCE = "Output at full field; ISO 8854 for the speed of the rating, from memory"
FAR_FROM_RATING = 0.1
CLOSE = 4 / 3
"""Our choices, no source."""


def _of_rating(request: OutputRequest, rated: float) -> list[Finding]:
    """A curve that does not come to what the nameplate says."""
    share = rated / request.rated_a - 1
    if request.basis is None or abs(share) <= FAR_FROM_RATING:
        return []
    return [
        Finding(
            "not_its_rating",
            Severity.WARNING,
            None,
            f"The curve gives {rated:.0f} A where the nameplate says {request.rated_a:g} A",
            f"{abs(share):.0%} {'less' if share < 0 else 'more'} at {RATED_RPM:.0f} /min. A worn unit, another than its plate says, or readings "
            "that were not at full field: load it until the voltage falls below its set point.",
            f"Within {FAR_FROM_RATING:.0%} of its rating, both at 25 °C.",
            SOURCE,
        )
    ]


def _of_readings(request: OutputRequest, fit: _Fit) -> list[Finding]:
    """Readings that no such machine gives together."""
    findings: list[Finding] = []
    if request.known[-1].shaft_rpm < CLOSE * request.known[0].shaft_rpm:
        findings.append(
            Finding(
                "one_speed",
                Severity.NOTE,
                None,
                "All that is known is of about one speed",
                "What it gives at others follows from what such units usually do: the band says how surely. Read it at idle and at speed.",
                f"Two speeds, the faster at least {CLOSE:.2g} times the slower, say what a curve does between.",
                SOURCE,
            )
        )
    off = [(k, expected) for k in request.known if (expected := _expected(request, fit, k)) is not None]
    if len(off) > 1:
        findings.append(
            Finding(
                "not_one_machine",
                Severity.WARNING,
                None,
                f"{len(off)} of {len(request.known)} points do not go with one another",
                "No one unit gives them all. Was each at full field, was the clamp zeroed, was the shaft's speed read at the same moment?",
                "One machine gave all of them.",
                SOURCE,
            )
        )
    findings += [
        Finding(
            "off_the_curve",
            Severity.WARNING,
            None,
            f"{k.output_a:g} A at {k.shaft_rpm:.0f} /min does not go with the others",
            f"They say {expected:.0f} A there. Was it at full field, was the clamp zeroed, was the shaft's speed read at the same moment?",
            "One machine gave all of them.",
            SOURCE,
        )
        for k, expected in (off if len(off) == 1 else ())
    ]
    return findings


def _expected(request: OutputRequest, fit: _Fit, known: KnownOutput) -> float | None:
    """What the others say of a point, where that is not what was read [A]."""
    at, warm = np.array([known.shaft_rpm]), warmth_factor(request.rated_a, known.unit_c)
    expected, spread = float(fit.at(at)[0]) * warm, float(fit.spread_a(at)[0]) * warm
    u_a = known.u_a if known.u_a is not None else MAKER_SHARE * known.output_a
    return expected if abs(known.output_a - expected) > COVERAGE * float(np.hypot(spread, u_a / COVERAGE)) else None

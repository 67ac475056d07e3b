"""How likely a reading is with a hypothesis: its meter, how much vehicles differ, and that any reading may be a slip."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from mavrik.core.findings.densities import normal_density
from mavrik.core.findings.faults import fault_table
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.bench_states import RUNNING, BenchState
from mavrik.core.procedures import Point

Floats = NDArray[np.float64]

Terms: TypeAlias = tuple[float, float, float, float]

USUAL_RANGE = 100.0
"""Where a slip of a quantity without a range of its own may lie, in its unit. Our choice, no source."""

USUAL_SHARE = 0.1
"""How far a sound vehicle's reading of a quantity without a figure of its own lies from its prediction. Our choice, no source."""


LEAST_WRONG = 0.005
"""No answer is surer. Our choice, no source."""

FLOATING_V = 3.0
"""What is left with a stud that nothing feeds is below this: what leaks to it, and what the meter takes. Common practice, no source."""


def scatter_terms(point: Point) -> Terms:
    """A reading round what it should be with all unknowns known: the part of its standard deviation that goes with the reading, of
    itself, the part that is always there, in the unit of its quantity, what it has for each volt below `FLOATING_V`, and what a drop has
    for each of the first so many volts beyond: over what is open there is all the voltage but for what leaks.
    What moves several readings together is an unknown.

    point: what is read
    Source: the catalogue's data file.
    """
    s, state, quantity = fault_table().scatter, point.state, point.quantity
    if quantity == "resistance":
        return s["contact_share"], s["contact_ohm"], 0.0, 0.0
    if quantity == "voltage_drop" and point.unheld:
        return s["probe_share"], s["unheld_v"], 0.0, s["unheld_share"]
    if quantity == "voltage_drop":
        return s["cranking_drop_share" if state is BenchState.CRANKING else "probe_share"], s["probe_v"], 0.0, s["floating_share"]
    if quantity == "voltage":
        by_state = {
            BenchState.REST: "rest_v",
            BenchState.KEY_ON: "key_on_v",
            BenchState.BATTERY_LOAD: "battery_load_v",
            BenchState.CRANKING: "cranking_v",
        }
        floats = point.may_float or state is BenchState.KEY_ON
        left = s["unheld_share"] if point.unheld else s["floating_share"] if floats else 0.0
        return 0.0, s[by_state.get(state, "voltage_v")], left, 0.0
    if quantity == "current" and point.signed and state in RUNNING:
        # What a battery takes falls while one looks at it.
        return s["taken_share"], s["output_a"], 0.0, 0.0
    if quantity == "current":
        return s["output_share"], s["output_a"], 0.0, 0.0
    if quantity == "drain_current":
        return s["drain_share"], s["drain_a"], 0.0, 0.0
    if quantity == "ripple":
        return s["ripple_share"], s["ripple_v"], 0.0, 0.0
    if quantity == "speed":
        return s["shaft_share"], s["stands_rpm"], 0.0, 0.0
    if quantity == "stated_current":
        # A plate says it to the ampere, a conductance tester roughly.
        return (0.0, 1.0, 0.0, 0.0) if point.indicator else (s["tester_share"], 0.0, 0.0, 0.0)
    # A quantity that a new procedure brings is known as well as its registry says, and differs as much as most do.
    return USUAL_SHARE, point.kind.last_digit, 0.0, 0.0


def scatter_by(terms: Floats | Terms, predicted: Floats) -> Floats:
    """Standard deviation of readings round their predictions, all unknowns known.

    terms: of each reading, `scatter_terms`; predicted: in the units of their quantities

    >>> scatter_by((0.01, 0.001, 0.0, 0.0), np.array([0.2]))
    array([0.003])
    """
    share, always, floating, beyond = terms
    volts = np.abs(predicted)
    left = floating * np.maximum(FLOATING_V - volts, 0.0) + beyond * np.clip(volts - FLOATING_V, 0.0, FLOATING_V)
    return np.asarray(share * volts + always + left)


def own_scatter(point: Point, predicted: Floats) -> Floats:
    """Standard deviation of a reading round its prediction, all unknowns known, in the unit of its quantity.

    point: what is read; predicted: by each hypothesis
    """
    return scatter_by(scatter_terms(point), predicted)


def scatter_of(point: Point, predicted: Floats, sound: float) -> Floats:
    """The same with a fault's own spread round the magnitudes that the catalogue tries.

    sound: prediction with nothing broken
    """
    return np.asarray(np.hypot(own_scatter(point, predicted), fault_table().scatter["magnitude_share"] * (predicted - sound)))


def slip_density(point: Point, read: Measured | None = None) -> float:
    """How likely a slip of the probe gives just this reading, whatever the cause; 0 for a yes or a no.

    point: what is read; read: what it was; left out, anything usual
    Anywhere is as likely as anywhere else, but for a meter that shows nothing where it has lost what it looks at.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.procedures import procedure
    >>> shaft = next(p for p in procedure("idle_output").points(front_battery(12)) if p.indicator == "shaft")
    >>> slip_density(shaft, Measured(0.0, 0.0)) > 50 * slip_density(shaft, Measured(900.0, 0.0)) == 50 * slip_density(shaft)
    True
    """
    table = fault_table()
    if point.kind.yes_or_no:
        return 0.0
    anywhere = table.misread_share / table.misread_range.get(point.quantity, USUAL_RANGE)
    nothing = table.misread_nothing.get(point.quantity)
    if nothing is None or read is None:
        return anywhere
    sigma = np.hypot(own_scatter(point, np.zeros(1)), read.uncertainty / COVERAGE)
    return anywhere + table.misread_share * nothing * float(normal_density(np.array([read.value]), sigma)[0])


def wrong_share(point: Point) -> float:
    """How often a yes or a no is wrong."""
    return fault_table().scatter.get(f"{point.indicator}_wrong", fault_table().misread_share)


def chance_of_yes(point: Point, predicted: Floats) -> Floats:
    """How likely the answer is yes.

    point: a yes or a no; predicted: by hypothesis, 1 or 0, between them what is noticed so often, and beyond them what is plainer than most;
    any answer may be wrong

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.procedures import procedure
    >>> asked = procedure("driver").points(front_battery(12))[0]
    >>> chance_of_yes(asked, np.array([0.0, 0.5, 1.0])).round(2).tolist()
    [0.02, 0.5, 0.98]
    """
    wrong = wrong_share(point)
    return np.asarray(np.clip(wrong + (1 - 2 * wrong) * predicted, LEAST_WRONG, 1 - LEAST_WRONG))


def log_likelihood(points: Sequence[Point], predicted: Floats, measured: Sequence[Measured]) -> Floats:
    """Logarithm of how likely each reading is with each hypothesis (hypotheses, points).

    points, measured: what was read; predicted: by hypothesis, nothing broken first
    Each reading is known to its meter and to how much vehicles differ; any of them may be a slip of the probe, at a small
    share of all readings. Source: Bayes' rule with a normal error and a flat one for slips.
    """
    table = fault_table()
    logs = np.zeros(predicted.shape)
    for k, (point, read) in enumerate(zip(points, measured, strict=True)):
        column = predicted[:, k]
        if point.kind.yes_or_no:
            yes = chance_of_yes(point, column)
            logs[:, k] = np.log(yes if read.value > 0.5 else 1 - yes)
            continue
        sigma = np.hypot(scatter_of(point, column, column[0]), read.uncertainty / COVERAGE)
        known = np.isfinite(column) & np.isfinite(sigma)
        sigma = np.where(known, sigma, 1.0)
        off = read.value - np.where(known, column, 0.0)
        normal = np.where(known, normal_density(off, sigma), 0.0)
        logs[:, k] = np.log((1 - table.misread_share) * normal + slip_density(point, read))
    return logs

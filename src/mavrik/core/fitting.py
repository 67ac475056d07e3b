"""Where the milliohms are: the resistances of branches, fitted to what a drop test read, with their confidence."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy import optimize, stats

from mavrik.core.circuit import Circuit, Document
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.operating import Engine
from mavrik.core.procedures import BenchState, ohmic, state_of
from mavrik.core.uncertainty import COVERAGE, expanded_uncertainty

Floats = NDArray[np.float64]

CONFIDENCE = 0.95
PRIOR_SHARE, PRIOR_OHM = 1.0, 0.005
"""Before any reading a branch is taken as sound, give or take as much again and 5 mohm: enough for any reading to overrule."""

AMONG_SHARE = 1.2
"""A branch that the readings do not tell but pull so far above sound has too much, or one beside it has."""

TOLD_SHARE = 0.5
"""A branch is told by the readings where they leave at most so much of that doubt."""

HARDLY_LESS = 0.05
"""Of its interval: what is pulled away from sound by less is not pulled at all."""

CONTRADICT = 4.0
"""What is left is then twice what the meters explain."""

CARRIES_SHARE = 0.005
"""A branch that carries less of the output is not looked at."""

AS_SOUND_SHARE = 0.02
LEAST_OHM = 1e-6
STEP = 0.01


@dataclass(frozen=True)
class FittedBranch:
    """One branch: sound, and as the readings have it, at 20 degC."""

    branch_id: str
    label: str
    sound_mohm: float
    fitted_mohm: float
    low_mohm: Annotated[float, Field(description="Lower end of the 95 % interval [mohm]")]
    high_mohm: float
    told: Annotated[bool, Field(description="Whether the readings tell it, or it is mostly as assumed")]
    too_much: Annotated[bool, Field(description="The whole interval lies above sound")]
    among: Annotated[bool, Field(description="It or another beside it has too much: the readings do not tell which")]


class Fit(Document):
    """All branches of a circuit, those with the most too much first."""

    branches: tuple[FittedBranch, ...]
    readings: int
    misfit: Annotated[float, Field(description="Sum of squares of what is left, over the readings; about 1 or less fits")]
    contradict: Annotated[bool, Field(description="No resistances fit all of the readings")]
    words: str


@dataclass(frozen=True)
class _Observed:
    """What was read, in the order of the network's answer."""

    plus: NDArray[np.int64]
    minus: NDArray[np.int64]
    resistor: NDArray[np.int64]
    """Rows of the branches whose currents were read, behind the drops."""
    value: Floats
    sigma: Floats


def _observed(engine: Engine, test: DropTest) -> _Observed:
    circuit, net = engine.circuit, engine.network
    alternator, battery = circuit.alternator, circuit.battery
    sides = {
        Quantity.FEED_DROP: (alternator.stud_node, battery.positive_node),
        Quantity.RETURN_DROP: (battery.negative_node, alternator.case_node),
    }
    at = {r.id: k for k, r in enumerate(net.resistors)}
    plus, minus, value, u = [], [], [], []
    currents: list[tuple[int, float, float]] = []
    for reading in test.readings:
        if reading.quantity in sides:
            ends = sides[reading.quantity]
        elif reading.branch_id not in at:
            continue
        elif reading.quantity is Quantity.BRANCH_CURRENT:
            amps = expanded_uncertainty(reading.value, test.clamp.spec) / COVERAGE
            currents.append((at[reading.branch_id], reading.value, amps))
            continue
        else:
            branch = circuit.branch(reading.branch_id)
            ends = (branch.from_node, branch.to_node)
        plus.append(net.row[ends[0]])
        minus.append(net.row[ends[1]])
        value.append(reading.value)
        u.append(expanded_uncertainty(reading.value, test.voltmeter.spec) / COVERAGE)
    return _Observed(
        np.array(plus, dtype=np.int64),
        np.array(minus, dtype=np.int64),
        np.array([k for k, _, _ in currents], dtype=np.int64),
        np.array(value + [v for _, v, _ in currents], dtype=float),
        np.array(u + [s for _, _, s in currents], dtype=float),
    )


def fit_resistances(circuit: Circuit, test: DropTest) -> Fit:
    """Fit the resistances of a circuit's branches to a drop test, by least squares.

    circuit: the document; what was measured of it before is left aside
    test: drops, sides and currents read at a known output
    Returns every branch that carried current with its resistance at 20 degC and 95 % interval. Branches that the readings do
    not tell stay near their sound value, with the doubt that is left. The clamp's error on the output is part of the interval.
    Raises CircuitError for a circuit that cannot be computed, ValueError for a test without a drop.
    Source: least squares (scipy) on the network's solution, weighted by the meters' uncertainty (JCGM 100), with a wide prior
    round the sound value; intervals from the curvature.

    >>> from mavrik.core.layouts import front_battery
    >>> from mavrik.core.measurement import Instrument, Reading
    >>> def meter(kind, resolution):
    ...     return Instrument(id=kind, label=kind, kind=kind, percent_of_reading=0, digits=1, resolution=resolution)
    >>> drop = Reading(quantity="branch_drop", branch_id="mount", value=0.48)
    >>> given = DropTest(output_current_a=80, engine_speed_rpm=2000, voltmeter=meter("voltmeter", 0.001), clamp=meter("clamp", 0.1), readings=(drop,))
    >>> worst = fit_resistances(front_battery(12), given).branches[0]
    >>> worst.branch_id, round(worst.fitted_mohm, 1), worst.told
    ('mount', 6.0, True)
    """
    sound = ohmic(circuit)
    conditions = {"engine_space_c": test.engine_space_c, "ambient_c": test.ambient_c, "engine_rpm": test.engine_speed_rpm}
    state = state_of(BenchState.AT_OUTPUT, sound, test.output_current_a).model_copy(update=conditions)
    engine = Engine(sound, state)
    net, values = engine.network, engine.values()
    seen = _observed(engine, test)
    if not len(seen.value):
        raise ValueError("There is no drop among the readings to fit resistances to.")
    ohm = np.asarray(values.resistor_ohm, dtype=float)
    ids = {b.id for b in sound.branches}
    rows = np.array([k for k, r in enumerate(net.resistors) if r.id in ids], dtype=np.int64)
    start = ohm[rows]
    doubt = PRIOR_SHARE * start + PRIOR_OHM
    amps_u = expanded_uncertainty(test.output_current_a, test.clamp.spec) / COVERAGE / test.output_current_a

    def read(many: Floats) -> Floats:
        every = np.tile(ohm, (len(many), 1))
        every[:, rows] = many
        found = net.solve_many(replace(values, resistor_ohm=every))
        return np.concatenate(
            (found.node_v[:, seen.plus] - found.node_v[:, seen.minus], found.resistor_a[:, seen.resistor]), axis=1
        )

    def off(x: Floats) -> Floats:
        return np.concatenate(((read(x[None])[0] - seen.value) / sigma, (x - start) / doubt))

    def slopes(x: Floats) -> Floats:
        step = STEP * x
        answers = read(np.concatenate((x[None], x + np.diag(step))))
        return np.concatenate(((answers[1:] - answers[0]).T / step / sigma[:, None], np.diag(1 / doubt)))

    sigma = np.maximum(seen.sigma, 1e-9)
    found = optimize.least_squares(
        off, start, slopes, bounds=(LEAST_OHM, np.inf), x_scale=doubt, xtol=1e-10, ftol=1e-10, gtol=1e-10
    )
    x, tangent = np.asarray(found.x, dtype=float), slopes(found.x)
    curvature = tangent.T @ tangent
    left = (seen.value - read(x[None])[0]) / sigma
    deviation = np.sqrt(np.diag(np.linalg.inv(curvature)) + (amps_u * x) ** 2)
    reach = float(stats.norm.ppf(0.5 + CONFIDENCE / 2)) * deviation
    amps = net.settle(replace(values, resistor_ohm=_with(ohm, rows, x))).answer.resistor_a[0, rows]
    return _fit(
        sound, engine, rows, x, reach, deviation <= TOLD_SHARE * doubt, np.abs(amps) > CARRIES_SHARE * test.output_current_a, left
    )


def _with(ohm: Floats, rows: NDArray[np.int64], own: Floats) -> Floats:
    changed = ohm.copy()
    changed[rows] = own
    return changed


def _fit(
    circuit: Circuit,
    engine: Engine,
    rows: NDArray[np.int64],
    x: Floats,
    reach: Floats,
    told: NDArray[np.bool_],
    carries: NDArray[np.bool_],
    left: Floats,
) -> Fit:
    as_sound_ohm = np.asarray(engine.values().resistor_ohm, dtype=float)
    found = []
    for k, row in enumerate(rows.tolist()):
        if not carries[k]:
            continue
        branch = circuit.branch(engine.network.resistors[row].id)
        at_20c = branch.sound_resistance_ohm(20.0)
        # What a warm branch has over a cold one is the metal's, and sound.
        warmer = float(as_sound_ohm[row]) - at_20c
        own = max(float(x[k]) - warmer, LEAST_OHM)
        low, high = max(own - float(reach[k]), 0.0), own + float(reach[k])
        sure = bool(told[k])
        found.append(
            FittedBranch(
                branch.id, branch.label, at_20c * 1000, own * 1000, low * 1000, high * 1000, sure, sure and low > at_20c,
                not (sure and low > at_20c) and own > AMONG_SHARE * at_20c and own - at_20c > HARDLY_LESS * float(reach[k]),
            )
        )  # fmt: skip
    found.sort(key=lambda f: f.sound_mohm - f.fitted_mohm if f.told or f.among else 0.0)
    bad, among = [f for f in found if f.too_much], [f for f in found if f.among]
    misfit = float(left @ left) / len(left)
    said = []
    if bad:
        said.append(
            "Too much lies in "
            + "; ".join(f"{f.label}: {f.fitted_mohm:.1f} mΩ instead of {f.sound_mohm:.1f} mΩ" for f in bad[:3])
            + "."
        )
    if among:
        names = ", ".join(f.label for f in among)
        said.append(
            f"Too much lies among {names}; the drops alone do not tell which. Read the current through one of them with the clamp."
            if len(among) > 1
            else f"{names} may have too much; read it more closely."
        )
    words = " ".join(said) or "No branch that was read has more than a sound one, within what the meters know."
    contradict = misfit > CONTRADICT
    if contradict:
        words += " The readings contradict each other: no resistances fit them all. Read again what does not add up."
    return Fit(branches=tuple(found), readings=len(left), misfit=misfit, contradict=contradict, words=words)


def with_fitted(circuit: Circuit, fit: Fit) -> Circuit:
    """The circuit with the resistances that fit the readings; branches that stay as good as sound keep none.

    circuit: the document; fit: of a test on it
    Branches that only together are told go in together: alone, none of them would give back what was read.
    """
    told = {
        f.branch_id: f.fitted_mohm
        for f in fit.branches
        if f.told or abs(f.fitted_mohm - f.sound_mohm) > AS_SOUND_SHARE * f.sound_mohm
    }
    branches = (b.model_copy(update={"measured_mohm": round(told[b.id], 4)}) if b.id in told else b for b in circuit.branches)
    return circuit.model_copy(update={"branches": tuple(branches)})

"""Which fault explains the readings, how surely, and which next test would tell most."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from mavrik.core.circuit import Circuit, Document
from mavrik.core.diagnosis.drop_test import asks_of_test
from mavrik.core.diagnosis.hypotheses import NOTHING, Hypothesis, both, fault_table, hypotheses
from mavrik.core.diagnosis.predictions import BenchModel
from mavrik.core.measurement import DropTest
from mavrik.core.procedures import PROCEDURES, Ask, BenchState, Procedure, Taken, Unit
from mavrik.core.procedures.states import IDLE_RPM
from mavrik.core.uncertainty import COVERAGE

Floats = NDArray[np.float64]
FIRSTS, SECONDS = 4, 12
"""So many of the likeliest causes are tried beside so many others."""

PAIRS = 96
"""So many of those pairs are solved."""

SHOWN = 8
SAMPLES = 120
KEPT = 60
"""Hypotheses that the value of a further test is reckoned over."""

DOUBTFUL = 0.6
"""A reading that is so likely a slip is asked to be taken again."""

DEFICIT_A = 1.0
"""What batteries give at idle below this is within what nobody knows of the loads."""

TELLS = 1.0
"""A reading is evidence where it moves the odds by this much at least, in natural logarithms."""


@dataclass(frozen=True)
class Evidence:
    """One reading beside what a cause and what a sound circuit would let it be."""

    ask: str
    label: str
    unit: str
    value: float
    expected: Annotated[float, Field(description="With this cause")]
    sound: Annotated[float, Field(description="With nothing broken")]
    favours: Annotated[float, Field(description="Above 0 for the cause, below 0 against it: natural logarithm of the odds")]


@dataclass(frozen=True)
class Cause:
    """One cause with its probability and what speaks for and against it."""

    cause: str
    kind: str
    element: str
    label: str
    advice: str
    probability: float
    magnitude: str
    evidence: tuple[Evidence, ...]


@dataclass(frozen=True)
class NextTest:
    """A procedure not made yet, and what it would tell."""

    procedure: str
    title: str
    why: str
    minutes: float
    bits: Annotated[float, Field(description="Expected information about the cause [bit]")]


@dataclass(frozen=True)
class Doubt:
    """A reading that no likely cause explains: more likely a slip of the probe, a range or a decimal point."""

    ask: str
    label: str
    unit: str
    value: float
    expected: Annotated[float, Field(description="With the likeliest cause")]
    probability: Annotated[float, Field(description="That it is a slip")]


class Diagnosis(Document):
    """The ranked causes and the next tests."""

    readings: int
    causes: tuple[Cause, ...]
    doubtful: tuple[Doubt, ...] = Field(description="Readings to be taken again")
    together: tuple[str, ...] = Field(description="Labels of two faults that explain the readings better than any one")
    next_tests: tuple[NextTest, ...]
    headline: str


def scatter_of(ask: Ask, predicted: Floats, sound: float) -> Floats:
    """Standard deviation of a sound vehicle's reading round its prediction, and of a fault's round its grid.

    ask: the reading; predicted: by each hypothesis; sound: with nothing broken
    Source: the catalogue's data file.
    """
    s = fault_table().scatter
    size = np.abs(predicted)
    if ask.unit is Unit.MILLIOHM:
        own = s["contact_share"] * size + s["contact_mohm"]
        return np.asarray(np.hypot(own, s["magnitude_share"] * (predicted - sound)))
    if ask.sign == "plate":
        return np.asarray(np.hypot(1.0, s["magnitude_share"] * (predicted - sound)))
    if ask.sign == "shaft":
        own = s["shaft_share"] * size
    elif ask.sign == "ripple":
        own = s["ripple_share"] * size + s["ripple_v"]
    elif ask.unit is Unit.AMPERE:
        own = s["output_share"] * size + (s["drain_a"] if ask.state is BenchState.ASLEEP else s["output_a"])
    elif ask.state is BenchState.CRANKING:
        own = s["cranking_drop_share"] * size + s["drop_v"] if ask.drop else np.full_like(size, s["cranking_v"])
    elif ask.drop:
        own = s["drop_share"] * size + s["drop_v"]
    else:
        volts = {
            BenchState.REST: s["rest_v"],
            BenchState.KEY_ON: s["key_on_v"],
            BenchState.BATTERY_LOAD: s["battery_load_v"],
        }.get(ask.state, s["voltage_v"])
        own = np.full_like(size, volts)
    return np.asarray(np.hypot(own, s["magnitude_share"] * (predicted - sound)))


def log_likelihood(asks: Sequence[Ask], predicted: Floats, taken: Mapping[str, Taken]) -> Floats:
    """Logarithm of how likely each reading is with each hypothesis (hypotheses, asks).

    Each reading is known to its meter and to how much vehicles differ; any of them may be a slip of the probe, at a small
    share of all readings. Source: Bayes' rule with a normal error and a flat one for slips.
    """
    table = fault_table()
    found = np.zeros(predicted.shape)
    for k, ask in enumerate(asks):
        read = taken[ask.id]
        if ask.unit is Unit.YES_NO:
            wrong = table.scatter[f"{ask.sign}_wrong"]
            found[:, k] = np.log(np.where((predicted[:, k] > 0.5) == (read.value > 0.5), 1 - wrong, wrong))
            continue
        sigma = np.hypot(scatter_of(ask, predicted[:, k], predicted[0, k]), read.uncertainty / COVERAGE)
        off = np.where(np.isnan(predicted[:, k]), np.inf, (read.value - predicted[:, k]) / np.where(np.isnan(sigma), 1.0, sigma))
        normal = np.exp(-0.5 * off**2) / (np.where(np.isnan(sigma), 1.0, sigma) * np.sqrt(2 * np.pi))
        found[:, k] = np.log((1 - table.misread_share) * normal + _slip(ask))
    return found


def _slip(ask: Ask) -> float:
    """How likely a slip of the probe gives just this reading, whatever the cause; 0 for a yes or a no."""
    table = fault_table()
    return 0.0 if ask.unit is Unit.YES_NO else table.misread_share / table.misread_range[ask.unit]


def _doubts(
    asks: Sequence[Ask], told: Floats, posterior: Floats, predicted: Floats, taken: Mapping[str, Taken]
) -> tuple[Doubt, ...]:
    """Readings that are slips rather than not, over all causes by their probability; the surest first."""
    best = int(np.argmax(posterior))
    found = []
    for k, ask in enumerate(asks):
        slip = float(posterior @ (_slip(ask) / np.exp(told[:, k])))
        if slip > DOUBTFUL:
            expected = float(np.nan_to_num(predicted[best, k]))
            found.append(Doubt(ask.id, ask.label, ask.unit, taken[ask.id].value, expected, min(slip, 1.0)))
    return tuple(sorted(found, key=lambda d: -d.probability))


def _share(weights: Floats) -> Floats:
    grown = np.exp(weights - weights.max())
    return np.asarray(grown / grown.sum())


def rest_voltages(circuit: Circuit, taken: Mapping[str, Taken]) -> dict[str, float]:
    """Volts read at rest, by battery: how charged each really is.

    circuit: the document; taken: readings
    Batteries that read the same within what the meter knows are taken as equal: those in parallel have equalised, and a
    difference that is only the meter's would drive amperes between them.
    """
    read = {b.id: taken[f"rest_v:{b.id}"] for b in circuit.batteries if f"rest_v:{b.id}" in taken}
    volts = {}
    for own, mine in read.items():
        alike = [t.value for t in read.values() if abs(t.value - mine.value) <= np.hypot(t.uncertainty, mine.uncertainty)]
        volts[own] = float(np.mean(alike))
    return volts


def at_idle(circuit: Circuit, taken: Mapping[str, Taken]) -> dict[str, Taken]:
    """The readings with pulley speeds brought to the engine speed that the catalogue speaks of.

    circuit: the document; taken: readings
    A pulley speed says something beside the engine's only: without that it is left out.

    >>> from mavrik.core.layouts import front_battery
    >>> read = {"engine_rpm": Taken(750.0, 10.0), "shaft_rpm:alternator": Taken(1500.0, 10.0)}
    >>> at_idle(front_battery(12), read)["shaft_rpm:alternator"].value
    1600.0
    """
    found, engine = dict(taken), taken.get("engine_rpm")
    for name in (f"shaft_rpm:{a.id}" for a in circuit.alternators):
        read = found.pop(name, None)
        if read is not None and engine is not None and engine.value > 0 and read.value > 0:
            value = read.value * IDLE_RPM / engine.value
            share = float(np.hypot(read.uncertainty / read.value, engine.uncertainty / engine.value))
            found[name] = Taken(value, share * value)
    return found


def diagnose(
    circuit: Circuit, taken: Mapping[str, Taken], procedures: Sequence[Procedure] = PROCEDURES, test: DropTest | None = None
) -> Diagnosis:
    """Rank the faults of the catalogue by how well they explain what was read.

    circuit: the document, as it should be when sound
    taken: readings with their expanded uncertainties, by ask id; those the circuit has no ask for are left out
    procedures: those that may be made next
    test: a charging drop test on the circuit, as further evidence
    Returns causes with probabilities that add up to 1 over single causes (two at once count for both), evidence for and
    against, and the procedures not yet made by expected information over their minutes.
    Raises CircuitError for a circuit that does not close.
    Source: the network solved for every hypothesis; Bayes' rule; expected information by Shannon's entropy.
    """
    read_ids = set(taken)
    taken = at_idle(circuit, taken)
    # What no fault of the catalogue predicts is judged by its own rule and says nothing here.
    of_procedure = {p.name: [a for a in p.asks(circuit) if not a.beside] for p in procedures}
    every = {a.id: a for asks in of_procedure.values() for a in asks}
    asks = [a for i, a in every.items() if i in taken]
    if test is not None:
        own, read = asks_of_test(circuit, test)
        asks, taken = [*asks, *own], {**taken, **read}
    model = BenchModel(circuit, rest_voltages(circuit, taken), output_a=test.output_current_a if test else None)
    # A rest voltage is judged against what the document says of the battery; all else starts from what was read.
    plain = BenchModel(circuit, checked=True)
    suspects = hypotheses(circuit)
    predicted = _predict(model, plain, asks, suspects)
    told = log_likelihood(asks, predicted, taken)
    weights = np.log([h.weight for h in suspects]) + told.sum(axis=1)
    if asks:
        pairs = _pairs(suspects, told, weights, asks, predicted, taken)
        # The first row is the circuit with nothing broken: what faults are measured against.
        more = _predict(model, plain, asks, [suspects[0], *pairs])
        also = log_likelihood(asks, more, taken)[1:]
        suspects, predicted, told = [*suspects, *pairs], np.concatenate((predicted, more[1:])), np.concatenate((told, also))
        weights = np.concatenate((weights, np.log([h.weight for h in pairs]) + also.sum(axis=1)))
    posterior = _share(weights)
    by_cause: dict[str, float] = defaultdict(float)
    for h, p in zip(suspects, posterior.tolist(), strict=True):
        for cause in h.causes:
            by_cause[cause] += p
    ranked = sorted(by_cause.items(), key=lambda c: -c[1])[:SHOWN]
    causes = tuple(_cause(circuit, cause, p, suspects, posterior, asks, told, predicted, taken) for cause, p in ranked)
    causes = tuple(replace(c, magnitude=_budget(model)) if c.cause == NOTHING else c for c in causes)
    best = suspects[int(np.argmax(posterior))]
    together = tuple(_label(circuit, c)[0] for c in best.causes) if len(best.causes) > 1 else ()
    left = {name: [a for a in own if a.id not in read_ids] for name, own in of_procedure.items()}
    following = _next_tests(model, plain, [p for p in procedures if left[p.name]], left, suspects, posterior)
    return Diagnosis(
        readings=len(asks),
        causes=causes,
        doubtful=_doubts(asks, told, posterior, predicted, taken),
        together=together,
        next_tests=following,
        headline=_headline(asks, causes, together, following),
    )


def _predict(model: BenchModel, plain: BenchModel, asks: Sequence[Ask], suspects: Sequence[Hypothesis]) -> Floats:
    found = np.zeros((len(suspects), len(asks)))
    for which, own in (
        (plain, [k for k, a in enumerate(asks) if a.state is BenchState.REST]),
        (model, [k for k, a in enumerate(asks) if a.state is not BenchState.REST]),
    ):
        if own:
            found[:, own] = which.predict([asks[k] for k in own], suspects)
    return found


def _pairs(
    suspects: list[Hypothesis],
    told: Floats,
    weights: Floats,
    asks: Sequence[Ask],
    predicted: Floats,
    taken: Mapping[str, Taken],
) -> list[Hypothesis]:
    """Two causes at once: the likeliest at their likeliest magnitude, beside each other suspect at all of its own.

    Those go on to be solved that explain the readings best as if what the two do to each reading just added up.
    """
    # What explains some reading far better than nothing broken does may be half of the truth, however it ranks alone.
    half = weights + np.maximum(told - told[0], 0).sum(axis=1)
    firsts = _best_of_each(suspects, weights, FIRSTS)
    seconds = {suspects[k].causes for k in _best_of_each(suspects, half, SECONDS)}
    found: list[tuple[int, int]] = []
    for k, i in enumerate(firsts):
        before = {suspects[j].causes for j in firsts[: k + 1]}
        found += [(i, j) for j, b in enumerate(suspects) if b.causes in seconds and b.causes not in before]
    if not found:
        return []
    first, second = np.array(found).T
    added = np.nan_to_num(predicted[first] + predicted[second] - predicted[0])
    guessed = log_likelihood(asks, np.concatenate((predicted[:1], added)), taken)[1:].sum(axis=1)
    prior = np.log([suspects[i].weight * suspects[j].weight for i, j in found])
    best = np.sort(np.argsort(-(guessed + prior))[:PAIRS])
    return [both(suspects[found[k][0]], suspects[found[k][1]], suspects[0].weight) for k in best.tolist()]


def _best_of_each(suspects: list[Hypothesis], weights: Floats, count: int) -> list[int]:
    """The likeliest hypothesis of each of the likeliest causes, nothing broken aside."""
    best: dict[str, int] = {}
    for k in np.argsort(-weights).tolist():
        cause = suspects[k].causes[0]
        if cause != NOTHING:
            best.setdefault(cause, k)
    return list(best.values())[:count]


def _label(circuit: Circuit, cause: str) -> tuple[str, str]:
    kind, element = cause.split(":", 1)
    label = next((e.label for e in circuit.elements if e.id == element), element)
    words, advice = fault_table().words[kind]
    return words.format(label=label), advice


def _budget(model: BenchModel) -> str:
    """What a sound circuit's batteries give at idle with everything on, in words: a budget that does not close is no fault."""
    into = [Ask(b.id, b.label, Unit.AMPERE, BenchState.IDLE_LOADED, element=b.id, signed=True) for b in model.circuit.batteries]
    net = float(model.predict(into, [Hypothesis((NOTHING,), 1.0)]).sum())
    if not net < -DEFICIT_A:
        return ""
    return f"but at idle with everything on the batteries give {-net:.0f} A: a budget, not a fault"


def _magnitude(h: Hypothesis, cause: str) -> str:
    element = cause.split(":", 1)[1]
    for c in h.changes:
        if c.element == element:
            if c.what == "more_ohm":
                return f"about {c.amount * 1000:g} mΩ too much"
            if c.what == "drain_a":
                return f"about {c.amount:g} A"
            if c.what == "ohm_share":
                return f"about {c.amount:g} times its internal resistance"
            if c.what == "set_point":
                return f"about {c.amount:+g} V"
            if c.what == "limit_share" and c.amount:
                return f"about {c.amount:.0%} of its output"
    return ""


def _cause(
    circuit: Circuit,
    cause: str,
    probability: float,
    suspects: list[Hypothesis],
    posterior: Floats,
    asks: Sequence[Ask],
    told: Floats,
    predicted: Floats,
    taken: Mapping[str, Taken],
) -> Cause:
    at = max((k for k, h in enumerate(suspects) if cause in h.causes), key=lambda k: posterior[k])
    kind, element = cause.split(":", 1)
    label, advice = _label(circuit, cause)
    evidence = []
    for k, ask in enumerate(asks):
        favours = float(told[at, k] - told[0, k])
        if abs(favours) >= TELLS:
            expected, sound = np.nan_to_num(predicted[[at, 0], k]).tolist()
            evidence.append(Evidence(ask.id, ask.label, ask.unit, taken[ask.id].value, expected, sound, favours))
    evidence.sort(key=lambda e: -abs(e.favours))
    return Cause(cause, kind, element, label, advice, probability, _magnitude(suspects[at], cause), tuple(evidence[:8]))


def _entropy(shares: Floats) -> Floats:
    return np.asarray(-(shares * np.log2(np.where(shares > 0, shares, 1.0))).sum(axis=-1))


def _next_tests(
    model: BenchModel,
    plain: BenchModel,
    open_procedures: Sequence[Procedure],
    left: Mapping[str, list[Ask]],
    suspects: list[Hypothesis],
    posterior: Floats,
) -> tuple[NextTest, ...]:
    """By sampling: draw a hypothesis, draw what it would read, see how much less open the cause then is."""
    order = np.argsort(-posterior)[:KEPT]
    if 0 not in order:
        order = np.append(order, 0)
    kept = [suspects[k] for k in order]
    share = posterior[order] / posterior[order].sum()
    names = sorted({"+".join(h.causes) for h in kept})
    member = np.array([[("+".join(h.causes) == n) for n in names] for h in kept], dtype=float)
    now = float(_entropy(share @ member))
    sound = order.tolist().index(0)
    rng = np.random.default_rng(20)
    drawn = rng.choice(len(kept), size=SAMPLES, p=share)
    found = []
    for p in open_procedures:
        asks = left[p.name]
        predicted = _predict(model, plain, asks, [kept[sound], *kept])
        told = np.zeros((SAMPLES, len(kept)))
        for k, ask in enumerate(asks):
            column = np.nan_to_num(predicted[1:, k])
            if ask.unit is Unit.YES_NO:
                wrong = fault_table().scatter[f"{ask.sign}_wrong"]
                seen = (column[drawn] > 0.5) ^ (rng.random(SAMPLES) < wrong)
                told += np.log(np.where((column[None, :] > 0.5) == seen[:, None], 1 - wrong, wrong))
                continue
            sigma = scatter_of(ask, column, float(np.nan_to_num(predicted[0, k])))
            read = column[drawn] + sigma[drawn] * rng.standard_normal(SAMPLES)
            told += -0.5 * ((read[:, None] - column) / sigma) ** 2 - np.log(sigma)
        told += np.log(share)
        after = np.exp(told - told.max(axis=1, keepdims=True))
        after /= after.sum(axis=1, keepdims=True)
        bits = max(now - float(_entropy(after @ member).mean()), 0.0)
        found.append(NextTest(p.name, p.title, p.why, p.minutes, bits))
    return tuple(sorted(found, key=lambda t: -t.bits / t.minutes))


def _headline(asks: Sequence[Ask], causes: Sequence[Cause], together: Sequence[str], following: Sequence[NextTest]) -> str:
    if not asks:
        return "Nothing measured yet." + (f" Begin with: {following[0].title}." if following else "")
    if together:
        return f"Two faults explain it best: {together[0]}; {together[1]}."
    best = causes[0]
    if best.probability >= 0.9:
        also = f", {best.magnitude}" if best.cause == NOTHING and best.magnitude else ""
        return f"{best.label}{also}: {best.probability:.0%} sure."
    then = f" Next: {following[0].title}." if following and following[0].bits > 0.05 else ""
    return f"Most likely {best.label[0].lower()}{best.label[1:]} ({best.probability:.0%}); not settled.{then}"

"""The ranked causes in words, what speaks for and against each, readings in doubt, and what the readings leave undecided."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import combinations

import networkx as nx
import numpy as np
from numpy.typing import NDArray

from mavrik.core.findings.bench_model import planned
from mavrik.core.findings.branches import of_mohm
from mavrik.core.findings.changes import What
from mavrik.core.findings.densities import normal_density
from mavrik.core.findings.documents import Cause, Doubt, Evidence, OneOf, SettledPart, Undecided
from mavrik.core.findings.faults import MENDS_NOTHING, NOTHING, UNKNOWN_KIND, bad_by, fault_table
from mavrik.core.findings.hypotheses import Hypothesis, Unnoted
from mavrik.core.findings.inference import Candidate, Posterior
from mavrik.core.findings.likelihood import slip_density
from mavrik.core.findings.turning import Turn
from mavrik.core.findings.unnoted import in_words
from mavrik.core.findings.words import MAY, label_of
from mavrik.core.measuring.uncertainty import COVERAGE
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures import Point

SHOWN = 8
DOUBTFUL = 0.6
"""A reading that is so likely a slip is asked to be taken again."""

DEFICIT_A = 1.0
"""What batteries give at idle below this is within what nobody knows of the loads."""

RIVALS = 0.3
"""Two branches are played off against one another where both of them, or neither, have too much less than so many times as often as if one
said nothing of the other. Our choice, no source."""

TELLS = 1.0
"""A reading is evidence where it moves the odds by this much at least, in natural logarithms."""

MOST_EVIDENCE = 8
NO_DENSITY = 1e-300


def _budget(posterior: Posterior) -> str:
    """What a sound circuit's batteries give at idle with everything on, in words, as read where all of it was: a budget that does not
    close is no fault."""
    circuit = posterior.model.document
    into = [Point(b.id, b.label, "current", BenchState.IDLE_LOADED, element=b.id, signed=True) for b in circuit.batteries]
    read = {
        o.point.element: o.measured.value
        for o in posterior.evidence
        if o.setup.state is BenchState.IDLE_LOADED and o.point.quantity == "current" and o.point.signed
    }
    if all(b.id in read for b in circuit.batteries):
        net = sum(read[b.id] for b in circuit.batteries)
    else:
        net = float(np.nan_to_num(posterior.model.predict(planned(into), [Hypothesis((NOTHING,), 1.0)])).sum())
    if not net < -DEFICIT_A:
        return ""
    return f"but at idle with everything on the batteries give {-net:.0f} A: a budget, not a fault"


Amount = tuple[str, float | None, float | None, float | None, str]
"""In words; the amount, its lower and upper end, and their unit, where it has them."""


def _amount(posterior: Posterior, cause: str, of: Candidate) -> Amount:
    """How much of a cause there is."""
    kind, element = cause.split(":", 1)
    estimate = posterior.estimates.get(element) if kind == "resistance" else None
    if estimate is not None and estimate.probability >= fault_table().probably:
        low = max(estimate.low_ohm, 0.0)
        words = f"{of_mohm(estimate.excess_ohm)} mΩ too much ({of_mohm(low)} to {of_mohm(estimate.high_ohm)} mΩ)"
        return words, estimate.excess_ohm, low, estimate.high_ohm, "Ω"
    for c in of.hypothesis.changes:
        if c.element != element or c.what is not fault_table().faults[kind].amount:
            continue
        if of.fitted is None:
            return "", None, None, None, ""
        amount, low, high = of.fitted.between(c)
        if c.what is What.MORE_OHM:
            words = f"{of_mohm(amount)} mΩ too much ({of_mohm(low)} to {of_mohm(high)} mΩ), if it is this one"
            return words, amount, low, high, "Ω"
        if c.what in (What.DRAIN_A, What.MORE_LOAD_A):
            return f"about {amount:.1f} A", amount, low, high, "A"
        if c.what is What.OHM_SHARE:
            return f"about {amount:.1f} times its internal resistance", amount, low, high, ""
        if c.what is What.TAKES_SHARE:
            return f"it takes a charge about {amount:.1f} times as slowly", amount, low, high, ""
        if c.what is What.UNLEVEL:
            return f"{amount * 1000:.0f} mV above them", amount, low, high, "V"
        if c.what is What.SET_POINT:
            return f"about {amount:+.1f} V", amount, low, high, "V"
        if c.what is What.SLIP:
            return f"about {max(amount, 0.0):.0%} of its speed lost", amount, low, high, ""
        return f"about {amount:.0%} of its output", amount, low, high, ""
    return "", None, None, None, ""


def _before(of: Candidate) -> NDArray[np.float64]:
    """Logarithm of how likely each reading was with a set of causes before any was read, each by itself, slips among them."""
    if of.fitted is None:
        return of.log_likelihoods
    logs, problem = of.log_likelihoods.copy(), of.fitted.problem
    seen, sd = of.fitted.expected()
    meter = np.array([problem.evidence[k].measured.uncertainty / COVERAGE for k in problem.smooth.tolist()])
    slip = np.array([slip_density(problem.evidence[k].point, problem.evidence[k].measured) for k in problem.smooth.tolist()])
    normal = (1 - fault_table().misread_share) * normal_density(problem.read - seen, np.hypot(sd, meter))
    logs[problem.smooth] = np.log(normal + slip)
    return logs


def _evidence(posterior: Posterior, of: Candidate) -> tuple[Evidence, ...]:
    """What speaks for and against: how much likelier each reading was with it than with nothing broken."""
    favouring = _before(of) - _before(posterior.sound)
    evidence = []
    for k, o in enumerate(posterior.evidence):
        favours = float(favouring[k])
        if abs(favours) >= TELLS:
            expected, usual = np.nan_to_num([of.predicted[k], posterior.nominal[k]]).tolist()
            evidence.append(Evidence(o.point.id, o.point.label, o.point.quantity, o.measured.value, expected, usual, favours))
    evidence.sort(key=lambda e: -abs(e.favours))
    return tuple(evidence[:MOST_EVIDENCE])


def ranked_causes(posterior: Posterior, turns: Mapping[str, Turn]) -> tuple[Cause, ...]:
    """The likeliest causes, each with its probability over all sets that it is part of.

    posterior: of all readings; turns: the reading that would turn each
    """
    circuit, read = posterior.model.document, {o.point.id for o in posterior.evidence}
    ranked = sorted(posterior.by_cause.items(), key=lambda c: -c[1])[:SHOWN]
    causes = []
    for cause, probability in ranked:
        of = max((c for c in posterior.candidates if cause in c.causes), key=lambda c: c.probability)
        kind, element = cause.split(":", 1)
        label, advice = label_of(circuit, cause, read)
        amount: Amount = (_budget(posterior), None, None, None, "") if cause == NOTHING else _amount(posterior, cause, of)
        causes.append(
            Cause(
                cause,
                kind,
                element,
                label,
                advice,
                min(probability, 1.0),
                *amount,
                _evidence(posterior, of),
                turns[cause].words if cause in turns else "",
                tuple(in_words(circuit, way) for way in Unnoted if way in of.hypothesis.unnoted),
            )
        )
    return tuple(causes)


def doubtful_readings(posterior: Posterior) -> tuple[Doubt, ...]:
    """Readings that are slips rather than not, over all causes by their probability; the surest first.

    posterior: of all readings
    """
    doubtful = []
    shares = np.array([c.probability for c in posterior.candidates])
    shares = shares / shares.sum()
    for k, o in enumerate(posterior.evidence):
        if any(bad_by(c, o.point.element) is What.OPEN for c in posterior.best.causes):
            # Over an open circuit there may be anything.
            continue
        log_likelihoods = np.array([c.log_likelihoods[k] for c in posterior.candidates])
        slip = float(
            shares @ np.exp(np.minimum(np.log(max(slip_density(o.point, o.measured), NO_DENSITY)) - log_likelihoods, 0.0))
        )
        if slip > DOUBTFUL:
            expected = float(np.nan_to_num(posterior.best.predicted[k]))
            doubtful.append(Doubt(o.point.id, o.point.label, o.point.quantity, o.measured.value, expected, min(slip, 1.0)))
    return tuple(sorted(doubtful, key=lambda d: -d.probability))


def undecided_sets(posterior: Posterior) -> tuple[Undecided, ...]:
    """Branches of which one at least is bad where the readings do not tell which, and those of which they do not tell whether.

    posterior: of all readings
    Those that the readings play off against one another are one set: where one is bad the other hardly is.
    """
    probably = fault_table().probably
    open_ids = [b for b, e in posterior.estimates.items() if e.read and 1 - probably < e.probability < probably]
    words = {b.id: b.label for b in posterior.model.document.branches}
    how = {b: max(by := posterior.bad_by(b), key=by.__getitem__) for b in open_ids}
    alone = {b: _share_with(posterior, all, [b]) for b in open_ids}
    rivals = nx.Graph()
    rivals.add_nodes_from(open_ids)
    for a, b in combinations(open_ids, 2):
        both, either = _share_with(posterior, all, (a, b)), _share_with(posterior, any, (a, b))
        if both < RIVALS * alone[a] * alone[b] or 1 - either < RIVALS * (1 - alone[a]) * (1 - alone[b]):
            rivals.add_edge(a, b)
    sets = []
    for together in nx.connected_components(rivals):
        ids = tuple(b for b in open_ids if b in together)
        if len(ids) == 1:
            sets.append(Undecided(ids, f"{words[ids[0]]} may {MAY[how[ids[0]]]}; the readings do not tell."))
            continue
        may, is_so = ("have too much", "has too much") if all(how[b] is What.MORE_OHM for b in ids) else ("be bad", "is bad")
        some = _share_with(posterior, any, ids)
        surely = f"One of these {is_so}" if some >= probably else f"One of these may {may}"
        sets.append(Undecided(ids, f"{surely}, and the readings do not tell which: {', '.join(words[b] for b in ids)}."))
    return tuple(sorted(sets, key=lambda u: (-len(u.branch_ids), -_share_with(posterior, any, u.branch_ids))))


def _share_with(posterior: Posterior, which: Callable[[Iterator[bool]], bool], branch_ids: Sequence[str]) -> float:
    """How likely any, or all, of some branches have too much, are open or do not block."""
    return sum(
        c.probability for c in posterior.candidates if which(any(bad_by(cause, b) for cause in c.causes) for b in branch_ids)
    )


def nothing_broken(posterior: Posterior) -> float:
    """How likely nothing is broken, whatever more than is listed may hang on it.

    posterior: of all readings
    """
    return min(sum(c.probability for c in posterior.candidates if not to_be_mended(c)), 1.0)


def to_be_mended(candidate: Candidate) -> tuple[str, ...]:
    """Those of a set of causes that somebody has to mend: not that more hangs on it than is listed.

    candidate: the set
    """
    return tuple(i for i in candidate.causes if i != NOTHING and i.split(":", 1)[0] not in MENDS_NOTHING)


def settled_part(posterior: Posterior) -> SettledPart | None:
    """The part that is likeliest bad, of those that probably have one of several faults, and none of them probably: whichever it is, what
    is taken out or mended is the same.

    posterior: of all readings
    """
    table, of = fault_table(), dict[str, tuple[str, str]]()
    for cause in posterior.by_cause:
        kind, element = cause.split(":", 1)
        if part := table.faults[kind].part:
            of[cause] = part, element
    settled = {place for cause, place in of.items() if posterior.by_cause[cause] >= table.probably}
    shares: dict[tuple[str, str], float] = {}
    for candidate in posterior.candidates:
        for place in {of[c] for c in candidate.causes if c in of} - settled:
            shares[place] = shares.get(place, 0.0) + candidate.probability
    place = max(shares, key=shares.__getitem__, default=("", ""))
    if shares.get(place, 0.0) < table.probably:
        return None
    part, element = place
    label = next((e.label for e in posterior.model.document.elements if e.id == element), element)
    causes = tuple(sorted((c for c in of if of[c] == place), key=lambda c: -posterior.by_cause[c]))
    faulty = table.parts[part]
    return SettledPart(element, faulty.title.format(label=label), min(shares[place], 1.0), causes, faulty.advice)


MOST_OF_ONE = 3
"""Of so many causes at most it is said that it is one of them."""


def one_of(posterior: Posterior) -> OneOf | None:
    """The few likeliest causes of which one is probably there, none of them probably by itself; None where it takes more of them, or where
    nothing being broken, or what sends nobody to mend anything, is one.

    posterior: of all readings
    """
    probably = fault_table().probably
    ranked = sorted(posterior.by_cause, key=lambda c: -posterior.by_cause[c])[:MOST_OF_ONE]
    if not ranked or posterior.by_cause[ranked[0]] >= probably:
        return None
    for count in range(2, len(ranked) + 1):
        among = set(ranked[:count])
        if any(c == NOTHING or c.split(":", 1)[0] in {*MENDS_NOTHING, UNKNOWN_KIND} for c in among):
            return None
        together = sum(c.probability for c in posterior.candidates if among & set(c.causes))
        if together >= probably:
            return OneOf(tuple(ranked[:count]), min(together, 1.0))
    return None


def several(posterior: Posterior) -> tuple[str, ...]:
    """Labels of the causes of the likeliest set, where it has more than one and each is probable; what sends nobody to mend anything last."""
    probably = fault_table().probably
    causes = posterior.best.causes
    if len(causes) < 2 or min(posterior.by_cause[c] for c in causes) < probably:
        return ()
    mended_first = sorted(causes, key=lambda c: c.split(":", 1)[0] in MENDS_NOTHING)
    return tuple(label_of(posterior.model.document, c)[0] for c in mended_first)

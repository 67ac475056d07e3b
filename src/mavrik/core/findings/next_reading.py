"""What to do next: the tests, the single readings, the repeats and the charging that are expected to tell most about the cause."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from scipy import special

from mavrik.core.catalogue.sources import rest_voltage_v
from mavrik.core.circuit import Battery
from mavrik.core.findings.bench_model import BenchModel, Floats, Placed
from mavrik.core.findings.charge import as_charged
from mavrik.core.findings.day import Day
from mavrik.core.findings.densities import log_density
from mavrik.core.findings.documents import ActionKind, DecidingPoint, NextAction, NextTest
from mavrik.core.findings.inference import Posterior
from mavrik.core.findings.likelihood import chance_of_yes, own_scatter
from mavrik.core.findings.not_shown import likeliest_fine, not_ruled_out, showing
from mavrik.core.findings.turning import Turn, turning_points
from mavrik.core.findings.words import another_reading, inside_a_sentence, label_of
from mavrik.core.operating.devices import battery_units
from mavrik.core.procedures import PROCEDURES, BenchState, Observation, Point, Procedure, Setup

SAMPLES, SEED = 120, 20
KEPT, MOST_ACTIONS = 24, 6
"""So many sets of causes the value of a further reading is reckoned over."""

LEAST_BITS = 0.02
"""A reading or a test that is expected to tell less is not worth a walk."""

AGAIN_MINUTES = 2.0
"""Back to the vehicle, the same state once more, another meter. Common practice, no source."""

CHARGE_MINUTES = 240.0
"""A charger on a battery that is half flat, and its rest. Common practice, no source."""

FULL_ENOUGH = 0.8
"""Of its charge: a battery above tells nothing more of the rest of the vehicle when it is full."""

MOST_AGAIN, MATTERS = 8, 0.25
"""So many readings at most are weighed to be taken again, of those that part the sets: variance of the logarithm of their likelihood."""

NAMED_AT_MOST = 2
"""So many flat batteries are named; of more it is said how many."""

AFTER_CHARGING = (
    BenchState.BATTERY_LOAD, BenchState.CRANKING, BenchState.IDLE, BenchState.IDLE_LOADED, BenchState.FAST, BenchState.FAST_LOADED,
    BenchState.FULL_OUTPUT,
)  # fmt: skip


def _entropy_bits(parts: Floats) -> Floats:
    """Shannon's entropy over the last axis [bit]; what does not add up to 1 is taken as shares of its sum."""
    return np.asarray(special.entr(parts / parts.sum(axis=-1, keepdims=True)).sum(axis=-1) / np.log(2))


class Draws:
    """The likeliest sets of causes, with what each lets further readings be, and draws from them."""

    def __init__(self, posterior: Posterior) -> None:
        kept = list(posterior.candidates[:KEPT])
        if posterior.sound not in kept:
            kept.append(posterior.sound)
        self.posterior, self.kept = posterior, kept
        share = np.maximum([c.probability for c in kept], 1e-12)
        self.share = share / share.sum()
        names = sorted({"+".join(sorted(c.causes)) for c in kept})
        self.member = np.array([[("+".join(sorted(c.causes)) == n) for n in names] for c in kept], dtype=float)
        self.now = float(_entropy_bits(self.share @ self.member))
        self.drawn = np.random.default_rng(SEED).choice(len(kept), size=SAMPLES, p=self.share)

    @cached_property
    def unknowns(self) -> tuple[Floats, Floats, Floats]:
        """Of each set: its unknowns, what one of each by its logarithm is worth, and how surely they are known (sets, unknowns, unknowns)."""
        u = self.posterior.model.unknowns
        centre, width, by_logarithm = u.priors([c.hypothesis for c in self.kept])
        rows, factor = np.where(by_logarithm, np.exp(np.where(by_logarithm, centre, 0.0)), centre), np.ones_like(centre)
        covariance = np.zeros((len(self.kept), len(u), len(u)))
        for k, c in enumerate(self.kept):
            if c.fitted is not None:
                rows[k], covariance[k] = c.fitted.row, c.fitted.covariance
            else:
                covariance[k] = np.diag(width[k] ** 2)
            factor[k] = np.where(by_logarithm[k], rows[k], 1.0)
        return rows, factor, covariance

    def expected(self, placed: Sequence[Placed], model: BenchModel | None = None) -> tuple[Floats, Floats]:
        """What each set lets some readings be, and how they vary together (sets, readings, readings).

        model: the vehicle where its batteries are charged otherwise; left out, as it was read
        """
        rows, factor, covariance = self.unknowns
        seen, by = (model or self.posterior.model).slopes(placed, [c.hypothesis for c in self.kept], rows)
        seen, by = np.nan_to_num(seen), np.nan_to_num(by) * factor[:, None, :]
        together = by @ covariance @ np.swapaxes(by, 1, 2)
        for k, (point, _) in enumerate(placed):
            together[:, k, k] += own_scatter(point, seen[:, k]) ** 2
        return seen, together

    def told_by(self, points: Sequence[Point], seen: Floats, together: Floats) -> float:
        """How much less open the cause is expected to be, knowing what some readings say together [bit].

        points: what is read; seen, together: as `expected` gives them
        Source: expected information, Shannon's entropy.
        """
        rng, logs = np.random.default_rng(SEED), np.zeros((SAMPLES, len(self.kept)))
        yes_or_no = np.array([p.kind.yes_or_no for p in points], dtype=bool)
        for k in np.flatnonzero(yes_or_no).tolist():
            logs += self._log_answer(points[k], seen[:, k], rng)
        smooth = np.flatnonzero(~yes_or_no)
        if len(smooth):
            middle, root = seen[:, smooth], np.linalg.cholesky(together[:, smooth][:, :, smooth])
            noise = rng.standard_normal((SAMPLES, len(smooth)))
            read = middle[self.drawn] + np.matmul(root[self.drawn], noise[:, :, None])[:, :, 0]
            logs += np.stack([log_density(read - m, r) for m, r in zip(middle, root, strict=True)], axis=1)
        return float(self._bits(logs[:, :, None])[0])

    def told_by_each(self, points: Sequence[Point], seen: Floats, variance: Floats) -> Floats:
        """The same for each reading by itself [bit].

        points: what is read; seen: as `expected` gives it; variance: of each reading with each set (sets, readings)
        """
        yes_or_no = np.array([p.kind.yes_or_no for p in points], dtype=bool)
        logs = np.empty((SAMPLES, len(self.kept), len(points)))
        for k in np.flatnonzero(yes_or_no).tolist():
            logs[:, :, k] = self._log_answer(points[k], seen[:, k], np.random.default_rng(SEED))
        middle, sd = seen[:, ~yes_or_no], np.sqrt(variance[:, ~yes_or_no])
        noise = np.random.default_rng(SEED).standard_normal(SAMPLES)
        read = middle[self.drawn] + noise[:, None] * sd[self.drawn]
        logs[:, :, ~yes_or_no] = -0.5 * ((read[:, None, :] - middle) / sd) ** 2 - np.log(sd)
        return self._bits(logs)

    def _log_answer(self, point: Point, seen: Floats, rng: np.random.Generator) -> Floats:
        """Logarithm of how likely each set makes each drawn yes or no (draws, sets)."""
        yes = chance_of_yes(point, seen)
        answered = rng.random(SAMPLES) < yes[self.drawn]
        return np.asarray(np.log(np.where(answered[:, None], yes, 1 - yes)))

    def _bits(self, logs: Floats) -> Floats:
        """By how much less open the cause is, of readings whose likelihood is given by its logarithm (draws, sets, readings)."""
        after = special.softmax(logs + np.log(self.share)[:, None], axis=1)
        return np.asarray(np.maximum(self.now - _entropy_bits(np.swapaxes(after, 1, 2) @ self.member).mean(axis=0), 0.0))


@dataclass(frozen=True)
class Ahead:
    """What may be done next, and what would change what is thought."""

    tests: tuple[NextTest, ...] = ()
    deciding: DecidingPoint | None = None
    decides: NextAction | None = None
    """To take the reading that `deciding` names."""
    actions: tuple[NextAction, ...] = ()
    turns: Mapping[str, Turn] = field(default_factory=dict)
    """By cause."""
    shown_by: Mapping[str, str] = field(default_factory=dict)
    """By a cause that is not ruled out: what would show it, as a sentence."""

    @property
    def deciding_first(self) -> Ahead:
        """With the reading that parts the causes best before all else, however long it takes: for parts of which one is bad."""
        if self.decides is None:
            return self
        others = (a for a in self.actions if a != self.decides)
        return replace(self, actions=(self.decides, *others)[:MOST_ACTIONS])


def _left(posterior: Posterior, read: frozenset[str], of: Procedure) -> list[Point]:
    points = of.points(posterior.model.document)
    if any(p.hearsay and p.id in read for p in points):
        # What he did not answer he does not know.
        return []
    return [p for p in points if p.id not in read and p.worth_asking and not p.said_by(read)]


def look_ahead(
    posterior: Posterior,
    read: frozenset[str],
    setups: Mapping[BenchState, Setup],
    doubtful: frozenset[str] = frozenset(),
    procedures: Sequence[Procedure] = PROCEDURES,
) -> Ahead:
    """The procedures with points not read yet, single points, repeats and a charge, by expected information over their minutes.

    posterior: of all readings; read: ids of points that were read
    setups: states that are known from the runs made; others are as planned
    doubtful: points whose reading no likely cause explains: they come first, nothing is built on them
    procedures: those that may be made
    Source: draw a set of causes, draw what it would let the meters read, see how much less open the cause then is.
    """
    draws, questions = Draws(posterior), []
    for of in procedures:
        if points := _left(posterior, read, of):
            questions.append((of, points))
    again = _worth_another_look(posterior, doubtful)
    placed: list[Placed] = [(p, setups.get(p.state, Setup(p.state))) for _, points in questions for p in points]
    fresh = len(placed)
    placed += [(o.point, o.setup) for o in again]
    charged = _Charged.of(draws, procedures)
    seen, together = draws.expected(placed) if placed else (np.zeros((len(draws.kept), 0)), np.zeros((len(draws.kept), 0, 0)))

    document = posterior.model.document
    each = draws.told_by_each([p for p, _ in placed], seen, np.diagonal(together, axis1=1, axis2=2)).tolist()
    tests, single, first = [], [], 0
    for of, points in questions:
        columns = slice(first, first + len(points))
        first += len(points)
        bits = each[columns][0] if len(points) == 1 else draws.told_by(points, seen[:, columns], together[:, columns, columns])
        tests.append(NextTest(of.name, of.title, of.why, of.minutes_on(document), bits))
        single += [(of, p, b) for p, b in zip(points, each[columns], strict=True) if not p.hearsay]
    ranked = tuple(sorted((t for t in tests if t.bits >= LEAST_BITS), key=lambda t: -t.bits / t.minutes))
    best = max(single, key=lambda s: s[2], default=None)
    deciding, decides = None, None
    if best is not None and best[2] >= LEAST_BITS:
        deciding = DecidingPoint(best[0].name, best[1].id, best[1].label, _why(best[1]), best[2])
        decides = _point_action(best[0].name, best[1], best[2])
    of_point = {p.id: of.name for of in procedures for p in of.points(document)}
    begun = {of_point[i] for i in read if i in of_point}
    actions = [_test_action(t) for t in ranked]
    actions += [_point_action(of.name, p, bits) for of, p, bits in single if of.name in begun]
    actions += [_again_action(o, of_point.get(o.point.id, ""), b) for o, b in zip(again, each[fresh:], strict=True)]
    if charged is not None:
        actions.append(_charge_action(draws, charged))
    worth = [a for a in actions if a.bits >= LEAST_BITS or a.point in doubtful]
    worth.sort(key=lambda a: (a.point not in doubtful, -a.bits / a.minutes))
    volts = document.system_voltage_v
    turns = turning_points(draws.kept, draws.share, placed, seen, together, frozenset(range(fresh, len(placed))), volts)
    shown_by = _shown_by(draws, questions, seen[:, :fresh], together[:, :fresh, :fresh], charged)
    return Ahead(ranked, deciding, decides, tuple(worth[:MOST_ACTIONS]), turns, shown_by)


def _worth_another_look(posterior: Posterior, doubtful: frozenset[str]) -> list[Observation]:
    """Readings that nothing explains, and those that part the sets of causes, one of them perhaps because a probe slipped."""
    kept = posterior.candidates[:KEPT]
    share = np.maximum([c.probability for c in kept], 1e-12)
    share = share / share.sum()
    likely = np.array([c.log_likelihoods for c in kept]).reshape(len(kept), len(posterior.evidence))
    spread = share @ (likely - share @ likely) ** 2
    widest = [k for k in np.argsort(-spread).tolist() if spread[k] > MATTERS and not posterior.evidence[k].point.kind.yes_or_no]
    odd = [k for k, o in enumerate(posterior.evidence) if o.point.id in doubtful]
    return [posterior.evidence[k] for k in list(dict.fromkeys((*odd, *widest)))[:MOST_AGAIN]]


def _test_action(test: NextTest) -> NextAction:
    short = inside_a_sentence(test.title)
    return NextAction(
        ActionKind.TEST, test.procedure, "", "", f"Make the test: {short}.", short, test.why, test.minutes, test.bits
    )


def _point_action(procedure: str, point: Point, bits: float) -> NextAction:
    clamp, short = point.quantity == "current" and bool(point.element), inside_a_sentence(point.label)
    text = f"Clamp it: {short}." if clamp else f"Read {short}."
    kind = ActionKind.CLAMP if clamp else ActionKind.READ
    return NextAction(kind, procedure, point.id, point.element, text, short, _why(point), AGAIN_MINUTES, bits)


def _again_action(of: Observation, procedure: str, bits: float) -> NextAction:
    text = f"Read it again with another meter: {inside_a_sentence(of.point.label)}."
    short = another_reading(of.point.label)
    why = "Much hangs on this one reading, and a probe may have slipped."
    return NextAction(ActionKind.READ_AGAIN, procedure, of.point.id, of.point.element, text, short, why, AGAIN_MINUTES, bits)


@dataclass(frozen=True)
class _Charged:
    """The tests with the batteries full that are not."""

    flat: tuple[Battery, ...]
    points: tuple[Point, ...]
    seen: Floats
    """What each set lets them be (sets, readings)."""
    together: Floats
    """How they vary (sets, readings, readings)."""

    @classmethod
    def of(cls, draws: Draws, procedures: Sequence[Procedure]) -> _Charged | None:
        """None where no battery is known to be flat, or nothing can be tested again."""
        model = draws.posterior.model
        charged = as_charged(model.document, model.day.rest_v)
        flat = tuple(b for b in charged.batteries if b.id in model.day.rest_v and b.state_of_charge < FULL_ENOUGH)
        points = tuple(
            p
            for of in procedures
            for p in of.points(model.document)
            if p.state in AFTER_CHARGING and p.worth_asking and not p.indicator
        )
        if not flat or not points:
            return None
        full = {b.id: rest_voltage_v(b.chemistry.value, 1.0) * battery_units(charged, b) for b in charged.batteries}
        again = BenchModel(model.document, Day(full, idle_rpm=model.day.idle_rpm), True, model.idle)
        return cls(flat, points, *draws.expected([(p, Setup(p.state)) for p in points], again))

    @property
    def names(self) -> str:
        """Which batteries, inside a sentence."""
        if len(self.flat) > NAMED_AT_MOST:
            return f"the {len(self.flat)} batteries that are flat"
        return " and ".join(inside_a_sentence(b.label) for b in self.flat)


def _charge_action(draws: Draws, charged: _Charged) -> NextAction:
    """What the tests would tell once the batteries are full."""
    bits = draws.told_by(charged.points, charged.seen, charged.together)
    least = min(b.state_of_charge for b in charged.flat)
    why = f"At {least:.0%} of its charge it takes all that the alternator gives and hides the rest."
    text, short = f"Charge {charged.names} first, then test again.", f"the tests again with {charged.names} charged"
    return NextAction(ActionKind.CHARGE, "", "", charged.flat[0].id, text, short, why, CHARGE_MINUTES, bits)


def _shown_by(
    draws: Draws,
    questions: Sequence[tuple[Procedure, Sequence[Point]]],
    seen: Floats,
    together: Floats,
    charged: _Charged | None,
) -> dict[str, str]:
    """By a cause that is not ruled out: the first test not made that shows it, or one that does once the batteries are full; otherwise what is
    done about it anyhow.

    questions: what is not read yet; seen, together: what each set lets that be
    """
    unseen, kept, sound = not_ruled_out(draws.posterior), draws.kept, likeliest_fine(draws.posterior)
    if not unseen:
        return {}
    tests = [(of, p) for of, points in questions for p in points]
    now = showing(unseen, kept, sound, [p for _, p in tests], seen, together)
    test_of = {p.id: of.title for of, p in tests}
    words = {c: f"This test shows it: {inside_a_sentence(test_of[p.id])}." for c, p in now.items()}
    if charged is not None:
        later = showing(unseen, kept, sound, charged.points, charged.seen, charged.together)
        for cause, point in later.items():
            words.setdefault(cause, f"Charge {charged.names} first: then it shows at {inside_a_sentence(point.label)}.")
    return {u.cause: words.get(u.cause, label_of(draws.posterior.model.document, u.cause)[1]) for u in unseen}


def _why(point: Point) -> str:
    if point.quantity == "current":
        return "The current says which of the paths it takes."
    if point.quantity == "voltage_drop":
        return "What it loses says whether it is this one."
    return "It parts the causes that are still open better than any other single reading."

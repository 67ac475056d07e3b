"""Faults that may be there all the same: with them the readings would look no different. Which they are, and what would show them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from mavrik.core.findings.bench_model import Floats
from mavrik.core.findings.branches import EVEN
from mavrik.core.findings.causes import nothing_broken, to_be_mended
from mavrik.core.findings.documents import NotShown
from mavrik.core.findings.faults import NOTHING, OF_THE_TEST, UNKNOWN_KIND
from mavrik.core.findings.inference import Candidate, Posterior
from mavrik.core.findings.words import inside_a_sentence, label_of
from mavrik.core.procedures import Point

LOOKS_ALIKE = 0.7
"""What was read looks alike with a fault and without where it lowers the fault's odds by no more, in natural logarithms: by half. Our
choice, no source."""

WORTH_A_WORD = 0.01
"""A fault that is less likely than this is not spoken of: nearly nothing can be ruled out to the last."""

SHOWS = 3.0
"""A reading shows a fault where it would lie so many standard deviations from where it may lie with nothing broken."""

NAMES_AT_MOST = 3
NO_FAULTS = {*OF_THE_TEST, UNKNOWN_KIND}


@dataclass(frozen=True)
class Unseen:
    """A fault that the readings say nothing of."""

    cause: str
    likeliest: Candidate
    """Of the sets that have it and nothing else to be mended."""


def likeliest_fine(posterior: Posterior) -> Candidate:
    """The likeliest set with which nothing is broken."""
    return next(c for c in posterior.candidates if not to_be_mended(c))


def not_ruled_out(posterior: Posterior) -> tuple[Unseen, ...]:
    """Faults that the readings say nothing of, the likeliest first, where nothing is likelier broken than not; none where something is:
    what is open then is among the causes, and is told by what to do next.

    posterior: of all readings
    Source: Bayes factor of each fault against nothing broken, more that hangs on it beside either or not (Jeffreys, Theory of
    Probability, from memory).
    """
    if not posterior.evidence or nothing_broken(posterior) <= EVEN:
        return ()
    with_it: dict[str, list[Candidate]] = defaultdict(list)
    for c in posterior.candidates:
        faults = to_be_mended(c)
        if len(faults) <= 1 and not any(i.split(":", 1)[0] in NO_FAULTS for i in faults):
            with_it[faults[0] if faults else NOTHING].append(c)
    sound = with_it.pop(NOTHING)
    unseen = [
        (c.probability, Unseen(cause, c))
        for cause, sets in with_it.items()
        if sum(c.probability for c in sets) >= WORTH_A_WORD and _told(posterior, sets, sound) > -LOOKS_ALIKE
        for c in sets[:1]
    ]
    return tuple(u for _, u in sorted(unseen, key=lambda u: -u[0]))


def _told(posterior: Posterior, sets: Sequence[Candidate], sound: Sequence[Candidate]) -> float:
    """By how much what was read raises some sets beside others, in natural logarithms of their odds."""
    hearsay = [k for k, o in enumerate(posterior.evidence) if o.point.hearsay]

    def unread(candidate: Candidate) -> float:
        # What somebody said shows nothing.
        assert candidate.fitted is not None
        return float(np.exp(candidate.fitted.trial.log_prior + candidate.log_likelihoods[hearsay].sum()))

    def odds(of: Callable[[Candidate], float]) -> float:
        return float(np.log(sum(map(of, sets)) / sum(map(of, sound))))

    return odds(lambda c: c.probability) - odds(unread)


def showing(
    unseen: Sequence[Unseen],
    kept: Sequence[Candidate],
    sound: Candidate,
    points: Sequence[Point],
    seen: Floats,
    together: Floats,
) -> dict[str, Point]:
    """By cause: the first of some further readings, in the order of the work, that would show it; only of those that one shows.

    unseen: faults; kept: those sets that `seen` and `together` are of, in their order; sound: the likeliest with nothing broken
    points: what would be read; seen: what each set lets that be (sets, readings); together: how it varies (sets, readings, readings)
    """
    whole = kept.index(sound)
    sd = np.sqrt(np.diagonal(together[whole]))
    by_eye = np.array([p.kind.yes_or_no for p in points], dtype=bool)
    read = np.array([not p.hearsay for p in points], dtype=bool)
    first: dict[str, Point] = {}
    for u in unseen:
        if u.likeliest not in kept:
            continue
        k = kept.index(u.likeliest)
        shows = np.where(by_eye, (seen[k] > 0.5) != (seen[whole] > 0.5), np.abs(seen[k] - seen[whole]) >= SHOWS * sd) & read
        if shows.any():
            first[u.cause] = points[int(np.argmax(shows))]
    return first


def not_shown(posterior: Posterior, shown_by: Mapping[str, str]) -> tuple[NotShown, ...]:
    """The same in words.

    posterior: of all readings; shown_by: by cause, what would show it as a sentence; one that is not in it: no test does
    """
    return tuple(
        NotShown(
            u.cause,
            label_of(posterior.model.document, u.cause)[0],
            min(posterior.by_cause[u.cause], 1.0),
            shown_by.get(u.cause, ""),
        )
        for u in not_ruled_out(posterior)
    )


def in_one_line(faults: Sequence[NotShown]) -> tuple[str, ...]:
    """What the first line is to be taken with: that a fault may be there, and what would show it; empty where none may.

    faults: as `not_shown` gives them

    >>> in_one_line([NotShown("regulator_high:a", "Regulator of Alternator set too high", 0.04, "Charge the battery first.")])
    ('Not ruled out, what was read would look the same: regulator of Alternator set too high (4%). Charge the battery first.',)
    """
    if not faults:
        return ()
    named = ", ".join(f"{inside_a_sentence(f.label)} ({f.probability:.0%})" for f in faults[:NAMES_AT_MOST])
    more = f" and {len(faults) - NAMES_AT_MOST} more" if len(faults) > NAMES_AT_MOST else ""
    # What shows only some of them is said where each is.
    shown_by = {f.shown_by for f in faults}
    then = "".join(f" {words}" for words in shown_by if words) if len(shown_by) == 1 else ""
    return (f"Not ruled out, what was read would look the same: {named}{more}.{then}",)

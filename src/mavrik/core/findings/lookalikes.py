"""Causes that look like others, and are tried where those are likely."""

from __future__ import annotations

from collections.abc import Sequence

from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import Fault, fault_table
from mavrik.core.findings.fit_problem import Trial
from mavrik.core.findings.fitted import Fitted
from mavrik.core.findings.hypotheses import Hypothesis
from mavrik.core.findings.starting import begun_from


def is_gone(h: Hypothesis) -> bool:
    """Whether a set is one conductor that is not there."""
    return len(h.causes) == 1 and bool(lookalike(h)) and h.changes[0].what is What.OPEN


def fault_of(h: Hypothesis) -> Fault:
    """The catalogue's row of a set's first cause."""
    return fault_table().faults[h.causes[0].split(":", 1)[0]]


def lookalike(h: Hypothesis) -> str:
    """The cause that this one looks like, on the same element; empty: none."""
    like = fault_of(h).looks_like
    return f"{like}:{h.element}" if like else ""


def twins_of(likely: Sequence[Fitted], alike: Sequence[Trial]) -> list[Trial]:
    """Causes that look like one that is likely, each from where that one ended; one that two of them lead to, from the likelier."""
    twins: dict[int, Trial] = {}
    for f in likely:
        if len(f.trial.causes) > 1:
            continue
        kind = f.trial.causes[0].split(":", 1)[0]
        for k, t in enumerate(alike):
            if lookalike(t.base) == f.trial.causes[0] or fault_of(t.base).looks_like_any == kind:
                twins.setdefault(k, begun_from(t, f))
    return list(twins.values())


def alike_or_one_value(one: Hypothesis, other: Hypothesis) -> bool:
    """Whether one of two single causes is tried because it looks like the other, or both change one value: what a unit gives, say."""
    if len(one.causes) > 1 or len(other.causes) > 1:
        return False
    changed = [{(c.what, c.element) for c in h.changes} for h in (one, other)]
    return lookalike(one) == other.causes[0] or lookalike(other) == one.causes[0] or bool(changed[0] & changed[1])

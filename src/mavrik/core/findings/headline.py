"""The one line to read first, why in a few more, and what to do next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from mavrik.core.findings.branches import EVEN, fails_in_itself
from mavrik.core.findings.changes import What
from mavrik.core.findings.documents import (
    GRAVITY,
    ActionKind,
    BranchFinding,
    BranchVerdict,
    Cause,
    Doubt,
    Headline,
    NextAction,
    NextTest,
    NotShown,
    OneOf,
    SettledPart,
    SideFinding,
    SumCheck,
    TestFinding,
    Undecided,
)
from mavrik.core.findings.faults import MENDS_NOTHING, NOTHING, OF_THE_TEST, UNKNOWN_KIND, bad_by, fault_table
from mavrik.core.findings.not_shown import in_one_line
from mavrik.core.findings.words import another_reading, inside_a_sentence, sureness
from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.procedures import Judgement, bench_limits
from mavrik.core.protection.documents import Finding, Severity

DROPS = "charging_drops"
"""Its readings are judged as branches and sides."""

NUMBERS = {2: "Two", 3: "Three"}
MOST_WHY = 3
LEAST_LIKELY = 0.3
"""A cause below this is not named as the likeliest: it is one of several."""

COMES_NEAR = 0.5
"""Of the likeliest one's probability: a cause that has more is named beside it."""

APART = {
    "feed": ("feed side", "Read the feed side whole and part by part again."),
    "return": ("return side", "Read the return side whole and part by part again."),
    "whole": ("stud and battery", "Read stud and battery again at one current, then both sides."),
}
"""By the sum that does not agree: what is read once more, and how."""

NEVER = 1e-6
NAMED = 0.05
"""What a part may have is named where it is likelier than this."""

OF_THE_BUDGET = frozenset({"regulated", "idle_output", "all_consumers", "net_battery"})
"""Tests whose limits a vehicle with nothing broken misses where its loads ask for more than its unit gives."""

CLOSE_THE_BUDGET = "Plan for it: fewer loads at idle, a smaller pulley or a larger unit."


@dataclass(frozen=True)
class HeadlineBasis:
    """Everything that a headline is made from."""

    weighed: frozenset[str]
    """Points whose readings speak about the cause, hearsay aside."""
    branches: tuple[BranchFinding, ...]
    sides: tuple[SideFinding, ...]
    checks: tuple[SumCheck, ...]
    causes: tuple[Cause, ...]
    nothing_broken: float
    """How likely nothing is, whatever hangs on it beside what is listed."""
    together: tuple[str, ...]
    settled_part: SettledPart | None
    one_of: OneOf | None
    not_shown: tuple[NotShown, ...]
    undecided: tuple[Undecided, ...]
    doubtful: tuple[Doubt, ...]
    next_actions: tuple[NextAction, ...]
    next_tests: tuple[NextTest, ...]
    tests: tuple[TestFinding, ...]
    parts: tuple[Finding, ...]
    missing: tuple[str, ...]
    system_v: float
    wants: str
    """What the job is for besides a fault, as a sentence's end of which the last part says what to do; empty: nothing."""


def shown(quantity: str, value: float) -> str:
    """A value as a technician reads it."""
    of = QUANTITIES[quantity]
    if of.yes_or_no:
        # Of what is only noticed at times: how often.
        return f"yes in {value:.0%}" if NEVER < value < 1 - NEVER else "yes" if value > 0.5 else "no"
    return f"{of.shown(value):.{of.digits}f} {of.shown_unit}"


def _then(basis: HeadlineBasis) -> str:
    """What to do next, where the causes are still open."""
    if not basis.next_actions:
        return ""
    first = basis.next_actions[0]
    return f"Make the test that tells most: {first.short}." if first.kind is ActionKind.TEST else f"{first.text} {first.why}"


def _to_read(basis: HeadlineBasis, made: Headline) -> str:
    """What to read next, in a few words; empty: the next step is to read nothing."""
    if not made.next_step:
        return ""
    if made.verdict is BranchVerdict.NOT_MEASURED and basis.next_tests:
        return inside_a_sentence(basis.next_tests[0].title)
    first = next(iter(basis.next_actions), None)
    again = made.verdict is BranchVerdict.CHECK_PROBES and first is not None and first.kind is ActionKind.READ_AGAIN
    return first.short if first is not None and (again or made.next_step == _then(basis)) else ""


def _evidence_lines(cause: Cause) -> tuple[str, ...]:
    return tuple(
        f"{e.label}: {shown(e.quantity, e.value)}; with this {shown(e.quantity, e.expected)}, sound {shown(e.quantity, e.sound)}."
        for e in cause.evidence[:MOST_WHY]
        if e.favours > 0
    )


def _reread(basis: HeadlineBasis) -> Headline | None:
    """Readings that contradict each other or that no cause explains come before anything that is built on them."""
    for check in basis.checks:
        if not check.agrees:
            (what, again), first = APART[check.name], next(iter(basis.next_actions), None)
            if first is not None and first.kind is ActionKind.READ_AGAIN:
                again = f"{first.text} Where they are still apart: {inside_a_sentence(again)}"
            return Headline(BranchVerdict.CHECK_PROBES, check.message, (), again, "", another_reading(what))
    swapped = [b for b in basis.branches if b.verdict is BranchVerdict.CHECK_PROBES]
    if swapped:
        text = f"{swapped[0].label}: {swapped[0].reason}"
        also = tuple(f"{b.label}: {b.reason}" for b in swapped[1 : MOST_WHY + 1])
        return Headline(BranchVerdict.CHECK_PROBES, text, also, swapped[0].next_step, swapped[0].branch_id)
    side = next((s for s in basis.sides if s.verdict is BranchVerdict.CHECK_PROBES), None)
    if side is not None:
        return Headline(BranchVerdict.CHECK_PROBES, side.reason, (), "Turn the probes and read again.", "")
    if basis.doubtful:
        names = ", ".join(f"{d.label} ({shown(d.quantity, d.value)})" for d in basis.doubtful[:MOST_WHY])
        why = tuple(
            f"{d.label}: the likeliest cause would give {shown(d.quantity, d.expected)}; {d.probability:.0%} that it is a slip."
            for d in basis.doubtful[:MOST_WHY]
        )
        return Headline(BranchVerdict.CHECK_PROBES, f"No cause explains {names}.", why, "Read it again before judging.", "")
    return None


def _cause_line(basis: HeadlineBasis, best: Cause, verdict: BranchVerdict) -> Headline:
    """One cause, or several, that the readings settle."""
    of = next(
        (b for b in basis.branches if b.branch_id == best.element and bad_by(best.cause, b.branch_id) is What.MORE_OHM), None
    )
    if basis.together:
        text = f"{NUMBERS.get(len(basis.together), 'Several')} causes explain it best: {'; '.join(basis.together)}."
    else:
        amount = f", {best.magnitude}" if best.magnitude else ""
        text = f"{best.label}{amount}: {sureness(best.probability)}."
    why = (of.reason,) if of is not None else ()
    if basis.settled_part is not None:
        why = (*why, f"{basis.settled_part.label}, too: {sureness(basis.settled_part.probability)}.")
    why = (*why, *(u.words for u in basis.undecided), *in_one_line(basis.not_shown))
    return Headline(verdict, text, (*why, *_evidence_lines(best))[:MOST_WHY], of.next_step if of else best.advice, best.element)


def _part_line(basis: HeadlineBasis, part: SettledPart, verdict: BranchVerdict) -> Headline:
    """A part that is bad, whatever is wrong with it."""
    of = [c for c in basis.causes if c.cause in part.causes]
    which = " or ".join(f"{inside_a_sentence(c.label)} ({c.probability:.0%})" for c in of[:MOST_WHY] if c.probability > NAMED)
    why = (f"Which of these is not settled: {which}.",) if which else ()
    text = f"{part.label}: {sureness(part.probability)}."
    return Headline(verdict, text, (*why, *_evidence_lines(of[0]))[:MOST_WHY] if of else why, part.advice, part.element)


def _either_line(basis: HeadlineBasis, few: OneOf, verdict: BranchVerdict) -> Headline:
    """Two or three causes of which it is one."""
    of = [c for name in few.causes for c in basis.causes if c.cause == name]
    named = "; ".join(f"{c.label} ({c.probability:.0%})" for c in of)
    text = f"It is one of these, {sureness(few.probability)}: {named}."
    return Headline(verdict, text, _evidence_lines(of[0])[:MOST_WHY], _then(basis) or of[0].advice, of[0].element)


def _side_line(basis: HeadlineBasis, poor: SideFinding, whole: bool) -> Headline:
    """A side that loses too much, or too close to it, of which no part by itself does. whole: whether surely nothing is broken"""
    unread = [b for b in basis.branches if b.on_ring and poor.name in (b.side, "whole") and b.measured_drop_v is None]
    if poor.verdict is BranchVerdict.CLOSE:
        then, reading = (
            "Repeat it nearer to rated output, or on a finer range: that narrows the band.",
            another_reading(APART[poor.name][0]),
        )
    elif unread and not whole:
        then, reading = "Measure the branches of this side one by one.", f"the drop of {unread[0].label}"
    else:
        then, reading = "No part of it has too much: plan larger cables.", ""
    nothing = f"Nothing broken: {sureness(basis.nothing_broken)}. " if whole else ""
    thin = next((f for f in basis.parts if f.code == f"{poor.name}_undersized"), None)
    why = (*((thin.why,) if thin is not None and not reading else ()), *in_one_line(basis.not_shown))
    return Headline(poor.verdict, f"{nothing}{poor.reason}", why, then, "", reading)


def _said_first(causes: Sequence[Cause]) -> Cause | None:
    """The likeliest cause, nothing broken aside. What sends nobody to mend anything comes behind what is likelier broken than not."""
    faults = [c for c in causes if c.cause != NOTHING]
    broken = [c for c in faults if c.kind not in MENDS_NOTHING and c.probability > EVEN]
    return next(iter(broken or faults), None)


UNSETTLED = frozenset({BranchVerdict.NOT_MEASURED, BranchVerdict.UNDECIDED, BranchVerdict.CHECK_PROBES, BranchVerdict.CLOSE})
"""Verdicts that nothing is mended by."""


def headline(basis: HeadlineBasis) -> Headline:
    """The worst thing first: readings in doubt, then causes, then a part or side over its limit, then what is missing.

    basis: everything else that was said
    """
    made = _first_line(basis)
    reading = _to_read(basis, made) or made.reading
    # Where nothing misses a limit, what would tell more is offered.
    lacks = made.verdict is not BranchVerdict.PASS and (bool(reading) or made.verdict in UNSETTLED)
    return replace(made, reading=reading, read_on=made.read_on or lacks)


def _first_line(basis: HeadlineBasis) -> Headline:
    if (again := _reread(basis)) is not None:
        return again
    gap = next((f for f in basis.parts if f.code == "cannot_charge"), None)
    if gap is not None:
        return Headline(
            BranchVerdict.FAIL, gap.why, (gap.rule,), "Close what is open, or correct the circuit.", gap.branch_id or ""
        )
    probably = fault_table().probably
    best = _said_first(basis.causes)
    # What is said of drops is said of their branches and sides.
    said = [j for t in basis.tests for j in t.judgements if t.procedure != DROPS or j.quantity != "voltage_drop"]
    failing = [j for j in said if j.verdict is Verdict.FAIL]
    graver = min((b for b in basis.branches), key=lambda b: (GRAVITY[b.verdict], -(b.excess_heat_w or 0)), default=None)
    if basis.weighed and best is not None and best.kind in OF_THE_TEST and best.probability > EVEN:
        # To read again costs minutes, and parts are condemned by it otherwise.
        text = f"{best.label}: {sureness(best.probability)}."
        return Headline(BranchVerdict.CHECK_PROBES, text, _evidence_lines(best), best.advice, "")
    over = (graver is not None and graver.verdict is BranchVerdict.FAIL) or bool(failing)
    part = basis.settled_part
    broken_beside = part is not None and best is not None and best.kind in MENDS_NOTHING
    if basis.weighed and best is not None and best.probability >= probably and not broken_beside:
        if best.kind == UNKNOWN_KIND:
            text = f"No fault that is known here explains these readings: {sureness(best.probability)}."
            return Headline(BranchVerdict.CHECK_PROBES, text, (), best.advice, "")
        otherwise = BranchVerdict.PASS if best.kind in MENDS_NOTHING else BranchVerdict.EXCESS
        return _cause_line(basis, best, BranchVerdict.FAIL if over else otherwise)
    if basis.weighed and part is not None and (graver is None or graver.branch_id != part.element):
        return _part_line(basis, part, BranchVerdict.FAIL if over else BranchVerdict.EXCESS)
    if graver is not None and (
        graver.verdict is BranchVerdict.EXCESS or (graver.verdict is BranchVerdict.FAIL and fails_in_itself(graver))
    ):
        also = tuple(u.words for u in basis.undecided if set(u.branch_ids) != {graver.branch_id})
        return Headline(graver.verdict, f"{graver.label}: {graver.reason}", also[:MOST_WHY], graver.next_step, graver.branch_id)
    if basis.weighed and basis.one_of is not None and not basis.undecided:
        return _either_line(basis, basis.one_of, BranchVerdict.FAIL if over else BranchVerdict.EXCESS)
    if basis.weighed and basis.undecided:
        why = tuple(f"{b.label}: {b.reason}" for b in basis.branches if b.verdict is BranchVerdict.UNDECIDED)[:MOST_WHY]
        return Headline(BranchVerdict.UNDECIDED, basis.undecided[0].words, why, _then(basis), basis.undecided[0].branch_ids[0])
    whole = bool(basis.weighed) and basis.nothing_broken >= probably
    if failing and whole:
        return _not_a_fault(basis, failing, best)
    if failing:
        j = failing[0]
        likely = " Not settled which part."
        if best is not None and best.probability > LEAST_LIKELY:
            likely = f" Most likely {inside_a_sentence(best.label)} ({best.probability:.0%}); not settled."
        also = tuple(f"{x.label}: {x.why}" for x in failing[1 : MOST_WHY + 1])
        text = f"{j.label}, {shown(j.quantity, j.value)}: {j.why}{likely}"
        return Headline(
            BranchVerdict.FAIL,
            text,
            (f"Limit: {j.limit}.", *also)[:MOST_WHY],
            _then(basis) or j.next_step,
            best.element if best else "",
            read_on=True,
        )
    nothing = f"Nothing broken: {sureness(basis.nothing_broken)}. " if whole else ""
    if graver is not None and graver.verdict not in (BranchVerdict.PASS, BranchVerdict.NOT_MEASURED):
        why = in_one_line(basis.not_shown)
        another = another_reading(graver.label) if graver.verdict is BranchVerdict.CLOSE else ""
        text = f"{nothing}{graver.label}: {graver.reason}"
        return Headline(graver.verdict, text, why, graver.next_step, graver.branch_id, another)
    poor = min(basis.sides, key=lambda s: GRAVITY[s.verdict], default=None)
    if poor is not None and poor.verdict not in (BranchVerdict.PASS, BranchVerdict.NOT_MEASURED):
        return _side_line(basis, poor, whole)
    if basis.weighed and best is not None and basis.nothing_broken <= 1 - probably:
        return _within_every_limit(basis, best)
    grave = next((f for f in basis.parts if f.severity is Severity.DANGER), None)
    if grave is not None:
        then = (
            "Plan a cable and fuse." if not basis.wants else f"{basis.wants[0].upper()}{basis.wants[1:]}: cable and fuse with it."
        )
        return Headline(BranchVerdict.FAIL, f"{grave.title}. {grave.why}", (grave.rule,), then, grave.branch_id or "")
    return _sound(basis, best)


def _missed_by_what_is_whole(basis: HeadlineBasis, j: Judgement) -> bool:
    """Whether sound parts may miss this limit: it is of a current, or of a voltage that is less than charging makes it."""
    low = (bench_limits().limits["regulated"].least or 0.0) * basis.system_v / 12
    return j.quantity == "current" or (j.quantity == "voltage" and j.value < low)


def _perhaps_more_load(best: Cause | None) -> tuple[str, ...]:
    """What may hang on it beside, where that is worth a word."""
    if best is None or best.kind not in MENDS_NOTHING or best.probability <= NAMED:
        return ()
    return (f"{best.label}, perhaps ({best.probability:.0%}): nothing to mend either way.",)


def _not_a_fault(basis: HeadlineBasis, failing: Sequence[Judgement], best: Cause | None) -> Headline:
    """Limits that are missed where the readings say that nothing is broken: by what no other reading speaks of, by a load that is more
    than the unit gives, by a battery that is only flat."""
    apart = [j for j in failing if j.point not in basis.weighed]
    odd = [j for j in failing if j.point in basis.weighed and not _missed_by_what_is_whole(basis, j)]
    others = [j for j in failing if j not in apart and j not in odd]
    j = [*apart, *odd, *others][0]
    nothing = next((c for c in basis.causes if c.cause == NOTHING), None)
    sure, missed = sureness(basis.nothing_broken), f"{j.label}, {shown(j.quantity, j.value)}: {j.why}"
    rest = tuple(f"{x.label}: {shown(x.quantity, x.value)}; limit: {x.limit}." for x in failing if x is not j)
    short = any(j in t.judgements for t in basis.tests if t.procedure in OF_THE_BUDGET)
    budget = f", {nothing.magnitude}" if short and nothing and nothing.magnitude else ""
    if apart:
        text, then = f"{missed} Nothing else is broken: {sure}.", j.next_step
    elif odd:
        text, then = f"{missed} By all readings together nothing is broken: {sure}.", f"Read it again. {j.next_step}"
    else:
        text, then = f"Nothing broken: {sure}{budget}. {missed}", CLOSE_THE_BUDGET if budget else j.next_step
    sides = tuple(s.reason for s in basis.sides if s.verdict is BranchVerdict.FAIL)
    why = (*in_one_line(basis.not_shown), *_perhaps_more_load(best), f"Limit: {j.limit}.", *sides, *rest)
    return Headline(BranchVerdict.FAIL, text, why[:MOST_WHY], then, "")


def _most_likely(basis: HeadlineBasis, best: Cause) -> tuple[str, ...]:
    """The likeliest cause in a line, where it is likely enough to be named; with those that come near it, where it is likelier one of them
    than none."""
    near = [c for c in basis.causes if c.cause != NOTHING and c.probability > best.probability * COMES_NEAR][:MOST_WHY]
    if len(near) > 1 and sum(c.probability for c in near) > EVEN:
        return (f"Most likely one of these: {'; '.join(f'{c.label} ({c.probability:.0%})' for c in near)}.",)
    return (f"Most likely {inside_a_sentence(best.label)} ({best.probability:.0%}).",) if best.probability > LEAST_LIKELY else ()


def _still_to_read(basis: HeadlineBasis) -> str:
    return f"Still to read: {', '.join(basis.missing[:MOST_WHY])}." if basis.missing else ""


def _within_every_limit(basis: HeadlineBasis, best: Cause) -> Headline:
    """What was read keeps its limits, and yet no sound vehicle reads so."""
    text = f"Something is wrong: {sureness(1 - basis.nothing_broken)}, though no reading misses a limit."
    why = (*_most_likely(basis, best), *_evidence_lines(best))
    return Headline(
        BranchVerdict.UNDECIDED, text, why[:MOST_WHY], _then(basis) or _still_to_read(basis) or best.advice, best.element
    )


def _sound(basis: HeadlineBasis, best: Cause | None) -> Headline:
    """Nothing was found wrong, or nothing was read yet."""
    wants = f"; {basis.wants}" if basis.wants else ""
    if not basis.weighed and not basis.tests:
        then = f"Begin with: {basis.next_tests[0].title}." if basis.next_tests else ""
        return Headline(BranchVerdict.NOT_MEASURED, f"Nothing measured yet{wants}.", (), then, "")
    nothing = next((c for c in basis.causes if c.cause == NOTHING), None)
    budget = f", {nothing.magnitude}" if nothing and nothing.magnitude else ""
    unsettled = basis.nothing_broken < fault_table().probably
    if unsettled and best is not None and best.probability > (nothing.probability if nothing is not None else 0.0):
        return Headline(
            BranchVerdict.PASS,
            f"No reading misses a limit; not settled{wants}.",
            _most_likely(basis, best),
            _then(basis) or _still_to_read(basis) or best.advice,
            "",
            read_on=True,
        )
    if basis.missing:
        text = f"What was read is sound{budget}{wants}."
        why = in_one_line(basis.not_shown)
        return Headline(BranchVerdict.PASS, text, why, _still_to_read(basis), "")
    what = basis.wants.rpartition(", ")[2]
    then = f"{what[0].upper()}{what[1:]}." if what else "Nothing to mend in this circuit."
    if unsettled or basis.not_shown:
        # Sound leads say nothing of an alternator that nobody tried.
        why = in_one_line(basis.not_shown)
        following = then if what and not unsettled else _then(basis) or then
        return Headline(BranchVerdict.PASS, f"What was read is sound{budget}{wants}.", why, following, "")
    return Headline(BranchVerdict.PASS, f"Sound{budget}{wants}.", _perhaps_more_load(best), then, "")

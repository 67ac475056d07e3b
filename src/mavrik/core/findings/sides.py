"""Judging a side and the whole circuit, and the parts against the whole."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from mavrik.core.findings.bench import Bench, Known, millivolts, total
from mavrik.core.findings.branches import FAR_BELOW, LEAST_TELLING_V
from mavrik.core.findings.documents import BranchVerdict, SideFinding, SumCheck
from mavrik.core.measuring.limits import Limit, Scope
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import COVERAGE, Verdict, combine, verdict_below
from mavrik.core.procedures.bench.charging_drops import LEAST_USEFUL_SHARE
from mavrik.core.protection.documents import Finding, Severity

WANDER_SHARE = 0.03
"""Standard deviation of a charging current from one reading to the next, of itself: an engine held by hand, loads that cycle. Common
practice, no source."""

VOLTS_WANDER_SHARE = 0.001
"""The same of a charging voltage. Common practice, no source."""

IN_99 = 2.58
"""Standard deviations that 99 of 100 values lie within."""

WORDS = {"feed": "The feed side", "return": "The return side", "whole": "The whole circuit"}


def _read(bench: Bench, point: str) -> Known | None:
    of = bench.read.get(point)
    return Known.of(of) if of else None


def _without_current(bench: Bench, point: str) -> float | None:
    """What a point of the drop test read while the clamp read nothing [V]; None: it was not read so."""
    return next((o.measured.value for o in bench.posterior.evidence if o.point.id == point), None)


def _parts(bench: Bench, branch_ids: tuple[str, ...]) -> Known | None:
    """The sum of all branches of a side, where every one was read, at one output."""
    read = [bench.read.get(f"drop_v:{i}") for i in branch_ids]
    known = [Known.of(o) for o in read if o is not None]
    if not known or len(known) < len(read) or len({k.output_a for k in known}) > 1:
        return None
    return total(known)


def _verdict(bench: Bench, name: str, limit: Limit, known: Known, judged: Measured) -> tuple[BranchVerdict, str]:
    what = WORDS[name]
    if known.volts < -known.u:
        return BranchVerdict.CHECK_PROBES, f"{what} reads {millivolts(known.volts)}: the probes were swapped."
    expected = bench.now.path_drop(_branches(bench, name)) if name in ("feed", "return") else 0.0
    whole = bench.read.get(f"{name}_v")
    explained = whole is not None and bench.surely_below(whole, FAR_BELOW * expected)
    if expected > LEAST_TELLING_V and known.volts + known.u < FAR_BELOW * expected and not explained:
        why = f"{what} reads {millivolts(known.volts)}, far below the {millivolts(expected)} that sound parts lose: a probe did not touch."
        return BranchVerdict.CHECK_PROBES, why
    at = f"{what} loses {millivolts(judged.value)} at the rated {bench.rated_a:g} A"
    outcome = verdict_below(abs(judged.value), judged.uncertainty, limit.volts)
    if outcome is Verdict.FAIL:
        return BranchVerdict.FAIL, f"{at}: over {limit.rule}."
    if outcome is Verdict.CLOSE:
        return BranchVerdict.CLOSE, f"{at} ± {millivolts(judged.uncertainty)}: straddles {limit.rule}."
    return BranchVerdict.PASS, f"{at}: within {limit.rule}."


def _judge(bench: Bench, name: str, scope: Scope, known: Known | None, basis: str) -> SideFinding:
    branch_ids = _branches(bench, name)
    threshold_v = _threshold_v(bench, branch_ids)
    limit = bench.limit(scope).with_threshold(threshold_v)
    verdict, reason, judged = BranchVerdict.NOT_MEASURED, f"{WORDS[name]} was not measured.", None
    if known is not None and known.output_a > 0:
        judged = bench.at_rated(known, branch_ids, threshold_v)
        verdict, reason = _verdict(bench, name, limit, known, judged)
    elif (read_v := _without_current(bench, f"{name}_v")) is not None:
        reason = f"{WORDS[name]} reads {millivolts(read_v)} while nothing flows: what it loses under load does not show."
    return SideFinding(
        name=name,
        predicted_drop_v=bench.now.path_drop(branch_ids),
        rated_drop_v=bench.rated.path_drop(branch_ids),
        measured_drop_v=known.volts if known else None,
        basis=basis if known else "none",
        measured_uncertainty_v=known.u if known else None,
        judged_drop_v=judged.value if judged else None,
        judged_uncertainty_v=judged.uncertainty if judged else None,
        limit_v=limit.volts,
        limit_rule=limit.rule,
        limit_source=limit.source,
        verdict=verdict,
        reason=reason,
    )


def sum_check(name: str, parts: Known, whole: Known, what: str, against: str) -> SumCheck:
    """Whether a sum and the whole differ by no more than the meter and a wandering current explain, in 99 of 100 sound sets.

    name: side, or whole; parts, whole: as read; what, against: both in words
    Source: JCGM 100, 5.2.2; how far a current wanders is common practice, no source.
    """
    apart = parts.minus(whole)
    wander = WANDER_SHARE * float(np.sqrt(sum(p**2 for p in apart.pieces)))
    allowance = IN_99 / COVERAGE * combine(apart.u, COVERAGE * wander)
    agrees = abs(apart.volts) <= allowance
    explained = f"the {millivolts(allowance)} that the meter and a wandering current explain"
    if agrees:
        message = f"{what} add up to {against} within {explained}."
    else:
        message = (
            f"{what} give {millivolts(parts.volts)}, {against} {millivolts(whole.volts)}: "
            f"{millivolts(abs(apart.volts))} apart, more than {explained}. "
            "A probe was wrong, or the current changed between the readings. Repeat them before judging."
        )
    return SumCheck(
        name=name,
        parts_v=parts.volts,
        whole_v=whole.volts,
        difference_v=apart.volts,
        allowance_v=allowance,
        agrees=agrees,
        message=message,
    )


def judge_sides(bench: Bench) -> tuple[tuple[SideFinding, ...], tuple[SumCheck, ...]]:
    """Feed side, return side and whole circuit, and every sum that can be held against a whole.

    bench: the circuit with its readings
    A side read whole goes before the sum of its parts; both sides go before stud voltage less battery voltage.
    Source: Kirchhoff's voltage law; JCGM 100 for what the meter can explain.
    """
    ring = bench.ring
    checks = []
    known: dict[str, Known | None] = {}
    basis: dict[str, str] = {}
    for name, point, branch_ids in (
        ("feed", "feed_v", ring.feed),
        ("return", "return_v", ring.return_side),
    ):
        read, parts = _read(bench, point), _parts(bench, branch_ids)
        known[name], basis[name] = (read, "reading") if read else (parts, "parts")
        if read and parts and read.output_a == parts.output_a:
            checks.append(sum_check(name, parts, read, f"The {name} branches", f"the {name} side read whole"))
    feed, back = known["feed"], known["return"]
    stud, battery = _read(bench, "stud_v"), _read(bench, "battery_v")
    known["whole"], basis["whole"] = (total([feed, back]) if feed and back and feed.output_a == back.output_a else None), "sides"
    if stud and battery:
        lost = _lost_between(stud, battery)
        if known["whole"] is None:
            known["whole"], basis["whole"] = lost, "voltages"
        elif known["whole"].output_a == lost.output_a:
            checks.append(sum_check("whole", known["whole"], lost, "Both sides", "stud voltage less battery voltage"))
    scopes = {"feed": Scope.SIDE, "return": Scope.SIDE, "whole": Scope.WHOLE}
    return tuple(_judge(bench, n, scope, known[n], basis[n]) for n, scope in scopes.items()), tuple(checks)


def _lost_between(stud: Known, battery: Known) -> Known:
    """What is lost from the stud's voltage to the battery's, read one after the other while both may have wandered."""
    apart = stud.minus(battery)
    wander = COVERAGE * VOLTS_WANDER_SHARE * combine(stud.volts, battery.volts)
    return replace(apart, u=combine(apart.u, wander), pieces=(apart.volts,))


def _branches(bench: Bench, name: str) -> tuple[str, ...]:
    """The branches of a side, or of the whole circuit."""
    ring = bench.ring
    return {"feed": ring.feed, "return": ring.return_side, "whole": (*ring.feed, *ring.return_side)}[name]


def _threshold_v(bench: Bench, branch_ids: tuple[str, ...]) -> float:
    """What the diodes of a side lose before any current [V]."""
    return sum(bench.circuit.branch(b).threshold_v for b in branch_ids)


def budget_findings(bench: Bench) -> list[Finding]:
    """Sides that would be over their limit even if every part were sound, and a test too weak to judge by."""
    findings = []
    for name, branches in (("feed", bench.ring.feed), ("return", bench.ring.return_side)):
        limit = bench.limit(Scope.SIDE).with_threshold(_threshold_v(bench, branches))
        drop = bench.rated.path_drop(branches)
        if drop > limit.volts:
            findings.append(
                Finding(
                    code=f"{name}_undersized",
                    severity=Severity.WARNING,
                    branch_id=max(branches, key=lambda b: abs(bench.rated.drop_v[b])),
                    title=f"The {name} side is too thin for {bench.rated_a:g} A even when sound",
                    why=f"New and clean it would lose {millivolts(drop)} at rated output; cleaning cannot mend that.",
                    rule=limit.rule,
                    source=limit.source,
                )
            )
    output = min((o.setup.output_a or bench.rated_a for o in bench.read.values()), default=bench.rated_a)
    if output < LEAST_USEFUL_SHARE * bench.rated_a:
        findings.append(
            Finding(
                code="weak_test",
                severity=Severity.NOTE,
                branch_id=None,
                title="The test current is low",
                why=f"{output:g} A is under {LEAST_USEFUL_SHARE:.0%} of the rated {bench.rated_a:g} A: "
                "small drops drown in the meter's last digit. Switch on loads or the bank and repeat.",
                rule="Drops are judged at rated output",
                source="Common practice of the trade",
            )
        )
    return findings

"""Judging a side and the whole circuit, and the parts against the whole."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.core.assessment.bench import Bench, Readings, millivolts
from mavrik.core.assessment.documents import BranchVerdict, SideAssessment, SumCheck
from mavrik.core.limits import Limit, Scope
from mavrik.core.measurement import Quantity
from mavrik.core.parts import Finding, Severity
from mavrik.core.uncertainty import Verdict, combine, verdict_below

LEAST_USEFUL_SHARE = 0.3
"""Below this share of rated output a drop is too small to say much; the tool asks for more load."""

WORDS = {"feed": "The feed side", "return": "The return side", "whole": "The whole circuit"}


@dataclass(frozen=True)
class Known:
    """A voltage with its expanded uncertainty."""

    volts: float
    u: float

    def plus(self, other: Known, sign: int = 1) -> Known:
        """Sum, or difference with sign -1; both independent."""
        return Known(self.volts + sign * other.volts, combine(self.u, other.u))


def _read(readings: Readings | None, quantity: Quantity) -> Known | None:
    volts = readings.value.get((quantity, None)) if readings else None
    return None if readings is None or volts is None else Known(volts, readings.u_volts(volts))


def _parts(readings: Readings | None, branch_ids: tuple[str, ...]) -> Known | None:
    """The sum of all branches of a side, where every one was read."""
    if readings is None:
        return None
    values = [readings.value.get((Quantity.BRANCH_DROP, branch_id)) for branch_id in branch_ids]
    volts = [v for v in values if v is not None]
    if not volts or len(volts) < len(values):
        return None
    return Known(sum(volts), combine(*(readings.u_volts(v) for v in volts)))


def _verdict(bench: Bench, name: str, limit: Limit, known: Known, judged: Known) -> tuple[BranchVerdict, str]:
    what = WORDS[name]
    if known.volts < -known.u:
        return BranchVerdict.CHECK_PROBES, f"{what} reads {millivolts(known.volts)}: the probes were swapped."
    at = f"{what} loses {millivolts(judged.volts)} at the rated {bench.rated_a:g} A"
    outcome = verdict_below(abs(judged.volts), judged.u, limit.volts)
    if outcome is Verdict.FAIL:
        return BranchVerdict.FAIL, f"{at}: over {limit.rule}."
    if outcome is Verdict.CLOSE:
        return BranchVerdict.CLOSE, f"{at} ± {millivolts(judged.u)}: straddles {limit.rule}."
    return BranchVerdict.PASS, f"{at}: within {limit.rule}."


def _judge(
    bench: Bench, name: str, scope: Scope, known: Known | None, basis: str, predicted: float, rated: float, threshold_v: float
) -> SideAssessment:
    limit = bench.limit(scope).beside(threshold_v)
    verdict, reason, judged = BranchVerdict.NOT_MEASURED, f"{WORDS[name]} was not measured.", None
    if known is not None:
        judged = Known(*bench.at_rated(known.volts, known.u, threshold_v))
        verdict, reason = _verdict(bench, name, limit, known, judged)
    return SideAssessment(
        name=name,
        predicted_drop_v=predicted,
        rated_drop_v=rated,
        measured_drop_v=known.volts if known else None,
        basis=basis if known else "none",
        measured_uncertainty_v=known.u if known else None,
        judged_drop_v=judged.volts if judged else None,
        judged_uncertainty_v=judged.u if judged else None,
        limit_v=limit.volts,
        limit_rule=limit.rule,
        limit_source=limit.source,
        verdict=verdict,
        reason=reason,
    )


def sum_check(name: str, parts: Known, whole: Known, what: str, against: str) -> SumCheck:
    """Whether a sum and the whole differ by no more than the meter explains."""
    apart = parts.plus(whole, -1)
    agrees = abs(apart.volts) <= apart.u
    if agrees:
        message = f"{what} add up to {against} within the meter's {millivolts(apart.u)}."
    else:
        message = (
            f"{what} give {millivolts(parts.volts)}, {against} {millivolts(whole.volts)}: "
            f"{millivolts(abs(apart.volts))} apart, more than the meter's {millivolts(apart.u)}. "
            "A probe was wrong, or the current changed between the readings. Repeat them before judging."
        )
    return SumCheck(
        name=name,
        parts_v=parts.volts,
        whole_v=whole.volts,
        difference_v=apart.volts,
        allowance_v=apart.u,
        agrees=agrees,
        message=message,
    )


def judge_sides(bench: Bench) -> tuple[tuple[SideAssessment, ...], tuple[SumCheck, ...]]:
    """Feed side, return side and whole circuit, and every sum that can be held against a whole.

    bench: the circuit with its readings
    A side read whole goes before the sum of its parts; both sides go before stud voltage less battery voltage.
    Source: Kirchhoff's voltage law; JCGM 100 for what the meter can explain.
    """
    ring, readings = bench.now.ring, bench.readings
    checks = []
    known: dict[str, Known | None] = {}
    basis: dict[str, str] = {}
    for name, quantity, branch_ids in (
        ("feed", Quantity.FEED_DROP, ring.feed),
        ("return", Quantity.RETURN_DROP, ring.home),
    ):
        read, parts = _read(readings, quantity), _parts(readings, branch_ids)
        known[name], basis[name] = (read, "reading") if read else (parts, "parts")
        if read and parts:
            checks.append(sum_check(name, parts, read, f"The {name} branches", f"the {name} side read whole"))
    feed, home = known["feed"], known["return"]
    stud, battery = _read(readings, Quantity.STUD_VOLTAGE), _read(readings, Quantity.BATTERY_VOLTAGE)
    known["whole"], basis["whole"] = (feed.plus(home) if feed and home else None), "sides"
    if stud and battery:
        lost = stud.plus(battery, -1)
        if known["whole"] is None:
            known["whole"], basis["whole"] = lost, "voltages"
        else:
            checks.append(sum_check("whole", known["whole"], lost, "Both sides", "stud voltage less battery voltage"))
    drops = {
        "feed": (bench.now.path_drop(ring.feed), bench.rated.path_drop(ring.feed)),
        "return": (bench.now.path_drop(ring.home), bench.rated.path_drop(ring.home)),
    }
    drops["whole"] = (drops["feed"][0] + drops["return"][0], drops["feed"][1] + drops["return"][1])
    scopes = {"feed": Scope.SIDE, "return": Scope.SIDE, "whole": Scope.WHOLE}
    thresholds = {"feed": _threshold_v(bench, ring.feed), "return": _threshold_v(bench, ring.home)}
    thresholds["whole"] = thresholds["feed"] + thresholds["return"]
    judged = (_judge(bench, n, scope, known[n], basis[n], *drops[n], thresholds[n]) for n, scope in scopes.items())
    return tuple(judged), tuple(checks)


def _threshold_v(bench: Bench, branch_ids: tuple[str, ...]) -> float:
    """What the diodes of a side lose before any current [V]."""
    return sum(bench.circuit.branch(b).threshold_v for b in branch_ids)


def budget_findings(bench: Bench) -> list[Finding]:
    """Sides that would be over their limit even if every part were sound, and a test too weak to judge by."""
    findings = []
    for name, branches in (("feed", bench.rated.ring.feed), ("return", bench.rated.ring.home)):
        limit = bench.limit(Scope.SIDE).beside(_threshold_v(bench, branches))
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
    output = bench.readings.output_a if bench.readings else bench.rated_a
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

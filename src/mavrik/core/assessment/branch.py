"""Judging one branch: what it loses, what a sound one would, what it may, and what to do about it."""

from __future__ import annotations

from dataclasses import dataclass

from mavrik.core.assessment.bench import NO_CURRENT_A, Bench, Readings, millivolts
from mavrik.core.assessment.documents import BranchAssessment, BranchVerdict
from mavrik.core.circuit import AnyBranch, ConductorBranch, FuseBranch
from mavrik.core.limits import Limit, Scope
from mavrik.core.measurement import Quantity
from mavrik.core.parts import PartsReport
from mavrik.core.topology import Side
from mavrik.core.uncertainty import Verdict, ratio_uncertainty, verdict_below

LENGTH_TOLERANCE = 0.15
"""A route measured along a loom, and cable made to a maximum resistance, leave the prediction good to about 15 %."""

JOINT_TOLERANCE_OHM = 0.1e-3
"""Two sound lugs differ by this much from one pair to the next; less is not a finding. Our choice, no source."""

SHARED_BELOW = 0.995
"""A branch that carries less of the output current than this shares it with another path."""


def part_in_words(branch: AnyBranch) -> str:
    """Size or rating of a branch as one would say it."""
    if isinstance(branch, ConductorBranch):
        runs = f"{branch.parallel} x " if branch.parallel > 1 else ""
        return f"{runs}{branch.size.replace('mm2', 'mm²')}, {branch.length_m:g} m"
    if isinstance(branch, FuseBranch):
        return f"{branch.rating_a:g} A"
    return f"{branch.rating_a:g} A" if branch.rating_a else branch.kind.replace("_", " ")


@dataclass(frozen=True)
class Flow:
    """The current through a branch during the test, and how it is known."""

    current_a: float
    basis: str
    sound_ohm: float
    threshold_v: float
    """What it loses before any current."""

    @property
    def predicted_drop_v(self) -> float:
        """What a sound branch would lose [V]."""
        return self.current_a * self.sound_ohm + (self.threshold_v if self.current_a > NO_CURRENT_A else 0.0)


@dataclass(frozen=True)
class Measured:
    """A drop that was read, and what follows from it."""

    drop_v: float
    u_v: float
    judged_v: float
    u_judged_v: float
    resistance_ohm: float | None
    """None where the branch carries no current."""
    u_resistance_ohm: float | None
    excess_ohm: float | None

    @property
    def worse_than_sound(self) -> bool:
        """Whether it has more resistance than meter, length and joint tolerance explain."""
        if self.excess_ohm is None or self.resistance_ohm is None or self.u_resistance_ohm is None:
            return False
        sound = self.resistance_ohm - self.excess_ohm
        return self.excess_ohm > self.u_resistance_ohm + LENGTH_TOLERANCE * sound + JOINT_TOLERANCE_OHM


def _flow(bench: Bench, branch: AnyBranch) -> Flow:
    sound = bench.now.resistance_ohm[branch.id]
    clamped = bench.readings.value.get((Quantity.BRANCH_CURRENT, branch.id)) if bench.readings else None
    if clamped is not None:
        return Flow(clamped, "clamp", sound, branch.threshold_v)
    current = bench.now.current_a[branch.id]
    shared = abs(current) < SHARED_BELOW * bench.now.state.output_current_a
    return Flow(current, "model_split" if shared else "output", sound, branch.threshold_v)


def _measured(bench: Bench, readings: Readings, branch: AnyBranch, flow: Flow) -> Measured | None:
    drop = readings.value.get((Quantity.BRANCH_DROP, branch.id))
    if drop is None:
        return None
    u = readings.u_volts(drop)
    judged, u_judged = bench.at_rated(drop, u, flow.threshold_v, "" if branch.id in bench.now.ring.ids else branch.id)
    if abs(flow.current_a) <= NO_CURRENT_A:
        return Measured(drop, u, judged, u_judged, None, None, None)
    metal = drop - flow.threshold_v
    found = metal / flow.current_a
    u_found = abs(ratio_uncertainty(metal, u, flow.current_a, readings.u_amps(flow.current_a)))
    return Measured(drop, u, judged, u_judged, found, u_found, found - flow.sound_ohm)


def _advice(branch: AnyBranch) -> str:
    if isinstance(branch, ConductorBranch):
        return (
            "Measure each end by itself, lug to stud and lug to cable: the end that reads is the one to clean, tighten or remake. "
            "Neither end reads: the cable itself is broken inside."
        )
    if isinstance(branch, FuseBranch):
        return "Measure stud to fuse blade at each end: clean and torque the end that reads, or replace the fuse."
    return "Take the contact apart, clean it to bright metal, tighten to its figure, and measure again."


def _verdict(bench: Bench, branch: AnyBranch, flow: Flow, found: Measured, limit: Limit) -> tuple[BranchVerdict, str, str]:
    """Verdict, why, and what to do next."""
    along = 1 if bench.now.current_a[branch.id] >= 0 else -1
    if found.drop_v * along < -found.u_v:
        return (
            BranchVerdict.CHECK_PROBES,
            f"{millivolts(found.drop_v)} runs against the current: the probes were swapped, or another source pushes current here.",
            "Red probe towards the alternator stud on the feed side, towards the battery on the return side; read again.",
        )
    at = f"{millivolts(found.judged_v)} at the rated {bench.rated_a:g} A"
    straddles = f"{at} ± {millivolts(found.u_judged_v)} straddles {limit.rule}"
    outcome = verdict_below(abs(found.judged_v), found.u_judged_v, limit.volts)
    if found.worse_than_sound:
        assert found.excess_ohm is not None
        more = f"{found.excess_ohm * 1000:.2f} mΩ more than this part has when sound."
        if flow.basis == "model_split":
            more += " Its current is the model's split between parallel paths: clamp this lead to be sure."
        if outcome is Verdict.FAIL:
            return BranchVerdict.FAIL, f"{at} is over {limit.rule}, and {more}", _advice(branch)
        within = straddles + ", and" if outcome is Verdict.CLOSE else f"Within {limit.rule}, but"
        return BranchVerdict.EXCESS, f"{within} {more}", _advice(branch)
    if outcome is Verdict.FAIL:
        return (
            BranchVerdict.FAIL,
            f"{at} is over {limit.rule}, though the part is sound: it is too small or too long for this current.",
            "Cleaning will not help. Propose a larger size.",
        )
    if outcome is Verdict.CLOSE:
        return (
            BranchVerdict.CLOSE,
            f"{straddles}.",
            "Repeat nearer to rated output, or on a finer range: that narrows the band.",
        )
    return BranchVerdict.PASS, f"{at} is within {limit.rule}.", ""


def judge_branch(bench: Bench, branch: AnyBranch, parts: PartsReport) -> BranchAssessment:
    """Everything said of one branch.

    bench: the circuit with its readings
    branch: a branch of it that conducts
    parts: what its parts' checks said
    Excess resistance is the drop read over the current through the branch, less the resistance of a sound part.
    Source: Ohm's and Joule's laws; verdicts by JCGM 106.
    """
    ring = bench.now.ring
    side = ring.side[branch.id]
    conductor = branch if isinstance(branch, ConductorBranch) else None
    scope = Scope.WHOLE if branch.id in bench.spurs else Scope.GROUND if side is Side.RETURN and conductor else Scope.SIDE
    limit = bench.limit(scope).beside(branch.threshold_v)
    flow = _flow(bench, branch)
    found = _measured(bench, bench.readings, branch, flow) if bench.readings else None
    verdict, reason, next_step = BranchVerdict.NOT_MEASURED, "No drop was read here.", ""
    if found:
        verdict, reason, next_step = _verdict(bench, branch, flow, found, limit)
    excess = found.excess_ohm if found else None
    return BranchAssessment(
        branch_id=branch.id,
        label=branch.label,
        kind=branch.kind,
        part=part_in_words(branch),
        side=side,
        on_ring=branch.id in ring.ids,
        from_node=branch.from_node,
        to_node=branch.to_node,
        length_m=conductor.length_m if conductor else None,
        temperature_c=bench.now.temperature_c[branch.id],
        resistance_ohm=flow.sound_ohm,
        current_a=flow.current_a,
        current_basis=flow.basis,
        predicted_drop_v=flow.predicted_drop_v,
        predicted_heat_w=abs(flow.predicted_drop_v * flow.current_a),
        measured_drop_v=found.drop_v if found else None,
        measured_uncertainty_v=found.u_v if found else None,
        measured_resistance_ohm=found.resistance_ohm if found else None,
        excess_resistance_ohm=excess,
        excess_uncertainty_ohm=found.u_resistance_ohm if found else None,
        heat_w=abs(found.drop_v * flow.current_a) if found else None,
        excess_heat_w=None if excess is None else excess * flow.current_a**2,
        limit_v=limit.volts,
        limit_rule=limit.rule,
        limit_source=limit.source,
        judged_current_a=bench.rated_a,
        judged_drop_v=found.judged_v if found else None,
        judged_uncertainty_v=found.u_judged_v if found else None,
        rated_drop_v=bench.rated.drop_v[branch.id],
        verdict=verdict,
        reason=reason,
        next_step=next_step,
        ampacity=parts.ampacity.get(branch.id),
        fuse=parts.fuses.get(branch.id),
    )

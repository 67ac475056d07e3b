"""Measured against predicted and against the limit: which branch is bad, by how many milliohms and watts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from pydantic import Field

from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch, Document, FuseBranch
from mavrik.core.limits import Limit, LimitProfileName, Scope, limit_for, limit_table
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.parts import AmpacityCheck, Finding, FuseCheck, Severity, judge_parts
from mavrik.core.prediction import OperatingState, Prediction, predict
from mavrik.core.topology import Ring, Side, find_ring
from mavrik.core.uncertainty import Verdict, combine, expanded_uncertainty, ratio_uncertainty, verdict_below

LENGTH_TOLERANCE = 0.15
"""A route measured along a loom, and cable made to a maximum resistance, leave the prediction good to about 15 %."""

JOINT_TOLERANCE_OHM = 0.1e-3
"""Two sound lugs differ by this much from one pair to the next; less is not a finding. Our choice, no source."""

SHARED_BELOW = 0.995
"""A branch that carries less of the output current than this shares it with another path."""

LEAST_USEFUL_SHARE = 0.3
"""Below this share of rated output a drop is too small to say much; the tool asks for more load."""


class BranchVerdict(StrEnum):
    """What is said of a branch."""

    PASS = "pass"
    EXCESS = "excess"
    FAIL = "fail"
    CLOSE = "too_close_to_call"
    CHECK_PROBES = "check_probes"
    NOT_MEASURED = "not_measured"


class BranchAssessment(Document):
    """One branch: what it should lose, what it loses, what it may lose."""

    branch_id: str
    label: str
    kind: str
    part: str = Field(description="Size or rating in words")
    side: Side
    on_ring: bool
    from_node: str
    to_node: str
    length_m: float | None
    temperature_c: float = Field(description="Conductor temperature the resistance is for [degC]")
    resistance_ohm: float = Field(description="Resistance in sound condition [ohm]")
    current_a: float = Field(description="Current during the test, along from_node to to_node [A]")
    current_basis: str = Field(description="output, model_split or clamp")
    predicted_drop_v: float
    predicted_heat_w: float
    measured_drop_v: float | None
    measured_uncertainty_v: float | None = Field(description="Expanded, coverage 2 [V]")
    measured_resistance_ohm: float | None
    excess_resistance_ohm: float | None = Field(description="Measured less sound resistance [ohm]")
    excess_uncertainty_ohm: float | None
    heat_w: float | None = Field(description="Heat from the measured drop at the test current [W]")
    excess_heat_w: float | None
    limit_v: float
    limit_rule: str
    limit_source: str
    judged_current_a: float = Field(description="Alternator output the limit is for [A]")
    judged_drop_v: float | None = Field(description="Measured drop scaled to judged_current_a [V]")
    judged_uncertainty_v: float | None
    rated_drop_v: float = Field(description="Predicted drop at rated output, warmed up [V]")
    verdict: BranchVerdict
    reason: str
    next_step: str
    ampacity: AmpacityCheck | None
    fuse: FuseCheck | None


class SideAssessment(Document):
    """A side, or the whole circuit."""

    name: str = Field(description="feed, return or whole")
    predicted_drop_v: float
    rated_drop_v: float
    measured_drop_v: float | None
    basis: str = Field(description="reading, parts, voltages, sides or none")
    measured_uncertainty_v: float | None
    judged_drop_v: float | None
    judged_uncertainty_v: float | None
    limit_v: float
    limit_rule: str
    limit_source: str
    verdict: BranchVerdict
    reason: str


class SumCheck(Document):
    """The parts against the whole: do they agree within what the meter can explain?"""

    name: str
    parts_v: float
    whole_v: float
    difference_v: float
    allowance_v: float
    agrees: bool
    message: str


class Headline(Document):
    """The one line to read first, and what to do next."""

    verdict: BranchVerdict
    text: str
    next_step: str
    branch_id: str | None


class Assessment(Document):
    """Everything said about one circuit and one test."""

    limit_profile: LimitProfileName
    limit_label: str
    output_current_a: float = Field(description="Alternator output the prediction is for [A]")
    rated_current_a: float
    measured: bool = Field(description="Whether a test was given")
    stud_voltage_v: float
    battery_voltage_v: float
    branches: tuple[BranchAssessment, ...] = Field(description="Ring order first, then the branches off the ring")
    sides: tuple[SideAssessment, ...]
    checks: tuple[SumCheck, ...]
    findings: tuple[Finding, ...]
    node_voltages_v: dict[str, float] = Field(description="Predicted, against the alternator case [V]")
    headline: Headline


@dataclass(frozen=True)
class _Judge:
    """What all judgements of one test share."""

    circuit: Circuit
    test: DropTest | None
    now: Prediction
    rated: Prediction
    profile: LimitProfileName
    read: dict[tuple[Quantity, str | None], float]
    """Every reading of the test by what it is of."""

    def u_volts(self, value: float) -> float:
        assert self.test is not None
        return expanded_uncertainty(value, self.test.voltmeter.spec)

    def u_amps(self, value: float) -> float:
        assert self.test is not None
        return expanded_uncertainty(value, self.test.clamp.spec)

    def limit(self, scope: Scope) -> Limit:
        return limit_for(self.profile, scope, self.circuit.system_voltage_v)

    def at_rated(self, drop_v: float, u_drop_v: float) -> tuple[float, float]:
        """A drop scaled from the test current to rated output, with its uncertainty."""
        assert self.test is not None
        output, rated = self.test.output_current_a, self.circuit.alternator.rated_a
        scaled = drop_v * rated / output
        return scaled, rated * ratio_uncertainty(drop_v, u_drop_v, output, self.u_amps(output))


def part_in_words(branch: AnyBranch) -> str:
    """Size or rating of a branch as one would say it."""
    if isinstance(branch, ConductorBranch):
        runs = f"{branch.parallel} x " if branch.parallel > 1 else ""
        return f"{runs}{branch.size.replace('mm2', 'mm²')}, {branch.length_m:g} m"
    if isinstance(branch, FuseBranch):
        return f"{branch.rating_a:g} A"
    return f"{branch.rating_a:g} A" if branch.rating_a else branch.kind.replace("_", " ")


def _advice(branch: AnyBranch) -> str:
    if isinstance(branch, ConductorBranch):
        return (
            "Measure each end by itself, lug to stud and lug to cable: the end that reads is the one to clean, tighten or remake. "
            "Neither end reads: the cable itself is broken inside."
        )
    if isinstance(branch, FuseBranch):
        return "Measure stud to fuse blade at each end: clean and torque the end that reads, or replace the fuse."
    return "Take the contact apart, clean it to bright metal, tighten to its figure, and measure again."


def _judge_branch(
    j: _Judge, branch: AnyBranch, findings: dict[str, AmpacityCheck], fuses: dict[str, FuseCheck]
) -> BranchAssessment:
    side = j.now.ring.side[branch.id]
    is_ground = side is Side.RETURN and isinstance(branch, ConductorBranch)
    limit = j.limit(Scope.GROUND if is_ground else Scope.SIDE)
    on_ring = branch.id in j.now.ring.feed or branch.id in j.now.ring.home
    current, predicted = j.now.current_a[branch.id], j.now.drop_v[branch.id]
    resistance = j.now.resistance_ohm[branch.id]
    shared = abs(current) < SHARED_BELOW * j.now.state.output_current_a
    basis = "model_split" if shared else "output"
    measured = clamped = None
    if j.test is not None:
        measured = j.read.get((Quantity.BRANCH_DROP, branch.id))
        clamped = j.read.get((Quantity.BRANCH_CURRENT, branch.id))
        if clamped is not None:
            current, basis = clamped, "clamp"
            predicted = clamped * resistance
    known: dict[str, float | None] = dict.fromkeys(
        (
            "measured_uncertainty_v",
            "measured_resistance_ohm",
            "excess_resistance_ohm",
            "excess_uncertainty_ohm",
            "heat_w",
            "excess_heat_w",
            "judged_drop_v",
            "judged_uncertainty_v",
        )
    )
    verdict, reason, next_step = BranchVerdict.NOT_MEASURED, "No drop was read here.", ""
    if measured is not None:
        u = j.u_volts(measured)
        judged, u_judged = j.at_rated(measured, u)
        known |= {
            "measured_uncertainty_v": u,
            "judged_drop_v": judged,
            "judged_uncertainty_v": u_judged,
            "heat_w": abs(measured * current),
        }
        excess = u_excess = None
        if abs(current) > 1e-6:
            found = measured / current
            excess = found - resistance
            u_excess = abs(ratio_uncertainty(measured, u, current, j.u_amps(current)))
            known |= {
                "measured_resistance_ohm": found,
                "excess_resistance_ohm": excess,
                "excess_uncertainty_ohm": u_excess,
                "excess_heat_w": excess * current**2,
            }
        verdict, reason, next_step = _branch_verdict(j, branch, measured, u, judged, u_judged, excess, u_excess, limit, basis)
    return BranchAssessment(
        branch_id=branch.id,
        label=branch.label,
        kind=branch.kind,
        part=part_in_words(branch),
        side=side,
        on_ring=on_ring,
        from_node=branch.from_node,
        to_node=branch.to_node,
        length_m=branch.length_m if isinstance(branch, ConductorBranch) else None,
        temperature_c=j.now.temperature_c[branch.id],
        resistance_ohm=resistance,
        current_a=current,
        current_basis=basis,
        predicted_drop_v=predicted,
        predicted_heat_w=abs(predicted * current),
        measured_drop_v=measured,
        limit_v=limit.volts,
        limit_rule=limit.rule,
        limit_source=limit.source,
        judged_current_a=j.circuit.alternator.rated_a,
        rated_drop_v=j.rated.drop_v[branch.id],
        verdict=verdict,
        reason=reason,
        next_step=next_step,
        ampacity=findings.get(branch.id),
        fuse=fuses.get(branch.id),
        **known,
    )


def _mv(volts: float) -> str:
    return f"{volts * 1000:.0f} mV"


def _branch_verdict(
    j: _Judge,
    branch: AnyBranch,
    measured: float,
    u: float,
    judged: float,
    u_judged: float,
    excess: float | None,
    u_excess: float | None,
    limit: Limit,
    basis: str,
) -> tuple[BranchVerdict, str, str]:
    """Verdict, why, and what to do next."""
    sound = j.now.resistance_ohm[branch.id]
    along = 1 if j.now.current_a[branch.id] >= 0 else -1
    if measured * along < -u:
        return (
            BranchVerdict.CHECK_PROBES,
            f"{_mv(measured)} runs against the current: the probes were swapped, or another source pushes current here.",
            "Red probe towards the alternator stud on the feed side, towards the battery on the return side; read again.",
        )
    rated_a = j.circuit.alternator.rated_a
    at = f"{_mv(judged)} at the rated {rated_a:g} A"
    too_much = excess is not None and u_excess is not None and excess > u_excess + LENGTH_TOLERANCE * sound + JOINT_TOLERANCE_OHM
    more = f"{excess * 1000:.2f} mΩ more than this part has when sound" if excess is not None else ""
    split = (
        " Its current is the model's split between parallel paths: clamp this lead to be sure." if basis == "model_split" else ""
    )
    outcome = verdict_below(abs(judged), u_judged, limit.volts)
    if outcome is Verdict.FAIL:
        if too_much:
            return BranchVerdict.FAIL, f"{at} is over {limit.rule}, and {more}.{split}", _advice(branch)
        return (
            BranchVerdict.FAIL,
            f"{at} is over {limit.rule}, though the part is sound: it is too small or too long for this current.",
            "Cleaning will not help. Propose a larger size.",
        )
    if outcome is Verdict.CLOSE and too_much:
        return BranchVerdict.EXCESS, f"{at} ± {_mv(u_judged)} straddles {limit.rule}, and {more}.{split}", _advice(branch)
    if outcome is Verdict.CLOSE:
        return (
            BranchVerdict.CLOSE,
            f"{at} ± {_mv(u_judged)} straddles {limit.rule}.",
            "Repeat nearer to rated output, or on a finer range: that narrows the band.",
        )
    if too_much:
        return BranchVerdict.EXCESS, f"Within {limit.rule}, but {more}.{split}", _advice(branch)
    return BranchVerdict.PASS, f"{at} is within {limit.rule}.", ""


def _side_value(
    j: _Judge, quantity: Quantity, parts: tuple[str, ...]
) -> tuple[float | None, float | None, str, float | None, float | None]:
    """Value and uncertainty of a side with its basis, then the sum of its parts where all were read."""
    if j.test is None:
        return None, None, "none", None, None
    read = [j.read.get((Quantity.BRANCH_DROP, part)) for part in parts]
    values = [v for v in read if v is not None]
    total = u_total = None
    if values and len(values) == len(read):
        total, u_total = sum(values), combine(*(j.u_volts(v) for v in values))
    side = j.read.get((quantity, None))
    if side is not None:
        return side, j.u_volts(side), "reading", total, u_total
    return total, u_total, "parts" if total is not None else "none", total, u_total


def _judge_side(
    j: _Judge, name: str, scope: Scope, value: float | None, u: float | None, basis: str, predicted: float, rated: float
) -> SideAssessment:
    limit = j.limit(scope)
    judged = u_judged = None
    what = {"feed": "The feed side", "return": "The return side", "whole": "The whole circuit"}[name]
    verdict, reason = BranchVerdict.NOT_MEASURED, f"{what} was not measured."
    if value is not None and u is not None:
        judged, u_judged = j.at_rated(value, u)
        at = f"{what} loses {_mv(judged)} at the rated {j.circuit.alternator.rated_a:g} A"
        outcome = verdict_below(abs(judged), u_judged, limit.volts)
        if value < -u:
            verdict, reason = BranchVerdict.CHECK_PROBES, f"{what} reads {_mv(value)}: the probes were swapped."
        elif outcome is Verdict.FAIL:
            verdict, reason = BranchVerdict.FAIL, f"{at}: over {limit.rule}."
        elif outcome is Verdict.CLOSE:
            verdict, reason = BranchVerdict.CLOSE, f"{at} ± {_mv(u_judged)}: straddles {limit.rule}."
        else:
            verdict, reason = BranchVerdict.PASS, f"{at}: within {limit.rule}."
    return SideAssessment(
        name=name,
        predicted_drop_v=predicted,
        rated_drop_v=rated,
        measured_drop_v=value,
        basis=basis,
        measured_uncertainty_v=u,
        judged_drop_v=judged,
        judged_uncertainty_v=u_judged,
        limit_v=limit.volts,
        limit_rule=limit.rule,
        limit_source=limit.source,
        verdict=verdict,
        reason=reason,
    )


def _sum_check(name: str, parts: float, u_parts: float, whole: float, u_whole: float, what: str, against: str) -> SumCheck:
    difference, allowance = parts - whole, combine(u_parts, u_whole)
    agrees = abs(difference) <= allowance
    if agrees:
        message = f"{what} add up to {against} within the meter's {_mv(allowance)}."
    else:
        message = (
            f"{what} give {_mv(parts)}, {against} {_mv(whole)}: {_mv(abs(difference))} apart, more than the meter's {_mv(allowance)}. "
            "A probe was wrong, or the current changed between the readings. Repeat them before judging."
        )
    return SumCheck(
        name=name, parts_v=parts, whole_v=whole, difference_v=difference, allowance_v=allowance, agrees=agrees, message=message
    )


def _sides(j: _Judge) -> tuple[tuple[SideAssessment, ...], tuple[SumCheck, ...]]:
    ring = j.now.ring
    feed, u_feed, feed_basis, feed_sum, u_feed_sum = _side_value(j, Quantity.FEED_DROP, ring.feed)
    home, u_home, home_basis, home_sum, u_home_sum = _side_value(j, Quantity.RETURN_DROP, ring.home)
    checks = []
    if feed_basis == "reading" and feed_sum is not None and feed is not None:
        checks.append(
            _sum_check("feed", feed_sum, u_feed_sum or 0, feed, u_feed or 0, "The feed branches", "the feed side read whole")
        )
    if home_basis == "reading" and home_sum is not None and home is not None:
        checks.append(
            _sum_check(
                "return", home_sum, u_home_sum or 0, home, u_home or 0, "The return branches", "the return side read whole"
            )
        )
    whole = u_whole = None
    basis = "none"
    if feed is not None and home is not None:
        whole, u_whole, basis = feed + home, combine(u_feed or 0, u_home or 0), "sides"
    if j.test is not None:
        stud, battery = j.read.get((Quantity.STUD_VOLTAGE, None)), j.read.get((Quantity.BATTERY_VOLTAGE, None))
        if stud is not None and battery is not None:
            lost, u_lost = stud - battery, combine(j.u_volts(stud), j.u_volts(battery))
            if whole is not None:
                checks.append(
                    _sum_check("whole", whole, u_whole or 0, lost, u_lost, "Both sides", "stud voltage less battery voltage")
                )
            else:
                whole, u_whole, basis = lost, u_lost, "voltages"
    now_feed, now_home = j.now.path_drop(ring.feed), j.now.path_drop(ring.home)
    rated_feed, rated_home = j.rated.path_drop(ring.feed), j.rated.path_drop(ring.home)
    return (
        _judge_side(j, "feed", Scope.SIDE, feed, u_feed, feed_basis, now_feed, rated_feed),
        _judge_side(j, "return", Scope.SIDE, home, u_home, home_basis, now_home, rated_home),
        _judge_side(j, "whole", Scope.WHOLE, whole, u_whole, basis, now_feed + now_home, rated_feed + rated_home),
    ), tuple(checks)


def _budget_findings(j: _Judge) -> list[Finding]:
    """Sides that would be over their limit even if every part were sound, and a test too weak to judge by."""
    findings = []
    for name, branches in (("feed", j.rated.ring.feed), ("return", j.rated.ring.home)):
        limit, drop = j.limit(Scope.SIDE), j.rated.path_drop(branches)
        if drop > limit.volts:
            findings.append(
                Finding(
                    code=f"{name}_undersized",
                    severity=Severity.WARNING,
                    branch_id=max(branches, key=lambda b: abs(j.rated.drop_v[b])),
                    title=f"The {name} side is too thin for {j.circuit.alternator.rated_a:g} A even when sound",
                    why=f"New and clean it would lose {_mv(drop)} at rated output; cleaning cannot mend that.",
                    rule=limit.rule,
                    source=limit.source,
                )
            )
    if j.test is not None and j.test.output_current_a < LEAST_USEFUL_SHARE * j.circuit.alternator.rated_a:
        findings.append(
            Finding(
                code="weak_test",
                severity=Severity.NOTE,
                branch_id=None,
                title="The test current is low",
                why=f"{j.test.output_current_a:g} A is under {LEAST_USEFUL_SHARE:.0%} of the rated {j.circuit.alternator.rated_a:g} A: "
                "small drops drown in the meter's last digit. Switch on loads or the bank and repeat.",
                rule="Drops are judged at rated output",
                source="Common practice of the trade",
            )
        )
    return findings


RANK = {
    BranchVerdict.FAIL: 0,
    BranchVerdict.CHECK_PROBES: 1,
    BranchVerdict.EXCESS: 2,
    BranchVerdict.CLOSE: 3,
    BranchVerdict.PASS: 4,
    BranchVerdict.NOT_MEASURED: 5,
}


def _headline(
    branches: tuple[BranchAssessment, ...],
    sides: tuple[SideAssessment, ...],
    checks: tuple[SumCheck, ...],
    findings: tuple[Finding, ...],
) -> Headline:
    """The worst thing first: readings that contradict each other, then a bad branch, a bad side, a danger, what is missing."""
    for check in checks:
        if not check.agrees:
            return Headline(
                verdict=BranchVerdict.CHECK_PROBES,
                text=check.message,
                next_step="Read the side whole and part by part again.",
                branch_id=None,
            )

    def worst(b: BranchAssessment) -> tuple[int, float]:
        return RANK[b.verdict], -(b.excess_heat_w or 0)

    seen = [b for b in branches if b.verdict not in (BranchVerdict.PASS, BranchVerdict.NOT_MEASURED)]
    bad = min(seen, key=worst) if seen else None
    if bad is not None:
        return Headline(verdict=bad.verdict, text=f"{bad.label}: {bad.reason}", next_step=bad.next_step, branch_id=bad.branch_id)
    poor = min((s for s in sides), key=lambda s: RANK[s.verdict])
    if poor.verdict not in (BranchVerdict.PASS, BranchVerdict.NOT_MEASURED):
        return Headline(
            verdict=poor.verdict, text=poor.reason, next_step="Measure the branches of this side one by one.", branch_id=None
        )
    missing = [b for b in branches if b.on_ring and b.verdict is BranchVerdict.NOT_MEASURED]
    grave = next((f for f in findings if f.severity is Severity.DANGER), None)
    if grave is not None:
        return Headline(
            verdict=BranchVerdict.FAIL,
            text=f"{grave.title}. {grave.why}",
            next_step="Propose a cable and fuse.",
            branch_id=grave.branch_id,
        )
    if (
        missing
        and len(missing) == sum(b.on_ring for b in branches)
        and all(s.verdict is BranchVerdict.NOT_MEASURED for s in sides)
    ):
        return Headline(
            verdict=BranchVerdict.NOT_MEASURED,
            text="Nothing measured yet.",
            next_step="Run the charging voltage-drop test.",
            branch_id=missing[0].branch_id,
        )
    if missing:
        names = ", ".join(b.label for b in missing)
        return Headline(
            verdict=BranchVerdict.PASS,
            text="What was measured is within its limits.",
            next_step=f"Still to read: {names}.",
            branch_id=missing[0].branch_id,
        )
    return Headline(
        verdict=BranchVerdict.PASS,
        text="Every branch and both sides are within their limits.",
        next_step="Nothing to mend in this circuit.",
        branch_id=None,
    )


def operating_state(circuit: Circuit, test: DropTest | None) -> OperatingState:
    """The state a test was made in; without a test, rated output at the regulator's set point.

    circuit, test: the document and what was measured on it
    """
    alternator = circuit.alternator
    if test is None:
        return OperatingState(alternator.rated_a, alternator.set_point_v)
    stud = test.value(Quantity.STUD_VOLTAGE)
    return OperatingState(
        test.output_current_a, alternator.set_point_v if stud is None else stud, test.engine_space_c, test.ambient_c
    )


def assess(
    circuit: Circuit,
    test: DropTest | None = None,
    profile: LimitProfileName = LimitProfileName.COMMON,
    ring: Ring | None = None,
) -> Assessment:
    """Judge a circuit: its parts, and the readings of a charging voltage-drop test where there is one.

    circuit: the document
    test: readings with the instruments they were taken with, or None
    profile: named limit profile
    ring: the circuit's ring, where it is known already
    Returns every branch with prediction, measurement, limit, verdict and reason; both sides; the sums; the findings.
    Readings of branches the circuit does not have are left out. Drops are judged scaled to rated output.
    Raises CircuitError for a circuit that does not close.
    Source: Ohm's and Joule's laws; limits by the profile; verdicts by JCGM 106.
    """
    state = operating_state(circuit, test)
    ring = ring or find_ring(circuit)
    now = predict(circuit, state, ring=ring)
    at_rated = OperatingState(
        circuit.alternator.rated_a,
        circuit.alternator.set_point_v,
        state.engine_space_c,
        state.ambient_c,
        warmed_up=True,
    )
    rated = predict(circuit, at_rated, ring=ring)
    j = _Judge(circuit, test, now, rated, profile, test.by_key() if test else {})
    parts = judge_parts(circuit, rated)
    place: dict[str, int] = {branch_id: k for k, branch_id in enumerate((*ring.feed, *ring.home))}
    order: Callable[[AnyBranch], int] = lambda b: place.get(b.id, len(place))  # noqa: E731
    branches = tuple(
        _judge_branch(j, b, parts.ampacity, parts.fuses) for b in sorted(circuit.branches, key=order) if b.id in now.drop_v
    )
    sides, checks = _sides(j)
    severity = {Severity.DANGER: 0, Severity.WARNING: 1, Severity.NOTE: 2}
    findings = tuple(sorted((*parts.findings, *_budget_findings(j)), key=lambda f: severity[f.severity]))
    return Assessment(
        limit_profile=profile,
        limit_label=limit_table().profiles[profile].label,
        output_current_a=state.output_current_a,
        rated_current_a=circuit.alternator.rated_a,
        measured=test is not None,
        stud_voltage_v=state.stud_voltage_v,
        battery_voltage_v=now.node_v[circuit.battery.positive_node] - now.node_v[circuit.battery.negative_node],
        branches=branches,
        sides=sides,
        checks=checks,
        findings=findings,
        node_voltages_v=dict(now.node_v),
        headline=_headline(branches, sides, checks, findings),
    )

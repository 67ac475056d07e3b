"""The one judgement: everything that is said of a job's circuit by all that was read on it."""

from __future__ import annotations

from collections.abc import Sequence

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.ring import Ring, between_sources, find_ring
from mavrik.core.circuit.rules import charging_gaps
from mavrik.core.findings.band import sound_band
from mavrik.core.findings.behaviour import charging_voltage_findings, chattering_findings
from mavrik.core.findings.bench import Bench
from mavrik.core.findings.bench_model import as_it_ran
from mavrik.core.findings.branches import judge_branch
from mavrik.core.findings.causes import (
    doubtful_readings,
    nothing_broken,
    one_of,
    ranked_causes,
    settled_part,
    several,
    undecided_sets,
)
from mavrik.core.findings.documents import BranchFinding, BranchVerdict, Findings, SideFinding, SumCheck, TestFinding
from mavrik.core.findings.headline import DROPS, HeadlineBasis, headline
from mavrik.core.findings.inference import Posterior, infer
from mavrik.core.findings.next_reading import Ahead, look_ahead
from mavrik.core.findings.not_shown import not_shown
from mavrik.core.findings.sides import budget_findings, judge_sides
from mavrik.core.measuring.limits import limit_table
from mavrik.core.measuring.readings import Run, overdue_meters
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.operating.bench_states import BenchState, state_of
from mavrik.core.operating.prediction import FAST_RPM, at_rated_output, predict_what_can_be
from mavrik.core.operating.state import State
from mavrik.core.procedures import (
    PROCEDURES,
    Judgement,
    Limits,
    Observation,
    Procedure,
    latest_of,
    no_longer_in_a_procedure,
    observations,
    standing,
)
from mavrik.core.procedures.bench.charging_drops import output_point
from mavrik.core.protection.documents import Finding, Severity, by_severity
from mavrik.core.protection.parts import judge_parts

NO_OTHER = Limits()
OF_A_READING = {
    BranchVerdict.PASS: Verdict.PASS,
    BranchVerdict.FAIL: Verdict.FAIL,
    BranchVerdict.EXCESS: Verdict.FAIL,
    BranchVerdict.CHECK_PROBES: Verdict.FAIL,
    BranchVerdict.CLOSE: Verdict.CLOSE,
    BranchVerdict.UNDECIDED: Verdict.CLOSE,
}


def spurs_of(circuit: Circuit) -> frozenset[str]:
    """Branches that serve a load or a converter alone; most circuits have none, and then nobody has to look."""
    if not (circuit.loads or circuit.converters):
        return frozenset()
    return frozenset(b.id for b in circuit.branches) - between_sources(circuit)


def gap_findings(circuit: Circuit) -> list[Finding]:
    """What a circuit cannot do, as `charging_gaps` says it."""
    branches = {b.id for b in circuit.branches}
    return [
        Finding(
            code="cannot_charge",
            severity=Severity.WARNING,
            branch_id=p.element if p.element in branches else None,
            title="The circuit cannot charge as it is drawn",
            why=p.message,
            rule="A charging circuit is a closed loop through every battery",
            source="Kirchhoff's laws",
        )
        for p in charging_gaps(circuit)
    ]


def _bench(circuit: Circuit, ring: Ring, posterior: Posterior, drops: dict[str, Observation], limits: Limits) -> Bench:
    setup = max(drops.values(), key=lambda o: o.run).setup if drops else None
    if not ring.closes:
        # What cannot go round has no output to be known; the engine runs, and current goes where it can.
        now = rated = State(engine_rpm=FAST_RPM, chargers_on=False)
    else:
        now = state_of(setup, circuit) if setup else at_rated_output(circuit)
        rated = at_rated_output(circuit, now.engine_space_c, now.ambient_c)
    ran, now = as_it_ran(circuit, now, posterior.model.idle)
    sound = predict_what_can_be(ran, now, ring)
    fitted = posterior.best.fitted or next((c.fitted for c in posterior.candidates if c.fitted is not None), None)
    sound_rated = predict_what_can_be(circuit, rated, ring)
    as_read, as_read_rated = sound, sound_rated
    if fitted is not None and drops:
        excess = dict(zip(fitted.problem.branch_ids, fitted.excess_ohm.tolist(), strict=True))
        charged = dict(zip(fitted.problem.battery_ids, fitted.charged_v.tolist(), strict=True))
        as_read = predict_what_can_be(ran, now, ring, excess, charged)
        as_read_rated = predict_what_can_be(circuit, rated, ring, excess, charged)
    return Bench(
        circuit=circuit,
        ring=ring,
        read=drops,
        posterior=posterior,
        now=sound,
        fitted=as_read,
        rated=sound_rated,
        fitted_rated=as_read_rated,
        profile=limits.profile,
        rated_a=circuit.alternator.rated_a,
        spurs=spurs_of(circuit),
        band=sound_band(posterior, ring, list(drops.values())),
        doubtful=frozenset(d.point for d in doubtful_readings(posterior)),
    )


def _regulated(circuit: Circuit, read: Sequence[Observation]) -> dict[str, float]:
    """The highest charging voltage that was read at each battery's posts."""
    posts = {(b.positive_node, b.negative_node): b.id for b in circuit.batteries}
    volts: dict[str, float] = {}
    for o in read:
        battery = posts.get((o.point.red, o.point.black))
        if battery is not None and o.point.quantity == "voltage" and o.point.state in (BenchState.IDLE, BenchState.FAST):
            volts[battery] = max(volts.get(battery, 0.0), o.measured.value)
    return volts


def _of_drops(branches: Sequence[BranchFinding], sides: Sequence[SideFinding]) -> list[Judgement]:
    """What is said of each reading of the drop test: what is said of its branch or side."""
    judgements = []
    for s in sides:
        if s.name in ("feed", "return") and s.basis == "reading" and s.verdict in OF_A_READING and s.measured_drop_v is not None:
            judgements.append(
                Judgement(
                    f"{s.name}_v", f"{s.name.capitalize()} side, whole", s.measured_drop_v, s.measured_uncertainty_v or 0.0, "voltage_drop",
                    OF_A_READING[s.verdict], s.limit_rule, s.limit_source, s.reason, "",
                )
            )  # fmt: skip
    for b in branches:
        if b.measured_drop_v is not None and b.verdict in OF_A_READING:
            judgements.append(
                Judgement(
                    f"drop_v:{b.branch_id}", b.label, b.measured_drop_v, b.measured_uncertainty_v or 0.0, "voltage_drop",
                    OF_A_READING[b.verdict], b.limit_rule, b.limit_source, b.reason, b.next_step,
                )
            )  # fmt: skip
    return judgements


NEARLY_HELD_V = 0.5
"""So little below its set point a unit regulates: nobody asks it for anything. Of 12 V; our choice, no source."""


def _no_output(circuit: Circuit, read: Sequence[Observation]) -> list[Judgement]:
    """What is said of a drop test with loads or a bank on where nothing came out of the unit, and nothing held the volts either."""
    held = min(a.set_point_v for a in circuit.alternators) - NEARLY_HELD_V * circuit.system_voltage_v / 12
    volts = [o.measured.value for o in read if o.point.id in ("stud_v", "battery_v")]
    if volts and min(volts) > held:
        return []
    return [
        Judgement(
            o.point.id, o.point.label, o.measured.value, o.measured.uncertainty, o.point.quantity, Verdict.FAIL,
            "something comes out of it with loads or a bank on", "Common practice of the trade", "Nothing comes out of it.",
            "Volts across the feed or return side meanwhile: the way is open. None: no field, or no belt.",
        )
        for o in read
        if o.point.id == output_point(circuit) and o.setup.state is BenchState.FAST_LOADED
    ]  # fmt: skip


def _test(
    of: Procedure, circuit: Circuit, runs: Sequence[tuple[int, Run]], limits: Limits, drops: list[Judgement]
) -> TestFinding | None:
    of_procedure = [r for _, r in runs if r.procedure == of.name]
    if not of_procedure:
        return None
    measured, repeats = latest_of(of, circuit, runs)
    last = of_procedure[-1]
    latest = {r.point: r for run in of_procedure for r in run.readings}
    order = [p.id for p in of.points(circuit)]
    judgements = drops if of.name == DROPS else of.judge(circuit, measured, limits)
    return TestFinding(
        procedure=of.name,
        title=of.title,
        skipped=last.skipped,
        measured_by=last.measured_by,
        measured_at=last.measured_at,
        meters=tuple(
            dict.fromkeys(m.label for run in of_procedure for r in run.readings for m in run.instruments if m.id == r.instrument)
        ),
        overdue=overdue_meters(last),
        readings=tuple(latest[i] for i in order if i in latest),
        judgements=tuple(judgements),
        repeats=tuple(repeats),
    )


def _missing(ring: Ring, branches: Sequence[BranchFinding], read: Sequence[str]) -> tuple[str, ...]:
    """What has to be read before the circuit can be called sound: every part of the ring, or its side whole."""
    if not ring.closes:
        return ()
    unread = [b for b in branches if b.on_ring and b.verdict is BranchVerdict.NOT_MEASURED]
    if not any(i.startswith(("drop_v:", "feed_v", "return_v")) for i in read):
        return ("the drop along each lead while charging",) if unread else ()
    return tuple(f"the drop of {b.label}" for b in unread)


def _contradicted(
    bench: Bench, branches: Sequence[BranchFinding], sides: Sequence[SideFinding], checks: Sequence[SumCheck]
) -> frozenset[str]:
    """Points to be read again before anything else is: what no likely cause explains, what runs against the current or did not touch; and
    where it is not known which part of a sum was a slip, the whole that it is held against."""
    again = bench.doubtful | {f"drop_v:{b.branch_id}" for b in branches if b.verdict is BranchVerdict.CHECK_PROBES}
    again |= {f"{s.name}_v" for s in sides if s.verdict is BranchVerdict.CHECK_PROBES}
    apart = [c.name for c in checks if not c.agrees]
    return again or frozenset(
        point for name in apart for point in (("stud_v", "battery_v") if name == "whole" else (f"{name}_v",))
    )


def judge(
    circuit: Circuit,
    runs: Sequence[Run] = (),
    limits: Limits = NO_OTHER,
    wants: str = "",
    superseded: Sequence[int] = (),
    ahead: bool = True,
) -> Findings:
    """Judge a circuit: its parts, every reading taken on it, and what they add up to.

    circuit: the document
    runs: all runs of the job, the oldest first, completed as `mavrik.core.procedures.complete_run` does
    limits: of the job
    wants: what the job is for besides a fault, as a sentence's end ("to carry 155 A more, plan the change"); empty: nothing
    superseded: places of the runs that a later one corrects, from 0
    ahead: whether to look which reading would tell most next; that takes most of the time
    Readings of branches the circuit does not have any more are left out and listed. Drops are judged scaled to rated output.
    Raises CircuitError for a circuit that cannot be computed, NoOperatingPointError where nothing satisfies it.
    Source: `mavrik.core.findings.inference`; Ohm's and Joule's laws; limits by the profile; verdicts by JCGM 106.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> judge(front_battery(12)).headline.text
    'Nothing measured yet.'
    """
    stand = standing(runs, superseded)
    read = observations(circuit, stand)
    posterior = infer(circuit, read)
    ring = find_ring(circuit)
    drops = {o.point.id: o for o in read if o.setup.state is BenchState.AT_OUTPUT and o.setup.output_a is not None}
    bench = _bench(circuit, ring, posterior, drops, limits)
    parts = judge_parts(circuit)
    conducting = {b.id: b for b in circuit.branches if b.conducts}
    order = [*ring.feed, *ring.return_side, *(i for i in conducting if i not in ring.ids)]
    branches = tuple(judge_branch(bench, conducting[i], parts) for i in order if i in conducting)
    sides, checks = judge_sides(bench)
    of_parts = by_severity(
        (
            *gap_findings(circuit),
            *parts.findings,
            *budget_findings(bench),
            *charging_voltage_findings(circuit, _regulated(circuit, read)),
            *chattering_findings(bench),
        )
    )
    of_drops = [*_no_output(circuit, read), *_of_drops(branches, sides)]
    tests = tuple(t for p in PROCEDURES if (t := _test(p, circuit, stand, limits, of_drops)) is not None)
    ids = frozenset(o.point.id for o in read)
    hearsay = frozenset(o.point.id for o in read if o.point.hearsay)
    measured = tuple(t for t in tests if not t.readings or any(r.point not in hearsay for r in t.readings))
    setups = {o.setup.state: o.setup for o in drops.values()}
    following = look_ahead(posterior, ids, setups, _contradicted(bench, branches, sides, checks)) if ahead else Ahead()
    causes, missing = ranked_causes(posterior, following.turns), _missing(ring, branches, sorted(ids))
    undecided, doubtful, together = undecided_sets(posterior), doubtful_readings(posterior), several(posterior)
    following = following.deciding_first if undecided and not doubtful else following
    part, fine = settled_part(posterior), nothing_broken(posterior)
    few, unseen = None if part is not None else one_of(posterior), not_shown(posterior, following.shown_by)
    basis = HeadlineBasis(
        frozenset(o.point.id for o in posterior.evidence if not o.point.hearsay), branches, sides, checks, causes, fine, together, part, few, unseen, undecided, doubtful, following.actions, following.tests, measured,
        of_parts, missing, circuit.system_voltage_v, wants,
    )  # fmt: skip
    volts, battery = bench.now.node_v, circuit.battery
    return Findings(
        limit_profile=limits.profile,
        limit_label=limit_table().profiles[limits.profile].label,
        headline=headline(basis),
        branches=branches,
        sides=sides,
        checks=checks,
        causes=causes,
        together=together,
        nothing_broken=fine,
        settled_part=part,
        one_of=few,
        not_shown=unseen,
        undecided=undecided,
        doubtful=doubtful,
        not_weighed=tuple(conducting[b].label for b in posterior.not_weighed),
        deciding=following.deciding,
        next_tests=following.tests,
        next_actions=following.actions,
        tests=tests,
        not_asked=tuple(no_longer_in_a_procedure(circuit, stand)),
        parts=of_parts,
        missing=missing,
        readings=len(posterior.evidence),
        output_current_a=bench.now.output_a,
        rated_current_a=circuit.alternator.rated_a,
        measured=bool(drops),
        stud_voltage_v=bench.now.stud_voltage_v,
        battery_voltage_v=volts[battery.positive_node] - volts[battery.negative_node],
        node_voltages_v=dict(volts),
    )

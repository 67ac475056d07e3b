"""Judging a circuit with what was measured on it."""

from __future__ import annotations

from mavrik.core.assessment.bench import Bench, Readings
from mavrik.core.assessment.branch import judge_branch
from mavrik.core.assessment.documents import Assessment
from mavrik.core.assessment.headline import headline
from mavrik.core.assessment.sides import budget_findings, judge_sides
from mavrik.core.circuit import Circuit
from mavrik.core.limits import LimitProfileName, limit_table
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.parts import by_severity, judge_parts
from mavrik.core.prediction import OperatingState, Predictor
from mavrik.core.topology import Ring, between_sources, find_ring


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


def spurs_of(circuit: Circuit) -> frozenset[str]:
    """Branches that serve a load or a converter alone; most circuits have none, and then nobody has to look."""
    if not (circuit.loads or circuit.converters):
        return frozenset()
    return frozenset(b.id for b in circuit.branches) - between_sources(circuit)


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

    >>> from mavrik.core.layouts import front_battery
    >>> assess(front_battery(12)).headline.text
    'No drop test yet.'
    """
    state = operating_state(circuit, test)
    ring = ring or find_ring(circuit)
    predictor = Predictor(circuit, ring)
    rated_state = OperatingState(
        circuit.alternator.rated_a, circuit.alternator.set_point_v, state.engine_space_c, state.ambient_c, warmed_up=True
    )
    bench = Bench(
        circuit,
        Readings.of(test) if test else None,
        predictor.predict(state),
        predictor.predict(rated_state),
        profile,
        circuit.alternator.rated_a,
        spurs_of(circuit),
    )
    parts = judge_parts(circuit, bench.rated)
    conducting = {b.id: b for b in predictor.live}
    off_ring = [branch_id for branch_id in conducting if branch_id not in ring.ids]
    branches = tuple(judge_branch(bench, conducting[b], parts) for b in (*ring.feed, *ring.home, *off_ring))
    sides, checks = judge_sides(bench)
    findings = by_severity((*parts.findings, *budget_findings(bench)))
    node_v = bench.now.node_v
    return Assessment(
        limit_profile=profile,
        limit_label=limit_table().profiles[profile].label,
        output_current_a=state.output_current_a,
        rated_current_a=circuit.alternator.rated_a,
        measured=test is not None,
        stud_voltage_v=state.stud_voltage_v,
        battery_voltage_v=node_v[circuit.battery.positive_node] - node_v[circuit.battery.negative_node],
        branches=branches,
        sides=sides,
        checks=checks,
        findings=findings,
        node_voltages_v=dict(node_v),
        headline=headline(branches, sides, checks, findings),
    )

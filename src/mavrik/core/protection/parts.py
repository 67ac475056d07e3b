"""Judging the parts fitted, before any reading: ampacity, fuses, ratings, condition."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import Annotated

from pydantic import Field

from mavrik.core.catalogue.conductor import Material, Stranding, parse_size
from mavrik.core.catalogue.fuses import distance_limit_m, fuse_table
from mavrik.core.circuit import (
    AnyBranch,
    Circuit,
    ConductorBranch,
    ContactBranch,
    FuseBranch,
    TerminationCondition,
)
from mavrik.core.circuit.graph import around, graph_of
from mavrik.core.operating.prediction import Prediction
from mavrik.core.thermal.ampacity import Ampacity, AmpacityTableName, Place, ampacity
from mavrik.core.thermal.heat import heat_curve


class Severity(StrEnum):
    """How much a finding matters."""

    DANGER = "danger"
    WARNING = "warning"
    NOTE = "note"


@dataclass(frozen=True)
class Finding:
    """Something to say about a part or the circuit, with the rule behind it."""

    code: str
    severity: Severity
    branch_id: str | None
    title: str
    why: str
    rule: str
    source: str


_GRAVITY = {Severity.DANGER: 0, Severity.WARNING: 1, Severity.NOTE: 2}


def by_severity(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Findings, the gravest first, otherwise in the order they were given."""
    return tuple(sorted(findings, key=lambda f: _GRAVITY[f.severity]))


@dataclass(frozen=True)
class AmpacityCheck:
    """A conductor's allowed current beside the current the alternator can send through it."""

    current_a: float
    allowed_a: float
    table: str
    words: str
    other_allowed_a: float | None
    other_table: str
    physics_a: Annotated[float, Field(description="By the heat balance in still air of the table's temperature [A]")]
    compared: Annotated[str, Field(description="How far the other table and the heat balance lie from it")]
    ok: bool


@dataclass(frozen=True)
class FuseCheck:
    """A fuse beside the load above which it must be and the cable below which it must be."""

    rating_a: float
    family: str
    interrupting_a: float
    load_a: float
    cable_a: float | None
    above_load: bool
    below_cable: bool
    words: str


@dataclass(frozen=True)
class PartsReport:
    """All checks of the parts of one circuit at its rated current."""

    ampacity: dict[str, AmpacityCheck]
    fuses: dict[str, FuseCheck]
    findings: tuple[Finding, ...]


def series_run(circuit: Circuit, branch_id: str) -> list[AnyBranch]:
    """The chain of branches that must carry the same current as a branch, in no special order.

    circuit: the document
    branch_id: a branch of it
    Returns the branch and all reached from it through nodes where nothing else is connected.
    """
    touching: dict[str, list[AnyBranch]] = defaultdict(list)
    for branch in circuit.branches:
        if branch.conducts:
            touching[branch.from_node].append(branch)
            touching[branch.to_node].append(branch)
    tied = {n for b in circuit.batteries for n in (b.positive_node, b.negative_node)}
    tied |= {n for a in circuit.alternators for n in (a.stud_node, a.case_node)}
    tied |= {n for load in circuit.loads for n in (load.from_node, load.to_node)}
    tied |= {n for c in circuit.converters for n in (c.in_node, c.out_node, c.ground_node)}
    tied |= {n for c in circuit.chargers for n in (c.positive_node, c.negative_node)}
    run = {branch_id: circuit.branch(branch_id)}
    todo = [run[branch_id]]
    while todo:
        branch = todo.pop()
        for node in (branch.from_node, branch.to_node):
            if node in tied or len(touching[node]) != 2:
                continue
            for other in touching[node]:
                if other.id not in run:
                    run[other.id] = other
                    todo.append(other)
    return list(run.values())


def check_ampacity(branch: ConductorBranch, current_a: float) -> AmpacityCheck:
    """A conductor's allowed current against the current through it.

    branch: cable or strap
    current_a: current at rated output [A], either sign
    Returns the check by the table of its size series, and what the other named table and the heat balance would say.
    Source: the tables', see `mavrik.core.thermal.ampacity`; heat balance, see `mavrik.core.thermal.heat`.
    """
    allowed, other, physics_a = _by_every_way(
        branch.size, branch.insulation_c, branch.place, branch.material, branch.parallel, branch.ambient_c, branch.bundled,
        branch.stranding,
    )  # fmt: skip
    against = [
        f"{label} {abs(amps / allowed.current_a - 1):.0%} {'more' if amps >= allowed.current_a else 'less'} ({amps:.0f} A)"
        for label, amps in (
            (other.table_label if other else "", other.current_a if other else None),
            (f"the heat balance in still air of {allowed.ambient_c:g} degC", physics_a),
        )
        if amps is not None and allowed.current_a > 0
    ]
    return AmpacityCheck(
        current_a=abs(current_a),
        allowed_a=allowed.current_a,
        table=allowed.table,
        words=allowed.reason,
        other_allowed_a=other.current_a if other else None,
        other_table=other.table if other else next(n for n in AmpacityTableName if n is not allowed.table),
        physics_a=physics_a,
        compared=("Beside that, " + "; ".join(against) + ".") if against else "",
        ok=abs(current_a) <= allowed.current_a,
    )


@lru_cache(maxsize=4096)
def _by_every_way(
    size: str,
    insulation_c: int,
    place: Place,
    material: Material,
    parallel: int,
    ambient_c: float | None,
    bundled: int,
    stranding: Stranding,
) -> tuple[Ampacity, Ampacity | None, float]:
    """Ampacity by the table of the size series, by the other table where it has the size, and by physics [A]."""
    conductor = parse_size(size)
    allowed = ampacity(conductor, insulation_c, place, None, material, parallel, ambient_c, bundled)
    other_name = next(name for name in AmpacityTableName if name is not allowed.table)
    curve = heat_curve(conductor, allowed.ambient_c, material, stranding, bundled)
    physics = curve.ampacity_a(insulation_c) * parallel
    try:
        return allowed, ampacity(conductor, insulation_c, place, other_name, material, parallel, ambient_c, bundled), physics
    except ValueError:
        return allowed, None, physics


def check_fuse(circuit: Circuit, fuse: FuseBranch, current_a: float, ampacities: dict[str, AmpacityCheck]) -> FuseCheck:
    """A fuse against its load and against the weakest cable in series with it.

    circuit, fuse: the document and a fuse of it
    current_a: current through it at rated output [A], either sign
    ampacities: checks of the circuit's conductors by id
    Source: fuse above the load and below the cable (common practice).
    """
    family = fuse_table().families[fuse.family]
    load = abs(current_a)
    cables = [ampacities[b.id].allowed_a for b in series_run(circuit, fuse.id) if b.id in ampacities]
    cable = min(cables) if cables else None
    above, below = fuse.rating_a >= load, cable is None or fuse.rating_a <= cable
    if not above:
        words = f"The {fuse.rating_a:g} A fuse is below the {load:.0f} A it has to carry: it will open in use."
    elif not below:
        words = (
            f"The {fuse.rating_a:g} A fuse lets more through than the {cable:.0f} A its cable may carry: the cable burns first."
        )
    else:
        words = f"{fuse.rating_a:g} A lies above the {load:.0f} A load" + (
            f" and below the cable's {cable:.0f} A." if cable else "."
        )
    return FuseCheck(
        rating_a=fuse.rating_a,
        family=family.label,
        interrupting_a=family.interrupting_a,
        load_a=load,
        cable_a=cable,
        above_load=above,
        below_cable=below,
        words=words,
    )


def _unfused(circuit: Circuit) -> list[Finding]:
    """What each battery can feed before its current meets a fuse."""
    source = fuse_table().distance_source
    graph = graph_of(circuit.branches)
    findings: dict[tuple[str, str], Finding] = {}
    others = {b.positive_node: b for b in circuit.batteries}
    for battery in circuit.batteries:
        seen = {battery.positive_node}
        todo: list[tuple[str, float, bool]] = [(battery.positive_node, 0.0, True)]
        while todo:
            node, length, sheathed = todo.pop()
            for other, branch in around(graph, node):
                if isinstance(branch, FuseBranch) or other in seen:
                    continue
                seen.add(other)
                far, wrapped = length, sheathed
                if isinstance(branch, ConductorBranch):
                    far, wrapped = length + branch.length_m, sheathed and branch.sheathed
                allowed = distance_limit_m(wrapped, at_battery=True)
                if other == circuit.alternator.stud_node:
                    findings[("no_fuse", branch.id)] = Finding(
                        code="no_fuse",
                        severity=Severity.DANGER,
                        branch_id=branch.id,
                        title=f"No fuse between {battery.label} and the alternator",
                        why=f"{far:.2f} m of live cable with nothing to open it: one rub-through and the battery feeds the fault.",
                        rule="A fuse at the source end, as near to the battery as possible",
                        source=source,
                    )
                elif other in others and far <= distance_limit_m(False, at_battery=True):
                    # Posts joined by links no longer than a fuse may be away are one bank, fused where it is taken off.
                    todo.append((other, 0.0, True))
                    continue
                elif other in others:
                    pair = "_".join(sorted((battery.id, others[other].id)))
                    findings[("two_sources", pair)] = Finding(
                        code="two_sources",
                        severity=Severity.DANGER,
                        branch_id=branch.id,
                        title=f"No fuse between {battery.label} and {others[other].label}",
                        why="Two sources on one lead: a fault anywhere on it is fed from both ends.",
                        rule="Two sources on one lead: a fuse at both ends",
                        source="Common practice of the trade",
                    )
                elif far > allowed and isinstance(branch, ConductorBranch):
                    findings[("fuse_far", branch.id)] = Finding(
                        code="fuse_far",
                        severity=Severity.WARNING,
                        branch_id=branch.id,
                        title=f"{branch.label}: the fuse is too far from {battery.label}",
                        why=f"{far:.2f} m of cable before the first fuse; {allowed:.2f} m is allowed"
                        + ("." if wrapped else " unless it is sheathed."),
                        rule=f"Fuse within {allowed * 1000:.0f} mm of the battery",
                        source=source,
                    )
                todo.append((other, far, wrapped))
    # Where there is no fuse at all, how far it is from the battery is beside the point.
    bare = {battery for code, battery in findings if code == "no_fuse"}
    return [f for (code, _), f in findings.items() if code != "fuse_far" or not bare]


def _conditions(branch: ConductorBranch) -> list[Finding]:
    bad = {
        TerminationCondition.CORRODED: "corroded",
        TerminationCondition.LOOSE: "loose",
        TerminationCondition.HEAT_DAMAGED: "heat-damaged",
    }
    seen = [
        f"{bad[end.condition]} at {node}"
        for end, node in ((branch.from_end, branch.from_node), (branch.to_end, branch.to_node))
        if end.condition in bad
    ]
    if not seen:
        return []
    return [
        Finding(
            code="bad_end",
            severity=Severity.WARNING,
            branch_id=branch.id,
            title=f"{branch.label}: {' and '.join(seen)}",
            why="A charging test on dirty or loose ends is worthless: clean to bright metal and tighten, then measure again.",
            rule="Clean and tight before any test",
            source="Common practice of the trade",
        )
    ]


def judge_parts(circuit: Circuit, rated: Prediction) -> PartsReport:
    """Every part of a circuit against what the alternator can send through it.

    circuit: the document
    rated: its prediction at the alternator's rated current
    Returns the checks by branch and the findings, dangers first.
    """
    ampacities = {b.id: check_ampacity(b, rated.current_a[b.id]) for b in circuit.branches if isinstance(b, ConductorBranch)}
    fuses: dict[str, FuseCheck] = {}
    findings = _unfused(circuit)
    rated_a = circuit.alternator.rated_a
    for branch in circuit.branches:
        if branch.id not in rated.current_a:
            continue
        current = abs(rated.current_a[branch.id])
        if isinstance(branch, ConductorBranch):
            check = ampacities[branch.id]
            if not check.ok:
                findings.append(
                    Finding(
                        code="cable_too_small",
                        severity=Severity.DANGER,
                        branch_id=branch.id,
                        title=f"{branch.label}: {branch.size.replace('mm2', 'mm²')} is too small for a {rated_a:g} A unit",
                        why=f"It may carry {check.allowed_a:.0f} A for good and would see {current:.0f} A.",
                        rule=check.words,
                        source="ABYC E-11" if check.table == AmpacityTableName.ABYC_E11 else "ISO 10133",
                    )
                )
            findings += _conditions(branch)
        elif isinstance(branch, FuseBranch):
            fuses[branch.id] = fuse = check_fuse(circuit, branch, current, ampacities)
            if not (fuse.above_load and fuse.below_cable):
                findings.append(
                    Finding(
                        code="fuse_above_cable" if fuse.above_load else "fuse_below_load",
                        severity=Severity.DANGER if fuse.above_load else Severity.WARNING,
                        branch_id=branch.id,
                        title=f"{branch.label}: {branch.rating_a:g} A does not fit",
                        why=fuse.words,
                        rule="Fuse rated above the load and below the cable",
                        source="Common practice of the trade",
                    )
                )
            if fuse_table().families[branch.family].voltage_v < circuit.system_voltage_v * 1.2:
                findings.append(
                    Finding(
                        code="fuse_voltage",
                        severity=Severity.DANGER,
                        branch_id=branch.id,
                        title=f"{branch.label}: not rated for this voltage",
                        why="A fuse that cannot break the system's voltage keeps arcing.",
                        rule="Fuse voltage above the charging voltage",
                        source="ISO 8820",
                    )
                )
        elif isinstance(branch, ContactBranch) and branch.rating_a is not None and branch.rating_a < current:
            findings.append(
                Finding(
                    code="contact_rating",
                    severity=Severity.DANGER,
                    branch_id=branch.id,
                    title=f"{branch.label}: rated {branch.rating_a:g} A, would see {current:.0f} A",
                    why="A contact beyond its continuous rating heats, and heat raises its resistance.",
                    rule="Continuous rating at or above the current",
                    source="Common practice of the trade",
                )
            )
    return PartsReport(ampacities, fuses, by_severity(findings))

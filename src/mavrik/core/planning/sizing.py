"""Proposing cables, grounds and a fuse for a target current."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from mavrik.core.catalogue.conductor import (
    CIRCULAR_MIL_MM2,
    PROPOSED_AWG,
    PROPOSED_METRIC,
    Material,
    SizeSystem,
    circular_mils_for_drop,
    parse_size,
)
from mavrik.core.catalogue.fuses import FuseFamily, choose_rating, fuse_table
from mavrik.core.circuit import (
    CableBranch,
    Circuit,
    ConductorBranch,
    FuseBranch,
    Node,
    NodeRole,
    Termination,
    TerminationCondition,
    TerminationKind,
)
from mavrik.core.circuit.editing import free_id, with_parts
from mavrik.core.circuit.ring import Ring, Side, between_sources, find_ring
from mavrik.core.circuit.rules import charging_gaps
from mavrik.core.document import Ampere, Document
from mavrik.core.measuring.limits import Limit, LimitProfileName, Scope, limit_for
from mavrik.core.network import NoOperatingPointError
from mavrik.core.operating.prediction import Prediction, at_rated_output, predict
from mavrik.core.protection.case import Case, series_run
from mavrik.core.protection.documents import Outcome
from mavrik.core.protection.review import review_protection
from mavrik.core.protection.short_circuit import protectors
from mavrik.core.thermal.ampacity import InsulationClass

FUSE_TAIL_M = 0.15
"""Cable from the battery post to a newly placed fuse: inside the 178 mm that ABYC E-11 allows."""

BOUGHT_BY = (SizeSystem.METRIC, SizeSystem.AWG)
"""The series a shop buys cable by; circular mils only describe what is found."""

SAME_SIZE = 0.95
"""A size of the other series counts as the same when its metal is within 5 %."""

LEAST_DOUBLED_MM2 = 30.0
"""Nobody pulls two thin cables where one thicker will do; two runs start here."""

FEET_PER_M = 1 / 0.3048


class SizingTarget(Document):
    """What a proposal is for, and from what it may choose."""

    target_current_a: Ampere
    alternator_label: Annotated[str, Field(max_length=60)] = ""
    system: Literal[SizeSystem.METRIC, SizeSystem.AWG] = SizeSystem.METRIC
    fuse_family: FuseFamily = FuseFamily.STRIP_51
    insulation_c: InsulationClass = 105
    material: Material = Material.COPPER
    limit_profile: LimitProfileName = LimitProfileName.COMMON


class Choice(Document):
    """One thing the proposal decided, and why."""

    branch_id: str
    label: str
    before: str
    after: str
    reason: str


class Proposal(Document):
    """A new circuit and how it came about."""

    target: SizingTarget
    circuit: Circuit
    choices: tuple[Choice, ...]
    notes: tuple[str, ...]


@dataclass(frozen=True)
class Option:
    """A size, and how many runs of it side by side."""

    size: str
    runs: int = 1

    @property
    def label(self) -> str:
        """As one would order it."""
        return self.size if self.runs == 1 else f"{self.runs} x {self.size}"

    @property
    def area_mm2(self) -> float:
        """Metal of all runs [mm2]."""
        return parse_size(self.size).area_mm2 * self.runs


def options_of(system: SizeSystem) -> tuple[Option, ...]:
    """What may be fitted, in the order it is tried: one run of every size, then two runs.

    system: the series a shop buys

    >>> options_of(SizeSystem.AWG)[0].label, options_of(SizeSystem.METRIC)[-1].label
    ('10 AWG', '2 x 120 mm2')
    """
    series = PROPOSED_AWG if system is SizeSystem.AWG else PROPOSED_METRIC
    return tuple(
        Option(size, runs) for runs in (1, 2) for size in series if runs == 1 or parse_size(size).area_mm2 >= LEAST_DOUBLED_MM2
    )


class SizingError(ValueError):
    """No size that is made meets the target; the message says which lead and why."""


def _fresh(branch: ConductorBranch, option: Option, target: SizingTarget) -> ConductorBranch:
    """The same lead made new: chosen size and runs, metal and insulation, clean crimped ends."""

    def end(old: Termination) -> Termination:
        kind = old.kind if old.kind is TerminationKind.POST_CLAMP else TerminationKind.CRIMP
        return Termination(kind=kind, condition=TerminationCondition.CLEAN)

    return branch.model_copy(
        update={
            "size": parse_size(option.size).label,
            "material": target.material,
            "insulation_c": target.insulation_c,
            "parallel": option.runs,
            "measured_mohm": None,
            "from_end": end(branch.from_end),
            "to_end": end(branch.to_end),
        }
    )


def _replace(circuit: Circuit, new: Mapping[str, object]) -> Circuit:
    return with_parts(circuit, branches=tuple(new.get(b.id, b) for b in circuit.branches))


def _fuse_at_source(circuit: Circuit, family: FuseFamily) -> tuple[Circuit, list[str]]:
    """The circuit with a fuse on the charging feed at the battery end, and notes on what moved."""
    ring = find_ring(circuit)
    limit = fuse_table().distance_limits_m.plain
    fuses = [b for b in ring.feed if isinstance(circuit.branch(b), FuseBranch)]
    tail = 0.0
    for branch_id in reversed(ring.feed):
        branch = circuit.branch(branch_id)
        if isinstance(branch, FuseBranch):
            if tail <= limit:
                return circuit, []
            break
        if isinstance(branch, ConductorBranch):
            tail += branch.length_m
    notes = []
    battery_post = circuit.battery.positive_node
    last = circuit.branch(ring.feed[-1])
    fuse_in, fuse_out = free_id(circuit, "charge_fuse_in"), free_id(circuit, "charge_fuse_out")
    fuse_id = fuses[-1] if fuses and fuses[-1] != last.id else free_id(circuit, "charge_fuse_new")
    branches = []
    keep = {f for f in fuses if f != fuse_id}
    forward = last.to_node == battery_post
    moved_fuse = fuse_id in fuses
    old = circuit.branch(fuse_id) if moved_fuse else None
    for branch in circuit.branches:
        if branch.id == last.id:
            branches.append(branch.model_copy(update={"to_node" if forward else "from_node": fuse_in}))
        elif old is not None and branch.id == fuse_id:
            continue
        else:
            branches.append(branch)
    nodes = list(circuit.nodes)
    if old is not None:
        # The stud on the far side of the fuse that moved is now one with the near side.
        gone, stays = old.to_node, old.from_node
        ends = ("from_node", "to_node")
        branches = [
            b.model_copy(update={e: stays for e in ends if getattr(b, e) == gone}) if gone in (b.from_node, b.to_node) else b
            for b in branches
        ]
        nodes = [n for n in nodes if n.id != gone]
        notes.append(f"{old.label} moved to the battery end: the battery is the source that can feed a fault.")
    else:
        notes.append("A fuse was added at the battery end: the battery is the source that can feed a fault.")
    if keep:
        notes.append(f"Kept as well: {', '.join(circuit.branch(f).label for f in sorted(keep))}.")
    nodes += [
        Node(id=fuse_in, role=NodeRole.STUD, label="Fuse stud, alternator end"),
        Node(id=fuse_out, role=NodeRole.STUD, label="Fuse stud, battery end"),
    ]
    size = last.size if isinstance(last, ConductorBranch) else "35 mm2"
    place = last.place if isinstance(last, ConductorBranch) else CableBranch.model_fields["place"].default
    rating = fuse_table().families[family].ratings_a[-1]
    branches += [
        FuseBranch(
            id=fuse_id,
            label=old.label if old else "Charge fuse",
            from_node=fuse_in,
            to_node=fuse_out,
            family=family,
            rating_a=rating,
        ),
        CableBranch(
            id=free_id(circuit, "fuse_tail"),
            label="Battery to fuse",
            from_node=fuse_out,
            to_node=battery_post,
            length_m=FUSE_TAIL_M,
            size=size,
            place=place,
        ),
    ]
    return with_parts(circuit, nodes=tuple(nodes), branches=tuple(branches)), notes


def _rated(circuit: Circuit) -> Prediction:
    return predict(circuit, at_rated_output(circuit))


def _metal_mm2(lead: ConductorBranch) -> float:
    return lead.conductor.area_mm2 * lead.parallel


def _leads(circuit: Circuit, branch_ids: Iterable[str]) -> list[ConductorBranch]:
    return [b for i in branch_ids if isinstance(b := circuit.branch(i), ConductorBranch)]


def _held_by_other_fuses(circuit: Circuit, run: Iterable[str]) -> dict[str, float]:
    """The rating of the largest fuse or breaker outside a run that has to protect a lead of it, by lead [A]."""
    own, case = set(run), Case(circuit)
    held: dict[str, float] = {}
    for protector in protectors(circuit):
        if protector.id not in own:
            for lead in case.protected(protector):
                held[lead.id] = max(held.get(lead.id, 0.0), protector.rating_a or 0.0)
    return held


def _at_least(branch: ConductorBranch, option: Option, target: SizingTarget, held_a: float) -> ConductorBranch:
    """The lead at a size, or at the smallest above it that another fuse on its way still protects; as it is where none does."""
    for larger in options_of(target.system):
        if larger.area_mm2 >= option.area_mm2 and (fresh := _fresh(branch, larger, target)).ampacity().current_a >= held_a:
            return fresh
    return _fresh(branch, option, target)


def _size_run(
    circuit: Circuit, target: SizingTarget, run: list[str], what: str, side_limit: Limit | None, not_below_fitted: bool
) -> tuple[Circuit, dict[str, str]]:
    """One size for all cables of a feed run, and the rating of the fuses in it.

    run: branch ids in series
    side_limit: limit of the whole run, where it is the feed side of the ring
    not_below_fitted: never thinner, nor fused lower, than what is there: a link between batteries also carries cranking current
    Returns the circuit with the run sized, and the reason of each choice.
    """
    need = target.target_current_a
    leads = _leads(circuit, run)
    fuses = [b for i in run if isinstance(b := circuit.branch(i), FuseBranch)]
    least = max(_metal_mm2(b) for b in leads) if not_below_fitted else 0.0
    load = max([need, *(f.rating_a * fuse_table().continuous_share for f in fuses)]) if not_below_fitted else need
    held = _held_by_other_fuses(circuit, run)
    tried = ""
    for option in options_of(target.system):
        if option.area_mm2 < least * SAME_SIZE:
            continue
        fresh = {b.id: _at_least(b, option, target, held.get(b.id, 0.0)) for b in leads}
        weakest = min((b.ampacity() for b in fresh.values()), key=lambda a: a.current_a)
        if weakest.current_a < need:
            tried = f"{option.label} may carry {weakest.current_a:.0f} A"
            continue
        fuse = choose_rating(target.fuse_family, load, weakest.current_a)
        if fuse is None:
            tried = f"for {option.label} ({weakest.current_a:.0f} A) no rating of this fuse family lies between load and cable"
            continue
        rated_fuses = {
            f.id: f.model_copy(update={"family": target.fuse_family, "rating_a": fuse.rating_a, "measured_mohm": None})
            for f in fuses
        }
        candidate = _replace(circuit, {**fresh, **rated_fuses})
        said = ""
        if side_limit is not None:
            # What a diode loses before any current is not the cable's to mend.
            lost = _rated(candidate).path_drop(tuple(run)) - sum(candidate.branch(b).threshold_v for b in run)
            if lost > side_limit.volts:
                tried = f"with {option.label} {what} still loses {lost * 1000:.0f} mV"
                continue
            said = f"; {what} {lost * 1000:.0f} mV, limit {side_limit.volts * 1000:.0f} mV"
        why = f"Smallest for {need:g} A: {weakest.reason}, {weakest.current_a:.0f} A{said}."
        return candidate, {**dict.fromkeys(fresh, why), **{f.id: fuse.reason + "." for f in fuses}}
    raise SizingError(
        f"Nothing up to {options_of(target.system)[-1].label} will do for {need:g} A: {tried}. "
        "Shorten the run, or choose another fuse family or limit profile."
    )


def _size_grounds(
    circuit: Circuit, target: SizingTarget, grounds: list[ConductorBranch], return_side: tuple[str, ...]
) -> tuple[Circuit, dict[str, str]]:
    """The smallest size of each return lead: carries the current alone, keeps the ground and the side limit."""
    need = target.target_current_a
    side_limit = limit_for(target.limit_profile, Scope.SIDE, circuit.system_voltage_v)
    ground_limit = limit_for(target.limit_profile, Scope.GROUND, circuit.system_voltage_v)
    options = options_of(target.system)
    rank: dict[str, int] = {}
    for lead in grounds:
        fitting = [
            k
            for k, option in enumerate(options)
            if option.area_mm2 >= SAME_SIZE * _metal_mm2(lead) and _fresh(lead, option, target).ampacity().current_a >= need
        ]
        if not fitting:
            raise SizingError(f"{lead.label}: nothing up to {options[-1].label} may carry {need:g} A in its place.")
        rank[lead.id] = fitting[0]
    while True:
        fresh = {b.id: _fresh(b, options[rank[b.id]], target) for b in grounds}
        candidate = _replace(circuit, fresh)
        rated = _rated(candidate)
        drops = {b.id: abs(rated.drop_v[b.id]) for b in grounds}
        over = [b for b in drops if drops[b] > ground_limit.volts]
        total = rated.path_drop(return_side)
        if not over and total <= side_limit.volts:
            break
        growing = [b for b in (over or [b for b in drops if b in return_side]) if rank[b] + 1 < len(options)]
        if not growing:
            raise SizingError(
                f"The return side still loses {total * 1000:.0f} mV at {need:g} A with {options[-1].label}: "
                "add a direct ground lead from the battery to the engine, or shorten the run."
            )
        rank[max(growing, key=lambda b: drops[b])] += 1
    reasons = {}
    for lead in grounds:
        allowed = fresh[lead.id].ampacity()
        reasons[lead.id] = (
            f"Not thinner than fitted, for it also carries cranking current, and carries {need:g} A alone should another path fail: "
            f"{allowed.reason}, {allowed.current_a:.0f} A; "
            f"loses {drops[lead.id] * 1000:.0f} mV, limit {ground_limit.volts * 1000:.0f} mV a ground lead; "
            f"return side {total * 1000:.0f} of {side_limit.volts * 1000:.0f} mV."
        )
    return candidate, reasons


def propose(circuit: Circuit, target: SizingTarget) -> Proposal:
    """Size the charge cable, the grounds and the fuses of a circuit for a target current.

    circuit: the circuit as found
    target: current [A], cable series, fuse family, insulation class and limit profile
    The feed cables of the ring share one size: the smallest that carries the target current in its place, leaves room
    for a fuse between load and cable, and keeps the warmed-up feed side within its limit. A link to a further battery
    that cannot carry the target current grows the same way. Each return lead gets the smallest size that is not
    thinner than what is fitted (it also carries cranking current), carries the target current alone and keeps the
    ground and side limits; the lead losing most grows first. One fuse of the charging feed
    sits at the battery end. Spurs that serve a load alone are left as they are.
    Returns the new circuit with every choice and its reason. Raises SizingError where no size that is made will do, and for
    a circuit that does not close.
    Source: ampacity tables, limit profile, fuse above load and below cable (common practice).
    """
    if not find_ring(circuit).closes or any("dead short" in p.message for p in charging_gaps(circuit)):
        raise SizingError(f"This circuit cannot charge as it is drawn. {charging_gaps(circuit)[0].message}")
    need = target.target_current_a
    as_found = {b.id: b for b in circuit.branches}
    alternator = circuit.alternator.model_copy(
        update={"rated_a": need, "label": target.alternator_label or circuit.alternator.label}
    )
    circuit, notes = _fuse_at_source(with_parts(circuit, alternators=(alternator, *circuit.alternators[1:])), target.fuse_family)
    ring = find_ring(circuit)
    between = between_sources(circuit)
    grounds = _leads(circuit, [b.id for b in circuit.branches if b.id in between and ring.side.get(b.id) is Side.RETURN])
    if not _leads(circuit, ring.feed) or not grounds:
        raise SizingError(
            "There is no cable to size on the feed or the return side. Add the charge cable and the ground lead first."
        )
    side_limit = limit_for(target.limit_profile, Scope.SIDE, circuit.system_voltage_v)
    circuit, reasons = _size_run(circuit, target, list(ring.feed), "the feed side", side_limit, not_below_fitted=False)
    for branch in circuit.branches:
        off_ring = branch.id in between and ring.side.get(branch.id) is Side.FEED and branch.id not in ring.feed
        if off_ring and branch.id not in reasons and isinstance(branch, ConductorBranch) and branch.ampacity().current_a < need:
            run = [b.id for b in series_run(circuit, branch.id)]
            circuit, more = _size_run(circuit, target, run, "the link", None, not_below_fitted=True)
            reasons |= more
            notes.append(f"{branch.label} also carries cranking current: check its fuse against the starter's.")
    circuit, more = _size_grounds(circuit, target, grounds, ring.return_side)
    reasons |= more
    # Other grounds share the current otherwise between two batteries; the feed has to hold with those that were chosen.
    circuit, more = _size_run(circuit, target, list(ring.feed), "the feed side", side_limit, not_below_fitted=False)
    reasons |= more
    notes += _fuses_that_will_not_do(circuit)
    notes.append(_second_opinion(circuit, target, ring, side_limit))
    return Proposal(
        target=target,
        circuit=circuit,
        choices=tuple(
            Choice(branch_id=b.id, label=b.label, before=_words(as_found.get(b.id)), after=_words(b), reason=reasons[b.id])
            for b in circuit.branches
            if b.id in reasons
        ),
        notes=tuple(notes),
    )


def _fuses_that_will_not_do(circuit: Circuit) -> list[str]:
    """What the review of the new circuit's fuses finds wrong, beyond load and cable, which the sizing has seen to."""
    try:
        found = review_protection(circuit).protectors
    except NoOperatingPointError:
        return ["The fuses could not be tried out: a load asks for more than the batteries give with the engine off."]
    return [
        f"{p.label}: {c.words}" for p in found for c in p.checks if c.outcome is Outcome.BAD and c.name not in ("load", "cable")
    ]


def _second_opinion(circuit: Circuit, target: SizingTarget, ring: Ring, side_limit: Limit) -> str:
    length_ft = sum(b.length_m for b in _leads(circuit, (*ring.feed, *ring.return_side))) * FEET_PER_M
    mils = circular_mils_for_drop(target.target_current_a, length_ft, 2 * side_limit.volts)
    feed = _leads(circuit, ring.feed)[0]
    return (
        f"Second opinion by the marine rule (10.75 x A x ft / V, cables alone): {mils * CIRCULAR_MIL_MM2:.0f} mm2; "
        f"chosen for the feed: {feed.conductor.area_mm2 * feed.parallel:.0f} mm2."
    )


def _words(branch: object) -> str:
    if isinstance(branch, ConductorBranch):
        return Option(branch.size, branch.parallel).label.replace("mm2", "mm²")
    if isinstance(branch, FuseBranch):
        return f"{branch.rating_a:g} A {fuse_table().families[branch.family].label}"
    return "none"

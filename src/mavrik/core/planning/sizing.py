"""Proposing cables, grounds, fuses and contacts for a target current."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.catalogue.conductor import CIRCULAR_MIL_MM2, circular_mils_for_drop
from mavrik.core.catalogue.fuses import fuse_table
from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch, ContactBranch, FuseBranch
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.ring import find_ring
from mavrik.core.circuit.rules import charging_gaps
from mavrik.core.measuring.limits import LimitProfileName, Scope, limit_for
from mavrik.core.network import NoOperatingPointError
from mavrik.core.planning.draft import Draft, checks_by_part, metal_mm2
from mavrik.core.planning.fusing import fuse_every_source
from mavrik.core.planning.options import Option
from mavrik.core.planning.side_by_side import Sizing, finished
from mavrik.core.planning.targets import Choice, Proposal, SizingError, SizingTarget
from mavrik.core.protection.documents import Outcome
from mavrik.core.protection.sources import unfused

FEET_PER_M = 1 / 0.3048
MOST_KEPT_NAMED = 12


MOST_TARGET_A = 2000.0


def usual_target(circuit: Circuit, added_a: float, profile: LimitProfileName) -> SizingTarget:
    """What a plan begins with: the loads to be added on top of what is fitted, by the job's limits.

    circuit: as found; added_a: of all loads to be added [A]; profile: limit profile

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> usual_target(front_battery(12), 30, LimitProfileName.COMMON).target_current_a
    120.0
    """
    return SizingTarget(target_current_a=min(circuit.alternator.rated_a + added_a, MOST_TARGET_A), limit_profile=profile)


def propose(
    circuit: Circuit, target: SizingTarget, before: Circuit | None = None, begin: Mapping[str, Option] | None = None
) -> Proposal:
    """Size the leads, fuses and contacts of a circuit for a target current, all together.

    circuit: the circuit as found
    target: current [A], cable series, fuse family, insulation class and limit profile
    before: as it was, where the circuit has been changed since: no check comes out worse than it did there
    begin: sizes to begin with, by branch id; they grow like all others
    Every source gets its fuse where it has none. Then parts grow until all of this holds on the network, in every position of its
    switches and with each battery low in turn: each lead and contact carries what passes it, a return lead also what it gets when
    another fails; each fuse carries its load at continuous duty, rides through cranking and short use, stays below its cables and
    breaks the short circuit; feed, return and grounds keep the limit profile. What is fitted and does all this is kept; no lead gets
    thinner. A fuse is lowered only where it stands above its cable. No check of any part comes out worse than it was.
    Returns the new circuit with every choice and its reason. Raises SizingError where no size that is made will do, and for
    a circuit that does not close.
    Source: ampacity tables, limit profile, fuse above load and below cable (common practice); the checks' own, see
    `mavrik.core.protection.checks`.
    """
    return finished(proposing(circuit, target, before, begin))


def proposing(
    circuit: Circuit, target: SizingTarget, before: Circuit | None = None, begin: Mapping[str, Option] | None = None
) -> Sizing[Proposal]:
    """As `propose`, step by step."""
    as_found = before or circuit
    try:
        draft, notes = draft_of(circuit, target, before, begin)
        made = yield from draft.settling()
        worse = worse_checks(as_found, made)
    except NoOperatingPointError as error:
        raise SizingError(f"The circuit has no operating point to size for: {error}") from error
    if worse:
        raise SizingError(
            f"Nothing was found for {target.target_current_a:g} A that leaves every part as well off as it is: {worse[0]}"
        )
    notes += _kept(draft, made)
    notes += _still_wrong(made)
    notes.append(_second_opinion(draft, made, target))
    return Proposal(target=target, circuit=made, choices=_choices(as_found, draft, made), notes=tuple(notes))


def draft_of(
    circuit: Circuit, target: SizingTarget, before: Circuit | None = None, begin: Mapping[str, Option] | None = None
) -> tuple[Draft, list[str]]:
    """The circuit with its new output and a fuse at every source, nothing grown yet, and notes on where fuses went.

    circuit, target, before, begin: as for `propose`
    Raises SizingError for a circuit that does not close or has no cable to size, NoOperatingPointError where nothing satisfies it.
    """
    if not find_ring(circuit).closes or any("dead short" in p.message for p in charging_gaps(circuit)):
        raise SizingError(f"This circuit cannot charge as it is drawn. {charging_gaps(circuit)[0].message}")
    alternator = circuit.alternator.model_copy(
        update={
            "rated_a": target.target_current_a,
            "label": target.alternator_label or circuit.alternator.label,
            "set_point_v": target.set_point_v or circuit.alternator.set_point_v,
        }
    )
    made = with_parts(circuit, alternators=(alternator, *circuit.alternators[1:]))
    made, placed, notes = fuse_every_source(made, target.fuse_family)
    ring = find_ring(made)
    for side in (ring.feed, ring.return_side):
        if not any(isinstance(made.branch(b), ConductorBranch) for b in side):
            raise SizingError(
                "There is no cable to size on the feed or the return side. Add the charge cable and the ground lead first."
            )
    return Draft(before or circuit, made, target, placed, begin), notes


def worse_checks(as_found: Circuit, made: Circuit) -> list[str]:
    """What the checks say of a new circuit that they did not say of the old one, in words.

    as_found, made: before and after, the same parts under the same ids
    """
    before, after, order = checks_by_part(as_found), checks_by_part(made), list(Outcome)
    labels = {b.id: b.label for b in made.branches}
    words = []
    for key, check in after.items():
        # What was not asked before may be worth a look, no more.
        was = before[key].outcome if key in before else Outcome.WATCH
        if order.index(check.outcome) > order.index(was):
            words.append(f"{labels[key[0]]}: {check.words}")
    called = {(f.code, f.branch_id) for f in unfused(as_found)}
    words += [f"{f.title}. {f.why}" for f in unfused(made) if f.severity == "danger" and (f.code, f.branch_id) not in called]
    return words


def _choices(as_found: Circuit, draft: Draft, made: Circuit) -> tuple[Choice, ...]:
    before = {b.id: b for b in as_found.branches}
    choices = []
    for part in made.branches:
        old, new = part_in_words(before.get(part.id)), part_in_words(part)
        if part.id in before and part.id not in draft.cause:
            continue
        choices.append(Choice(branch_id=part.id, label=part.label, before=old, after=new, reason=_reason(draft, part.id)))
    return tuple(choices)


def _reason(draft: Draft, branch_id: str) -> str:
    part, cause = draft.circuit.branch(branch_id), draft.cause.get(branch_id, "")
    if not isinstance(part, ConductorBranch):
        return cause
    allowed, duty = part.ampacity(), draft.duty_a[branch_id]
    return f"Smallest for {duty:.0f} A{cause}: {allowed.reason}, {allowed.current_a:.0f} A; loses {abs(draft.rated().drop_v[branch_id]) * 1000:.0f} mV."


def _kept(draft: Draft, made: Circuit) -> list[str]:
    kept = [
        b.label
        for b in made.branches
        if b.id in draft.scope and b.id not in draft.cause and isinstance(b, ConductorBranch | FuseBranch | ContactBranch)
    ]
    if not kept:
        return []
    more = len(kept) - MOST_KEPT_NAMED
    named = ", ".join(kept[:MOST_KEPT_NAMED]) + (f" and {more} more" if more > 0 else "")
    return [f"Kept as fitted, for it does what is asked: {named}."]


def _still_wrong(made: Circuit) -> list[str]:
    """What was wrong before and is no worse: named, so that nobody takes the plan for the whole of the work."""
    labels = {b.id: b.label for b in made.branches}
    return [f"{labels[i]}: {c.words}" for (i, _), c in checks_by_part(made).items() if c.outcome is Outcome.BAD]


def _second_opinion(draft: Draft, made: Circuit, target: SizingTarget) -> str:
    side = limit_for(target.limit_profile, Scope.SIDE, made.system_voltage_v)
    leads = [b for i in (*draft.ring.feed, *draft.ring.return_side) if isinstance(b := made.branch(i), ConductorBranch)]
    mils = circular_mils_for_drop(target.target_current_a, sum(b.length_m for b in leads) * FEET_PER_M, 2 * side.volts)
    feed = next(b for i in draft.ring.feed if isinstance(b := made.branch(i), ConductorBranch))
    return (
        f"Second opinion by the marine rule (10.75 x A x ft / V, cables alone): {mils * CIRCULAR_MIL_MM2:.0f} mm2; "
        f"the feed has {metal_mm2(feed):.0f} mm2."
    )


def part_in_words(branch: AnyBranch | None) -> str:
    """A part as a plan names it; none where there is none."""
    if isinstance(branch, ConductorBranch):
        return Option(branch.size, branch.parallel).label.replace("mm2", "mm²")
    if isinstance(branch, FuseBranch):
        return f"{branch.rating_a:g} A {fuse_table().families[branch.family].label}"
    if isinstance(branch, ContactBranch) and branch.rating_a:
        return f"{branch.rating_a:g} A"
    return "none" if branch is None else branch.in_words

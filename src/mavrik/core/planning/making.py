"""Changes made to a vehicle together: its circuit with its leads sized, what that costs, and what is kept of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mavrik.core.circuit import Circuit, as_sound
from mavrik.core.circuit.editing import with_parts
from mavrik.core.network import NoOperatingPointError
from mavrik.core.planning.changes import Change, Scheme, Situation, changes_in, kind_of
from mavrik.core.planning.cost import branch_costs, circuit_cost
from mavrik.core.planning.figures import figures_of
from mavrik.core.planning.leads import cheapest_proposing
from mavrik.core.planning.side_by_side import Sizing, finished
from mavrik.core.planning.sizing import part_in_words, worse_checks
from mavrik.core.planning.targets import Accepted, Choice, Proposal, SizingError, SizingTarget


class WorthError(ValueError):
    """A change that is not there, or cannot be made."""


@dataclass(frozen=True)
class Made:
    """A vehicle with changes made to it and its leads sized."""

    scheme: Scheme
    circuit: Circuit
    cost: float
    parts: float
    hours: float
    target: SizingTarget
    proposal: Proposal | None
    """Where its leads were sized."""


def over_limit(situation: Situation, scheme: Scheme) -> str:
    """What a scheme's shaft speed at redline says against it; empty where nothing does, or nothing is known."""
    drive = situation.drive
    limit = scheme.unit.limit_rpm if scheme.unit else drive.limit_rpm if drive else None
    if drive is None or limit is None:
        return ""
    unit = next(a for a in scheme.circuit.alternators if a.id == situation.unit.id)
    shaft = drive.redline_rpm * unit.pulley_ratio
    return f"At redline its shaft would turn {shaft:.0f} /min; the unit's limit is {limit:.0f}." if shaft > limit else ""


def make(situation: Situation, changes: Sequence[Change]) -> Made:
    """Make changes to a vehicle, in the order in which they are made, and size its leads where they ask for it.

    situation: the vehicle; changes: of `changes_in`, any order
    Where a check of a part would come out worse than it was, as of a fuse that cannot break a larger battery's short circuit, leads and
    fuses are sized, too. Raises WorthError where a group has two of them, a shaft would turn too fast, or no leads will do.
    """
    return finished(making(situation, changes))


def making(situation: Situation, changes: Sequence[Change]) -> Sizing[Made]:
    """As `make`, step by step."""
    groups = [c.group for c in changes]
    if twice := next((g for g in groups if groups.count(g) > 1), None):
        one, other = (c.label for c in changes if c.group == twice)
        raise WorthError(f"Either '{one}' or '{other}', not both.")
    as_found = situation.as_found
    scheme = Scheme(as_found, situation.use)
    for change in sorted(changes, key=lambda c: kind_of(c.id).order):
        scheme = change.apply(scheme)
    if fast := over_limit(situation, scheme):
        raise WorthError(fast)
    unit = scheme.circuit.alternator
    target = situation.target.model_copy(
        update={"target_current_a": unit.rated_a, "alternator_label": unit.label, "set_point_v": unit.set_point_v}
    )
    circuit, proposal = scheme.circuit, None
    worse: list[str] = []
    if not (scheme.sizes_leads or _same_parts(as_found, circuit)):
        yield as_sound(circuit)
        worse = worse_checks(as_found, circuit)
    if scheme.sizes_leads or worse:
        try:
            proposal = yield from cheapest_proposing(circuit, target, situation.prices, as_found)
        except (SizingError, NoOperatingPointError) as error:
            raise WorthError(worse[0] if worse else str(error)) from error
        circuit = proposal.circuit
    cost = circuit_cost(as_found, circuit, situation.prices) + scheme.extra
    return Made(scheme, circuit, cost.total(situation.prices), cost.parts, cost.hours, target, proposal)


def _same_parts(one: Circuit, other: Circuit) -> bool:
    """Whether nothing differs that a check of a part looks at; a shaft that turns faster gives no more than the unit's rating."""
    return (one.branches, one.batteries, one.converters, one.loads) == (
        other.branches,
        other.batteries,
        other.converters,
        other.loads,
    )


def accepted_of(situation: Situation, ids: Sequence[str], made: Made, cost: float) -> Accepted:
    """What is kept of changes that were accepted together.

    situation, made: of `make`; ids: of the changes; cost: as it was compared
    """
    labels = {c.id: c.label for c in changes_in(situation)}
    return Accepted(
        change_ids=tuple(ids), labels=tuple(labels[i] for i in ids), before=figures_of(situation.as_found, situation.use),
        after=figures_of(made.circuit, made.scheme.use), cost=cost, hours=round(made.hours, 2),
        currency=situation.prices.currency, without=made.scheme.without, faster_idle=made.scheme.faster_idle,
    )  # fmt: skip


def choices_of(situation: Situation, made: Made, labels: Sequence[str]) -> tuple[Choice, ...]:
    """Every part that a plan changes, and why.

    situation, made: of `make`; labels: of the changes
    """
    sized = {c.branch_id: c for c in made.proposal.choices} if made.proposal else {}
    before = {b.id: b for b in situation.as_found.branches}
    why = ", ".join(labels)
    changed = (part for part, _ in branch_costs(situation.as_found, made.circuit, situation.prices))
    others = (
        Choice(branch_id=b.id, label=b.label, before=part_in_words(before.get(b.id)), after=part_in_words(b), reason=f"{why}.")
        for b in changed
        if b.id not in sized
    )
    return (*sized.values(), *others)


def as_planned(as_found: Circuit, situation: Situation, made: Made) -> Circuit:
    """The circuit of a plan as it is kept: parts that stay are those of the document, not those with what was read of them.

    as_found: the document; situation: what the plan was made on; made: the plan
    """
    before, document = ({b.id: b for b in c.branches} for c in (situation.as_found, as_found))
    branches = tuple(document[b.id] if b == before.get(b.id) and b.id in document else b for b in made.circuit.branches)
    return with_parts(made.circuit, branches=branches)

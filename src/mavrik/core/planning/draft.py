"""A circuit on its way to a proposal: parts grow one at a time until everything that is asked of them holds together.

Nothing ever shrinks: a lead that is fitted keeps its metal, a fuse is only lowered where it stands above its cable. So every round
adds metal, and the rounds come to an end.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from functools import cached_property, lru_cache
from typing import Any, TypeVar

from mavrik.core.catalogue.conductor import parse_size
from mavrik.core.catalogue.fuses import FuseFamily, fuse_table, interrupting_at
from mavrik.core.circuit import (
    AnyBranch,
    BreakerBranch,
    Circuit,
    ConductorBranch,
    ContactBranch,
    FuseBranch,
    Termination,
    TerminationCondition,
    TerminationKind,
)
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.ring import Side, between_sources, find_ring
from mavrik.core.measuring.limits import Scope, limit_for
from mavrik.core.operating.prediction import Prediction
from mavrik.core.planning.options import SAME_SIZE, Option, options_of
from mavrik.core.planning.rated import at_rated
from mavrik.core.planning.side_by_side import Sizing
from mavrik.core.planning.targets import SizingError, SizingTarget
from mavrik.core.protection.case import CARRIED_SHARE, SOLVED_TO, Case, series_run
from mavrik.core.protection.checks import answers
from mavrik.core.protection.continuous import continuous_currents
from mavrik.core.protection.documents import Outcome, ProtectionCheck, amperes
from mavrik.core.protection.short_circuit import Protector, opens_at, protectors

MOST_ROUNDS = 400
"""Each adds a size to a lead or a rating to a part; no circuit has room for so many."""

RANKED = list(Outcome)

T = TypeVar("T")

WORN_TIMES, WORN_MOHM = 1.25, 0.2
"""A lead that measures so much above a sound one is not worth keeping when its circuit is made for more. Our choice, no source."""


def metal_mm2(lead: ConductorBranch) -> float:
    """Conductor of all its runs [mm2]."""
    return lead.conductor.area_mm2 * lead.parallel


def is_worn(part: AnyBranch) -> bool:
    """Whether a part looks bad, or measures so much above a sound one that it is not worth keeping as it is."""
    sound = part.sound_resistance_ohm(20.0) * 1000
    return part.looks_bad or (part.measured_mohm is not None and part.measured_mohm > WORN_TIMES * sound + WORN_MOHM)


def fresh_lead(lead: ConductorBranch, option: Option, target: SizingTarget) -> ConductorBranch:
    """The same lead made new: chosen size and runs, the target's metal and insulation, clean crimped ends."""

    def end(old: Termination) -> Termination:
        kind = old.kind if old.kind is TerminationKind.POST_CLAMP else TerminationKind.CRIMP
        return Termination(kind=kind, condition=TerminationCondition.CLEAN)

    return lead.model_copy(
        update={
            "size": parse_size(option.size).label,
            "material": target.material,
            "insulation_c": target.insulation_c,
            "parallel": option.runs,
            "measured_mohm": None,
            "from_end": end(lead.from_end),
            "to_end": end(lead.to_end),
        }
    )


class Draft:
    """A circuit whose fuses sit where they should, on its way to parts that carry what the target asks."""

    def __init__(
        self,
        as_found: Circuit,
        circuit: Circuit,
        target: SizingTarget,
        placed: Iterable[str],
        begin: Mapping[str, Option] | None = None,
    ) -> None:
        """found: as it was; circuit: with its new alternator; placed: fuses that were added, whose rating is still to be chosen.

        begin: sizes of leads to begin with, by branch id, where somebody has thought of some
        """
        self._before = as_found
        self.circuit, self.target = circuit, target
        self.unrated = set(placed)
        self.cause: dict[str, str] = {}
        """Why a part is what it became, by branch id; those that are not in it were kept."""
        self._last: dict[str, tuple[Circuit, Any]] = {}
        self._cannot_break: dict[str, set[FuseFamily]] = {}
        self._fitted = {b.id: b.family for b in circuit.branches if isinstance(b, FuseBranch) and b.id not in self.unrated}
        self.ring = find_ring(circuit)
        near = [b.id for p in placed for b in series_run(circuit, p)]
        added = {b.id for b in circuit.branches} - {b.id for b in as_found.branches}
        self.scope = between_sources(circuit) | self.ring.ids | set(near) | added
        """What the new current touches, what was added, and the runs of fuses that were: the plan stands or falls with these."""
        self._left: set[str] = set()
        """Spurs that nothing was found for: they stay as they are, and that is said."""
        for lead in self._leads():
            if lead.id in self.scope and is_worn(lead):
                self._resize(lead, 0.0, ", renewed: its ends or its metal have gone bad")
        for lead in self._leads():
            if (option := (begin or {}).get(lead.id)) is not None:
                self._put(fresh_lead(lead, option, target), ", the cheapest that does it")

    def _leads(self) -> list[ConductorBranch]:
        return [b for b in self.circuit.branches if isinstance(b, ConductorBranch)]

    def _put(self, part: AnyBranch, cause: str) -> None:
        self.cause[part.id] = cause
        self.circuit = with_parts(self.circuit, branches=tuple(part if b.id == part.id else b for b in self.circuit.branches))

    def _resize(self, lead: ConductorBranch, least_a: float, cause: str, larger: bool = False) -> None:
        """A lead of no less metal that carries at least so much; of more metal where it has to be larger."""
        fitted = metal_mm2(lead)
        for option in options_of(self.target.system):
            if option.area_mm2 < fitted * SAME_SIZE or (larger and option.area_mm2 <= fitted / SAME_SIZE):
                continue
            made = fresh_lead(lead, option, self.target)
            if made.ampacity().current_a >= least_a:
                self._put(made, cause)
                return
        largest = options_of(self.target.system)[-1].label
        raise SizingError(
            f"Nothing up to {largest} will do for {self.target.target_current_a:g} A: {lead.label} would have to carry "
            f"{amperes(max(least_a, self.duty_a[lead.id]))}{cause}. Shorten the run, or choose another fuse family or limit profile."
        )

    def _known(self, name: str, of: Callable[[Circuit], T]) -> T:
        """What is known of the circuit as it is now: to look a whole document up costs more than to see that it is the very same."""
        if name not in self._last or self._last[name][0] is not self.circuit:
            self._last[name] = self.circuit, of(self.circuit)
        return self._last[name][1]  # type: ignore[no-any-return]

    @property
    def duty_a(self) -> dict[str, float]:
        """The most each branch carries for good, in every state [A]."""
        return self._known("duty", continuous_currents)

    def _asks(self, branch_id: str) -> bool:
        """Whether a part is to be put right: what the new current touches always, a spur unless it was given up."""
        return branch_id not in self._left

    def _give_up(self, branch_id: str, why: SizingError) -> None:
        """Leave a spur as it is. Raises again what is wrong with a part that the plan cannot do without."""
        if branch_id in self.scope:
            raise why
        self._left.add(branch_id)

    def settling(self) -> Sizing[Circuit]:
        """The circuit when nothing has to grow any more. Raises SizingError where no part that is made will do."""
        for _ in range(MOST_ROUNDS):
            yield self.circuit
            if not (
                self._contacts()
                or self._ampacities()
                or self._fuses()
                or self._drops()
                or self._same_in_a_run()
                or self._shorts()
                or self._order()
            ):
                return self.circuit
        raise SizingError("No combination of sizes and fuses was found that holds together.")

    def _contacts(self) -> bool:
        """Switches, links, connectors and relays rated for what passes them."""
        duty, changed = self.duty_a, False
        for part in self.circuit.branches:
            if not isinstance(part, ContactBranch) or part.protects or part.rating_a is None or not self._asks(part.id):
                continue
            amps = duty[part.id] * (1 - SOLVED_TO)
            if amps <= part.rating_a:
                continue
            rating = next((r for r in fuse_table().contact_ratings_a if r >= amps), None)
            if rating is None:
                raise SizingError(
                    f"{part.label} would have to carry {amperes(amps)}: more than such parts are commonly made for."
                )
            bears = None if part.intermittent_a is None else max(part.intermittent_a, rating)
            self._put(
                part.model_copy(update={"rating_a": rating, "intermittent_a": bears, "measured_mohm": None}),
                f"Not to be used again: rated {part.rating_a:g} A, it would carry {amperes(amps)} for good.",
            )
            changed = True
        return changed

    def alone_a(self) -> dict[str, float]:
        """What a return lead carries at rated output when one of the others has failed, the most of it by branch id [A]."""
        return self._known("rated", at_rated).alone_a

    def _ampacities(self) -> bool:
        """Leads that carry what passes them in any state, a return lead also what it gets when another has failed."""
        duty, alone, changed = self.duty_a, self.alone_a(), False
        for lead in self._leads():
            # Leads of the ring lie one behind the other and grow together; beside one that has grown another may carry less.
            if not self._asks(lead.id) or (changed and lead.id not in self.ring.ids):
                continue
            # On the ring's return alone, whichever battery takes the output and whatever other way has failed.
            whole = self.target.target_current_a if lead.id in self.ring.return_side else 0.0
            need = max(duty[lead.id], alone.get(lead.id, 0.0), whole)
            if lead.ampacity().current_a < need * (1 - SOLVED_TO):
                failed = max(alone.get(lead.id, 0.0), whole) > duty[lead.id]
                try:
                    self._resize(lead, need, f", and for {amperes(need)} should another return lead fail" if failed else "")
                except SizingError as error:
                    self._give_up(lead.id, error)
                if lead.id not in self.ring.ids:
                    return True
                changed = True
        return changed

    @cached_property
    def _families(self) -> list[FuseFamily]:
        """The one that was asked for first, then the others for charging cables by what they break."""
        volts, table = self.circuit.system_voltage_v, fuse_table().families
        set_point = max(a.set_point_v for a in self.circuit.alternators)
        strong = (FuseFamily.STRIP_51, FuseFamily.ANL, FuseFamily.MRBF, FuseFamily.CLASS_T)
        ranked = sorted(strong, key=lambda f: interrupting_of(f, volts))
        return [
            f
            for f in (self.target.fuse_family, *(f for f in ranked if f is not self.target.fuse_family))
            if table[f].voltage_v >= set_point
        ]

    def rides(self, case: Case, part: Protector) -> bool:
        """Whether it rides through cranking, inrush and short use."""
        least = CARRIED_SHARE * (part.rating_a or math.inf)
        amps = [(s.current_a.get(part.id, 0.0), s.seconds) for s in case.short_loads]
        return all(opens_at(part, a).least_s > seconds for a, seconds in amps if a > least)

    def variants(self, case: Case, part: Protector, duty_a: float | None = None) -> list[list[Protector]]:
        """What could stand in for a fuse and carries its load: by family, the smallest first.

        duty_a: its load [A], where that is known
        """
        least = (self.duty_a[part.id] if duty_a is None else duty_a) / fuse_table().continuous_share * (1 - SOLVED_TO)
        if isinstance(part, BreakerBranch):
            made: list[list[Protector]] = [[part.model_copy(update={"rating_a": r}) for r in fuse_table().contact_ratings_a]]
        else:
            volts, fitted = self.circuit.system_voltage_v, self._fitted.get(part.id)
            # None that breaks less than the one that sits there.
            breaks = interrupting_of(fitted, volts) if fitted else 0.0
            families = [
                f for f in self._families if interrupting_of(f, volts) >= breaks and f not in self._cannot_break.get(part.id, ())
            ]
            made = [
                [
                    part.model_copy(update={"family": f, "rating_a": r, "measured_mohm": None})
                    for r in fuse_table().families[f].ratings_a
                ]
                for f in families
            ]
        able = [[p for p in family if (p.rating_a or 0.0) >= least and self.rides(case, p)] for family in made]
        return [family for family in able if family]

    def _fuses(self) -> bool:
        """Fuses and breakers above what passes them and below their cables, which grow where nothing fits between."""
        case, duty, changed = Case(self.circuit), self.duty_a, False
        for part in protectors(case.circuit):
            if not self._asks(part.id) or not part.conducts:
                continue
            cables = [self._lead(b.id) for b in case.protected(part)]
            weakest = min((b.ampacity().current_a for b in cables), default=math.inf)
            least = duty[part.id] / fuse_table().continuous_share * (1 - SOLVED_TO)
            known = bool(part.rating_a) and part.id not in self.unrated
            bars = isinstance(part, FuseBranch) and part.family in self._cannot_break.get(part.id, ())
            if known and not bars and least <= (part.rating_a or 0.0) <= weakest and self.rides(case, part):
                continue
            # What a fuse itself loses moves no current to speak of: all of them are seen to in one round, which is looked at again.
            changed = True
            variants = self.variants(case, part, duty[part.id])
            if not variants:
                error = SizingError(
                    f"{part.label} would have to carry {amperes(duty[part.id])} for good: no rating of this fuse family, nor of "
                    "a stronger one, does."
                )
                self._give_up(part.id, error)
                continue
            # Of the wanted family, the smallest that the cables bear; where none does, its smallest, and the cables grow.
            chosen = next((p for p in variants[0] if (p.rating_a or 0.0) <= weakest), variants[0][0])
            rating = chosen.rating_a or 0.0
            self.unrated.discard(part.id)
            if (chosen.rating_a, getattr(chosen, "family", None)) != (part.rating_a, getattr(part, "family", None)):
                self._put(chosen, self._why_rated(part, chosen, duty[part.id]))
            try:
                for lead in cables:
                    if lead.ampacity().current_a < rating:
                        self._resize(lead, rating, f" that leaves room below it for {chosen.label} at {rating:g} A")
            except SizingError as error:
                self._give_up(part.id, error)
        return changed

    def _lead(self, branch_id: str) -> ConductorBranch:
        lead = self.circuit.branch(branch_id)
        assert isinstance(lead, ConductorBranch)
        return lead

    def _why_rated(self, before: Protector, after: Protector, duty: float) -> str:
        table = fuse_table()
        what = table.families[after.family].label if isinstance(after, FuseBranch) else table.breaker.label
        reason = (
            f"{what}: smallest rating from {duty / table.continuous_share:.0f} A ({duty:.0f} A at {table.continuous_share:.0%} duty) that "
            "rides through what lasts seconds and stays below its cables"
        )
        family = self.target.fuse_family
        other = isinstance(after, FuseBranch) and after.family not in (family, self._fitted.get(after.id))
        if other and family not in self._cannot_break.get(after.id, ()):
            reason += f"; {table.families[family].label.lower()} has no rating for it"
        if isinstance(before, FuseBranch) and before.family in self._cannot_break.get(after.id, ()):
            reason += f"; {table.families[before.family].label.lower()} cannot break this bank's short circuit"
        return reason + "."

    def rated(self) -> Prediction:
        """The circuit of sound parts at its new rated output, warmed up."""
        return self._known("rated", at_rated).prediction

    def _drops(self) -> bool:
        """Both sides and every ground within their limits; what loses most grows first."""
        # What the branches carry for good is asked again once the drops are right: more metal in a run changes it little.
        duty, changed = self.duty_a, False
        while self._drop(duty):
            changed = True
        return changed

    def _drop(self, duty: Mapping[str, float]) -> bool:
        circuit, target, rated = self.circuit, self.target, self.rated()
        side = limit_for(target.limit_profile, Scope.SIDE, circuit.system_voltage_v)
        ground = limit_for(target.limit_profile, Scope.GROUND, circuit.system_voltage_v)
        lost = {b.id: abs(rated.drop_v[b.id]) for b in self._leads() if b.id in self.scope}
        feed = rated.path_drop(self.ring.feed) - sum(circuit.branch(b).threshold_v for b in self.ring.feed)
        back = rated.path_drop(self.ring.return_side)
        grounds = [i for i in lost if self.ring.side.get(i) is Side.RETURN]
        over = [i for i in grounds if lost[i] > ground.volts]
        if feed > side.volts:
            losing, what, volts, most = [i for i in lost if i in self.ring.feed], "the feed side", feed, side.volts
        elif over:
            worst = max(over, key=lost.__getitem__)
            losing, what, volts, most = [worst], self._lead(worst).label, lost[worst], ground.volts
        elif back > side.volts:
            losing, what = [i for i in grounds if i in self.ring.return_side], "the return side"
            volts, most = back, side.volts
        else:
            return False
        # A volt costs the least copper where the most current runs in the least metal: one more square millimetre saves I / A2.
        for i in sorted(losing, key=lambda i: -abs(rated.current_a[i]) / metal_mm2(self._lead(i)) ** 2):
            if metal_mm2(self._lead(i)) < options_of(target.system)[-1].area_mm2 * SAME_SIZE:
                self._resize(self._lead(i), duty[i], f" that keeps {what} within {most * 1000:.0f} mV", larger=True)
                return True
        raise SizingError(
            f"Nothing up to {options_of(target.system)[-1].label} will do for {target.target_current_a:g} A: {what} would still lose "
            f"{volts * 1000:.0f} mV of {most * 1000:.0f} mV. Shorten the run, clean or renew what else loses, add a lead beside it, or "
            "choose another limit profile."
        )

    def _same_in_a_run(self) -> bool:
        """New leads of one run are cut from one reel."""
        for lead in self._leads():
            if lead.id not in self.cause:
                continue
            run = [
                self._lead(b.id)
                for b in series_run(self.circuit, lead.id)
                if isinstance(b, ConductorBranch) and b.id in self.cause
            ]
            largest = max(run, key=metal_mm2)
            if metal_mm2(lead) < metal_mm2(largest) * SAME_SIZE and lead.place is largest.place:
                same = fresh_lead(lead, Option(largest.size, largest.parallel), self.target)
                self._put(same, f", as {largest.label} of the same run")
                return True
        return False

    def _shorts(self) -> bool:
        """Fuses that break this bank's short circuit, and cables that bear what they let through."""
        case = Case(self.circuit)
        for part in protectors(case.circuit):
            if part.id not in self.scope:
                continue
            bad = {
                a.check.name for a in answers(case, part) if a.check.outcome is Outcome.BAD or self._got_worse(part.id, a.check)
            }
            if "breaking" in bad and isinstance(part, FuseBranch):
                self._cannot_break.setdefault(part.id, set()).add(part.family)
                return self._fuses()
            if "withstand" in bad:
                thin = min(case.protected(part), key=metal_mm2)
                try:
                    self._resize(self._lead(thin.id), 0.0, f" that bears what {part.label} lets through", larger=True)
                except SizingError as error:
                    self._give_up(part.id, error)
                return True
        for lead in case.circuit.branches:
            if not isinstance(lead, ConductorBranch) or not self._asks(lead.id):
                continue
            bad = {a.check.name for a in answers(case, lead) if a.check.outcome is Outcome.BAD}
            if bad & {"cranking", "short_use", "inrush"}:
                try:
                    self._resize(self._lead(lead.id), 0.0, " that bears what passes it for seconds", larger=True)
                except SizingError as error:
                    self._give_up(lead.id, error)
                return True
        return False

    @cached_property
    def _checks_before(self) -> dict[tuple[str, str], ProtectionCheck]:
        return checks_by_part(self._before)

    def _got_worse(self, branch_id: str, check: ProtectionCheck) -> bool:
        before = self._checks_before.get((branch_id, check.name))
        return before is not None and RANKED.index(check.outcome) > RANKED.index(before.outcome)

    def _order(self) -> bool:
        """Fuses further up that would open with the one that now is larger: they grow too, where it opened alone before."""
        case = Case(self.circuit)
        for part in protectors(case.circuit):
            before = self._checks_before.get((part.id, "order"))
            if part.id not in self.scope or before is None or before.outcome is not Outcome.GOOD:
                continue
            behind = case.behind(part)
            if behind is None or not any(
                a.check.name == "order" and a.check.outcome is not Outcome.GOOD for a in answers(case, part)
            ):
                continue
            opens_s = opens_at(part, behind.current_a)
            for other in case.protectors.values():
                amps = abs(behind.solution.current_a[other.id])
                if (
                    other.id == part.id
                    or amps < CARRIED_SHARE * behind.current_a
                    or opens_at(other, amps).least_s > opens_s.most_s
                ):
                    continue
                slower = [
                    p
                    for family in self.variants(case, other)
                    for p in family
                    if (p.rating_a or 0.0) >= (other.rating_a or 0.0) and opens_at(p, amps).least_s > opens_s.most_s
                ]
                if slower:
                    chosen = min(slower, key=lambda p: p.rating_a or 0.0)
                    self._put(chosen, f"Large enough that {part.label}, nearer to a fault behind it, opens first.")
                    for lead in case.protected(other):
                        if lead.ampacity().current_a < (chosen.rating_a or 0.0):
                            clause = f" that leaves room below it for {chosen.label} at {chosen.rating_a:g} A"
                            self._resize(self._lead(lead.id), chosen.rating_a or 0.0, clause)
                    return True
        return False


def interrupting_of(family: FuseFamily, system_voltage_v: float) -> float:
    """What a family breaks in a system [A]."""
    return interrupting_at(fuse_table().families[family].interrupting_a, system_voltage_v)[0]


@lru_cache(maxsize=32)
def checks_by_part(circuit: Circuit) -> dict[tuple[str, str], ProtectionCheck]:
    """The worst answer of each check of each part, by branch id and name of the check."""
    worst: dict[tuple[str, str], ProtectionCheck] = {}
    case = Case(circuit)
    for part in case.as_found.branches:
        for check in (a.check for a in answers(case, part)):
            key = part.id, check.name
            if key not in worst or RANKED.index(check.outcome) > RANKED.index(worst[key].outcome):
                worst[key] = check
    return worst

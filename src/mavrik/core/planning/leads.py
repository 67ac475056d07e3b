"""The cheapest leads that do what is asked, chosen from the sizes that are made by integer programming."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp

from mavrik.core.catalogue.fuses import fuse_table
from mavrik.core.catalogue.prices import PriceList
from mavrik.core.circuit import Circuit, ConductorBranch, FuseBranch
from mavrik.core.circuit.ring import Side
from mavrik.core.measuring.limits import Scope, limit_for
from mavrik.core.network import NoOperatingPointError
from mavrik.core.operating.state import AMBIENT_C, ENGINE_SPACE_C
from mavrik.core.operating.warm_cables import curve_of, surroundings_c
from mavrik.core.planning.cost import circuit_cost, fuse_cost, lead_cost
from mavrik.core.planning.draft import Draft, fresh_lead, metal_mm2
from mavrik.core.planning.options import SAME_SIZE, Option, options_of
from mavrik.core.planning.side_by_side import Sizing, finished
from mavrik.core.planning.sizing import draft_of, proposing
from mavrik.core.planning.targets import Proposal, SizingError, SizingTarget
from mavrik.core.protection.case import SOLVED_TO, Case, series_run
from mavrik.core.protection.short_circuit import protectors

Floats = NDArray[np.float64]

AS_CHEAP = 0.01
"""Within a cent two plans cost the same, and the one that was grown is taken."""


@dataclass(frozen=True)
class _Fit:
    """One size of one lead, or one rating of one fuse."""

    part: ConductorBranch | FuseBranch
    option: Option | None
    """None: kept as it is."""
    cost: float
    bears_a: float
    lost_v: float = 0.0


def cheapest_proposal(circuit: Circuit, target: SizingTarget, prices: PriceList, before: Circuit | None = None) -> Proposal:
    """The cheaper of two proposals: parts grown one at a time, and parts grown from the sizes that an integer programme finds cheapest.

    circuit, target, before: as for `propose`; prices: the workshop's
    Both hold every check that `propose` names. Raises as `propose`.
    Source: HiGHS through scipy.optimize.milp; what it is given is linear in the choice of sizes while the currents stay as they are,
    so what it finds is asked of the network again and grows where that says so.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> made = cheapest_proposal(front_battery(12), SizingTarget(target_current_a=150), usual_prices())
    >>> made.circuit.branch("charge_cable").size
    '50 mm2'
    """
    return finished(cheapest_proposing(circuit, target, prices, before))


def cheapest_proposing(
    circuit: Circuit, target: SizingTarget, prices: PriceList, before: Circuit | None = None
) -> Sizing[Proposal]:
    """As `cheapest_proposal`, step by step."""
    grown = yield from proposing(circuit, target, before)
    try:
        sizes = cheapest_sizes(draft_of(circuit, target, before)[0], prices)
        if all(_sized(circuit, grown.circuit, i) == o for i, o in sizes.items()):
            return grown
        other = yield from proposing(circuit, target, before, sizes)
    except (SizingError, NoOperatingPointError):
        return grown
    as_found = before or circuit

    def total(made: Proposal) -> float:
        return circuit_cost(as_found, made.circuit, prices).total(prices)

    return other if total(other) < total(grown) - AS_CHEAP else grown


def _sized(before: Circuit, after: Circuit, branch_id: str) -> Option | None:
    """The size a lead was given; None where it is as it was."""
    lead = after.branch(branch_id)
    assert isinstance(lead, ConductorBranch)
    # A fuse that was placed brings a lead of its own.
    return None if lead in before.branches else Option(lead.size, lead.parallel)


def cheapest_sizes(draft: Draft, prices: PriceList) -> dict[str, Option]:
    """The sizes of leads that cost least while each carries its current, stays above its fuse and both sides keep their limits.

    draft: fresh, its fuses in their places; prices: the workshop's
    Returns the leads that are changed, by branch id; empty where none has to be, or where nothing that is made will do.
    """
    leads = [b for b in draft.circuit.branches if isinstance(b, ConductorBranch) and b.id in draft.scope]
    fits = [f for lead in leads for f in _sizes(draft, lead, prices)]
    case = Case(draft.circuit)
    fuses = [p for p in protectors(case.circuit) if isinstance(p, FuseBranch) and p.id in draft.scope and p.conducts]
    fits += [f for fuse in fuses for f in _ratings(draft, case, fuse, prices)]
    chosen = _solve(fits, [*_one_each(fits), *_above_fuses(case, fuses, fits), *_sides(draft, fits), *_runs(draft, fits)])
    return {f.part.id: f.option for f in chosen if f.option is not None}


def _sizes(draft: Draft, lead: ConductorBranch, prices: PriceList) -> Iterator[_Fit]:
    """What a lead may become and carries its current, as it is first."""
    circuit, target = draft.circuit, draft.target
    amps = abs(draft.rated().current_a[lead.id])
    whole = target.target_current_a if lead.id in draft.ring.return_side else 0.0
    need = max(draft.duty_a[lead.id], draft.alone_a().get(lead.id, 0.0), whole) * (1 - SOLVED_TO)
    ground = limit_for(target.limit_profile, Scope.GROUND, circuit.system_voltage_v).volts
    is_ground = draft.ring.side.get(lead.id) is Side.RETURN
    renewed = lead.id in draft.cause

    def fit(made: ConductorBranch, option: Option | None, cost: float) -> _Fit:
        curve = curve_of(made, surroundings_c(made, ENGINE_SPACE_C, AMBIENT_C))
        lost = amps * made.sound_resistance_ohm(curve.temperature_c(amps / made.parallel))
        return _Fit(made, option, cost, made.ampacity().current_a, lost)

    made = [] if renewed else [fit(lead, None, 0.0)]
    for option in options_of(target.system):
        if option.area_mm2 >= metal_mm2(lead) * SAME_SIZE:
            fresh = fresh_lead(lead, option, target)
            made.append(fit(fresh, option, lead_cost(fresh, prices).total(prices)))
    yield from (f for f in made if f.bears_a >= need and (not is_ground or f.lost_v <= ground))


def _ratings(draft: Draft, case: Case, fuse: FuseBranch, prices: PriceList) -> Iterator[_Fit]:
    """What a fuse may be rated."""
    least = draft.duty_a[fuse.id] / fuse_table().continuous_share * (1 - SOLVED_TO)
    amps = abs(draft.rated().current_a[fuse.id])
    if fuse.id not in draft.unrated and fuse.rating_a >= least and draft.rides(case, fuse):
        yield _Fit(fuse, None, 0.0, fuse.rating_a, amps * fuse.sound_resistance_ohm(20.0))
    for family in draft.variants(case, fuse)[:1]:
        for other in family:
            if isinstance(other, FuseBranch):
                yield _Fit(
                    other, None, fuse_cost(other, prices).total(prices), other.rating_a, amps * other.sound_resistance_ohm(20.0)
                )


Row = tuple[Floats, float, float]
"""Coefficients, and between what their sum lies."""


def _row(fits: Sequence[_Fit], value: Callable[[_Fit], float], least: float, most: float) -> Row:
    return np.array([value(f) for f in fits]), least, most


def _one_each(fits: Sequence[_Fit]) -> Iterator[Row]:
    for part in {f.part.id for f in fits}:
        yield _row(fits, lambda f, part=part: float(f.part.id == part), 1, 1)  # type: ignore[misc]


def _above_fuses(case: Case, fuses: Sequence[FuseBranch], fits: Sequence[_Fit]) -> Iterator[Row]:
    here = {f.part.id for f in fits}
    for fuse in fuses:
        for cable in case.protected(fuse):
            if cable.id in here:
                signs = {cable.id: 1.0, fuse.id: -1.0}
                yield _row(fits, lambda f, signs=signs: signs.get(f.part.id, 0.0) * f.bears_a, 0, np.inf)  # type: ignore[misc]


def _sides(draft: Draft, fits: Sequence[_Fit]) -> Iterator[Row]:
    circuit, rated = draft.circuit, draft.rated()
    limit = limit_for(draft.target.limit_profile, Scope.SIDE, circuit.system_voltage_v).volts
    chosen = {f.part.id for f in fits}
    for side in (draft.ring.feed, draft.ring.return_side):
        others = sum(abs(rated.drop_v[i]) - circuit.branch(i).threshold_v for i in side if i not in chosen)
        yield _row(fits, lambda f, side=side: f.lost_v if f.part.id in side else 0.0, 0, limit - others)  # type: ignore[misc]


def _runs(draft: Draft, fits: Sequence[_Fit]) -> Iterator[Row]:
    """New leads of one run are cut from one reel: the same size, or kept."""
    leads = {f.part.id: f.part for f in fits if isinstance(f.part, ConductorBranch)}
    kept = {f.part.id for f in fits if f.option is None}
    for one in leads.values():
        for other in series_run(draft.circuit, one.id):
            if other.id <= one.id or other.id not in leads or leads[other.id].place is not one.place:
                continue
            for option in {f.option for f in fits if f.option is not None and f.part.id in (one.id, other.id)}:
                for a, b in ((one.id, other.id), (other.id, one.id)):
                    # Of this size, only where the other is too, or is kept.
                    def value(f: _Fit, a: str = a, b: str = b, option: Option | None = option) -> float:
                        if f.part.id == a and f.option == option:
                            return 1.0
                        return -1.0 if f.part.id == b and (f.option == option or (f.option is None and b in kept)) else 0.0

                    yield _row(fits, value, -np.inf, 0)


def _solve(fits: Sequence[_Fit], rows: Sequence[Row]) -> list[_Fit]:
    if not fits:
        return []
    solved = milp(
        # Of two that cost the same, the one that loses less.
        np.array([f.cost + 1e-4 * f.lost_v for f in fits]),
        integrality=np.ones(len(fits)),
        bounds=Bounds(0, 1),
        constraints=LinearConstraint(np.array([r[0] for r in rows]), [r[1] for r in rows], [r[2] for r in rows]),
    )
    if solved.x is None:
        return []
    return [f for f, on in zip(fits, solved.x, strict=True) if on > 0.5]

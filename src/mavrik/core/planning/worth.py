"""What buys what: every change alone, the cheapest that reach a goal together, and which of them nothing beats."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from typing import Annotated

import numpy as np
from pydantic import Field

from mavrik.core.circuit.rules import CircuitError
from mavrik.core.document import Document
from mavrik.core.measuring.limits import LimitProfileName, Scope, limit_for
from mavrik.core.planning.changes import Change, Situation, changes_in, kind_of
from mavrik.core.planning.choosing import Candidate, Chooser, Chosen, Goals, Settled
from mavrik.core.planning.cost import circuit_cost
from mavrik.core.planning.figures import Figures, figures_of
from mavrik.core.planning.making import Made, WorthError, choices_of, make, making, over_limit
from mavrik.core.planning.side_by_side import finished_together

MOST_CHANGES = 80
MOST_PARTS = 60
LEVELS = 5
"""Steps between nothing more and the most that can be had, at each of which the cheapest plan is looked for."""
MOST_PLANS = 8

FEWER_A, LOWER_V = 5.0, 0.2
"""By so much a goal is relaxed to see what it costs. Our choice, no source."""

ChangeId = Annotated[str, Field(min_length=1, max_length=80)]
PlanId = Annotated[str, Field(pattern=r"^plan_[0-9]{1,2}$")]
Words = Annotated[str, Field(max_length=120)]
Sentence = Annotated[str, Field(max_length=1000)]
Amount = Annotated[float, Field(ge=0, le=10_000_000, description="In the workshop's currency")]


class WorthRequest(Document):
    """What is wanted, and what may be done for it."""

    idle_surplus_a: Annotated[float, Field(ge=-500, le=2000, description="To spare at a hot idle [A]")] | None = 5.0
    day_holds: bool = Field(True, description="A day leaves no battery short")
    least_v: Annotated[float, Field(ge=8, le=32, description="At the first battery, hot, with the engine on [V]")] | None = None
    budget: Amount | None = None
    left_out: Annotated[tuple[ChangeId, ...], Field(max_length=MOST_CHANGES, description="Changes that no plan may have")] = ()
    conceded: Annotated[
        tuple[ChangeId, ...], Field(max_length=MOST_CHANGES, description="What the owner would give up: off, or a faster idle")
    ] = ()
    own_costs: Annotated[
        dict[ChangeId, Amount], Field(max_length=MOST_CHANGES, description="Known better than by price list")
    ] = Field(default_factory=dict)

    @property
    def goals(self) -> Goals:
        """What a plan has to reach."""
        return Goals(self.idle_surplus_a, self.least_v, self.day_holds, self.budget)


class Worth(Document):
    """One change alone."""

    id: ChangeId
    kind: Words
    kind_label: Words
    label: Words
    why: Sentence
    asks: Annotated[tuple[Sentence, ...], Field(max_length=12)]
    concedes: bool
    comes_with: Annotated[tuple[Words, ...], Field(max_length=MOST_PARTS, description="Parts that are changed with it")]
    cost: float | None = Field(description="Parts and hours; null: it cannot be done")
    parts: float | None
    hours: float | None
    figures: Figures | None = Field(description="null: it cannot be done")
    refused: Sentence = Field(description="Why it cannot be done; empty where it can")


class PlanOption(Document):
    """Changes that are made together."""

    id: PlanId
    change_ids: Annotated[tuple[ChangeId, ...], Field(max_length=MOST_CHANGES)]
    labels: Annotated[tuple[Words, ...], Field(max_length=MOST_CHANGES)]
    cost: float
    hours: float
    figures: Figures
    meets: bool = Field(description="Whether it reaches what is wanted")
    on_front: bool = Field(description="Whether nothing has as much to spare at a hot idle for less money")


class Binding(Document):
    """A limit that costs money."""

    limit: Words
    saves: float = Field(description="What relaxing it would save, about")
    words: Sentence


class WorthView(Document):
    """What buys what."""

    as_found: Figures
    as_found_meets: bool
    singles: Annotated[tuple[Worth, ...], Field(max_length=MOST_CHANGES)]
    plans: Annotated[tuple[PlanOption, ...], Field(max_length=MOST_PLANS)]
    pick: PlanId | None = Field(description="The cheapest plan that reaches what is wanted; null: none does")
    pick_why: Sentence
    bindings: Annotated[tuple[Binding, ...], Field(max_length=MOST_CHANGES)]
    currency: Annotated[str, Field(max_length=8)]


def worth(situation: Situation, request: WorthRequest, progress: Callable[[float], None] = lambda _: None) -> WorthView:
    """What every change does alone, and which together reach what is wanted for the least money.

    situation: the vehicle as found, its use, what can be had; request: goals, what is left out or given up, own costs
    progress: told the share that is done; may raise to stop
    Every figure is that of the changed circuit solved anew; a unit comes with the leads and fuses that it needs. Plans are found as
    `Chooser.cheapest` does, at the goal and at steps up to the most that can be had.
    Raises CircuitError or UseProblemError where circuit or use do not add up.
    Source: the network solved, the workshop's prices; HiGHS chooses.
    """
    return _Worth(situation, request, progress).view()


class _Worth:
    """One comparison, on its way."""

    def __init__(self, situation: Situation, request: WorthRequest, progress: Callable[[float], None]) -> None:
        self.situation, self.request, self.progress = situation, request, progress
        self.changes = {c.id: c for c in changes_in(situation)[:MOST_CHANGES]}
        self.as_found = figures_of(situation.as_found, situation.use)
        self.made: dict[Chosen, Made] = {}
        self.refused: dict[str, str] = {}
        self._seen: dict[int, tuple[Made, Figures]] = {}

    def view(self) -> WorthView:
        """All of it."""
        singles = tuple(self._singles())
        able = [w for w in singles if w.figures is not None and self._may(w.id)]
        candidates = [*self._candidates(able), *self._pairs(able)]
        chooser = Chooser(self.as_found, candidates, self._ask)
        goals = self.request.goals
        pick = chooser.cheapest(goals)
        self.progress(0.7)
        most = chooser.most(goals.budget)
        self.progress(0.75)
        choices = [c for c in (pick, *self._steps(chooser, most), most) if c is not None]
        plans = self._plans(choices, singles)
        chosen = next((p.id for p in plans if pick is not None and frozenset(p.change_ids) == pick.ids), None)
        self.progress(1.0)
        return WorthView(
            as_found=self.as_found, as_found_meets=goals.met_by(self.as_found, 0.0), singles=singles, plans=plans, pick=chosen,
            pick_why=self._why(pick, most, plans), bindings=tuple(self._bindings(chooser, candidates, pick)),
            currency=self.situation.prices.currency,
        )  # fmt: skip

    def _may(self, change_id: str) -> bool:
        request = self.request
        return change_id not in request.left_out and (not kind_of(change_id).concedes or change_id in request.conceded)

    def _cost(self, ids: Iterable[str], made: Made) -> float:
        """As the price list has it; what somebody knows better of a change stands in for what it costs alone."""
        known = [i for i in ids if i in self.request.own_costs]
        own_costs = sum(
            self.request.own_costs[i] - self.made[frozenset((i,))].cost for i in known if frozenset((i,)) in self.made
        )
        return round(max(made.cost + own_costs, 0.0), 2)

    def _figures(self, made: Made) -> Figures:
        # A change that was made for one comparison is the very same in the next.
        if id(made) not in self._seen:
            self._seen[id(made)] = made, figures_of(made.circuit, made.scheme.use)
        return self._seen[id(made)][1]

    def _make(self, ids: Chosen) -> Made:
        if ids not in self.made:
            self.made[ids] = make(self.situation, [self.changes[i] for i in ids])
        return self.made[ids]

    def _make_each(self) -> None:
        """Every change by itself, all of them side by side."""
        sizings = [making(self.situation, [change]) for change in self.changes.values()]
        several = finished_together(sizings, (WorthError, CircuitError), lambda share: self.progress(0.4 * share))
        for i, made in zip(self.changes, several, strict=True):
            if isinstance(made, Made):
                self.made[frozenset((i,))] = made
            else:
                self.refused[i] = str(made)

    def _singles(self) -> Iterator[Worth]:
        self._make_each()
        for k, change in enumerate(self.changes.values()):
            self.progress(0.4 + 0.1 * k / len(self.changes))
            kind, made, figures = kind_of(change.id), self.made.get(frozenset((change.id,))), None
            try:
                figures = self._figures(made) if made else None
            except CircuitError as error:
                self.refused[change.id] = str(error)
            yield Worth(
                id=change.id, kind=kind.name, kind_label=kind.label, label=change.label, why=change.why, asks=change.asks,
                concedes=kind.concedes, comes_with=self._with(made) if made else (), cost=self._cost((change.id,), made) if made else None, parts=made.parts if made else None,
                hours=made.hours if made else None, figures=figures, refused=self.refused.get(change.id, ""),
            )  # fmt: skip

    def _with(self, made: Made) -> tuple[str, ...]:
        choices = choices_of(self.situation, made, ())
        return tuple(f"{c.label}: {c.after}"[:120] for c in choices[:MOST_PARTS] if c.after != c.before)

    def _candidates(self, able: Sequence[Worth]) -> Iterator[Candidate]:
        for w in able:
            assert w.cost is not None and w.figures is not None
            yield Candidate((w.id,), (_group(self.changes[w.id]),), w.cost, w.figures)

    def _pairs(self, able: Sequence[Worth]) -> Iterator[Candidate]:
        """Units with each pulley: what the two do does not add up, so each pair is asked for itself."""
        units = [w.id for w in able if self.changes[w.id].group == "unit"]
        pulleys = [w.id for w in able if self.changes[w.id].group == "pulley"]
        pulleys += [i for i in self.refused if i.startswith("pulley:") and self._may(i)]
        for k, unit in enumerate(units):
            self.progress(0.5 + 0.15 * k / len(units))
            for pulley in pulleys:
                candidate = self._pair(unit, pulley)
                if candidate is not None:
                    yield candidate

    def _pair(self, unit: str, pulley: str) -> Candidate | None:
        of_unit = self.made[frozenset((unit,))]
        scheme = self.changes[pulley].apply(of_unit.scheme)
        if (
            scheme.pulley_mm is None
            or scheme.pulley_mm >= (of_unit.scheme.pulley_mm or 0.0)
            or over_limit(self.situation, scheme)
        ):
            return None
        # A pulley changes no lead: those of the unit stay.
        ratio = next(a.pulley_ratio for a in scheme.circuit.alternators if a.id == self.situation.unit.id)
        circuit = replace(scheme, circuit=of_unit.circuit).with_alternator(self.situation.unit.id, pulley_ratio=ratio).circuit
        cost = circuit_cost(self.situation.as_found, circuit, self.situation.prices) + scheme.extra
        made = replace(
            of_unit, scheme=scheme, circuit=circuit, cost=cost.total(self.situation.prices), parts=cost.parts, hours=cost.hours,
            proposal=of_unit.proposal.model_copy(update={"circuit": circuit}) if of_unit.proposal else None,
        )  # fmt: skip
        ids = frozenset((unit, pulley))
        self.made[ids] = made
        return Candidate((unit, pulley), ("drive",), self._cost(ids, made), self._figures(made))

    def _ask(self, ids: Chosen) -> Settled | None:
        try:
            made = self._make(ids)
            return Settled(ids, self._figures(made), self._cost(ids, made))
        except (WorthError, CircuitError):
            return None

    def _steps(self, chooser: Chooser, most: Settled | None) -> Iterator[Settled]:
        """The cheapest plans at steps up to the most that can be had."""
        first, last = self.as_found.idle_surplus_a, most.figures.idle_surplus_a if most else None
        if first is None or last is None or last <= first:
            return
        for k, level in enumerate(np.linspace(first, last, LEVELS + 2)[1:-1]):
            self.progress(0.75 + 0.2 * k / LEVELS)
            choice = chooser.cheapest(Goals(idle_surplus_a=float(level), budget=self.request.budget))
            if choice is not None:
                yield choice

    def _plans(self, choices: Iterable[Settled], singles: Iterable[Worth]) -> tuple[PlanOption, ...]:
        every = {c.ids: c for c in choices if c.ids}
        points = [(0.0, self.as_found.idle_surplus_a)]
        points += [(c.cost, c.figures.idle_surplus_a) for c in every.values()]
        points += [(w.cost, w.figures.idle_surplus_a) for w in singles if w.figures and w.cost is not None and self._may(w.id)]
        sorted_by_cost = sorted(every.values(), key=lambda c: (c.cost, -(c.figures.idle_surplus_a or 0.0)))
        return tuple(
            PlanOption(
                id=f"plan_{k}", change_ids=(ids := tuple(i for i in self.changes if i in c.ids)),
                labels=tuple(self.changes[i].label for i in ids), cost=c.cost, hours=round(self.made[c.ids].hours, 2), figures=c.figures,
                meets=self.request.goals.met_by(c.figures, c.cost), on_front=not any(_beats(p, (c.cost, c.figures.idle_surplus_a)) for p in points),
            )
            for k, c in enumerate(sorted_by_cost[:MOST_PLANS], start=1)
        )  # fmt: skip

    def _why(self, pick: Settled | None, most: Settled | None, plans: Sequence[PlanOption]) -> str:
        goals = self._wanted()
        if pick is not None and not pick.ids:
            return f"As it is, it has {goals}: nothing has to be bought."
        if pick is not None:
            more = next((p for p in plans if p.cost > pick.cost and p.on_front), None)
            gain = (more.figures.idle_surplus_a or 0.0) - (pick.figures.idle_surplus_a or 0.0) if more else 0.0
            step = f" The next step up gives {gain:.0f} A more for {more.cost - pick.cost:.0f} more." if more and gain > 0 else ""
            return f"The cheapest found that has {goals}.{step}"
        if most is None:
            return f"Nothing that can be had gives {goals}: there is no change to choose from."
        labels = ", ".join(c.label for i, c in self.changes.items() if i in most.ids) or "as it is"
        short = most.figures.idle_surplus_a
        least = "" if short is None else f" The most is {short:.0f} A to spare at a hot idle ({labels})."
        fast = [self.changes[i].label for i, words in self.refused.items() if "redline" in words]
        bound = f" The limit speed rules out: {', '.join(fast)}." if fast else ""
        spent = f" Within {self.request.budget:.0f}." if self.request.budget is not None else ""
        return f"No plan was found that has {goals}.{least}{bound}{spent}"

    def _wanted(self) -> str:
        request, words = self.request, []
        if request.idle_surplus_a is not None:
            words.append(f"{request.idle_surplus_a:g} A to spare at a hot idle")
        if request.least_v is not None:
            words.append(f"{request.least_v:g} V at the battery")
        if request.day_holds:
            words.append("a day that leaves no battery short")
        return " and ".join(words) or "what is wanted"

    def _bindings(self, chooser: Chooser, candidates: Sequence[Candidate], pick: Settled | None) -> Iterator[Binding]:
        """What each limit costs: the plan without it, or with less of it, against the plan with it, where changes add up."""
        goals = self.request.goals
        now = chooser.estimate(goals)
        if pick is None or not pick.ids or now is None:
            return

        def saved(relaxed: Goals, more: Sequence[Candidate] = ()) -> float:
            other = Chooser(self.as_found, [*candidates, *more], self._ask).estimate(relaxed)
            return round(now - other, 2) if other is not None else 0.0

        def say(limit: str, saves: float, words: str) -> Iterator[Binding]:
            if saves > 0.5:
                yield Binding(limit=limit, saves=saves, words=f"{words} would save about {saves:.0f}.")

        if goals.idle_surplus_a is not None:
            less = replace(goals, idle_surplus_a=goals.idle_surplus_a - FEWER_A)
            yield from say("idle_surplus_a", saved(less), f"{FEWER_A:g} A less to spare at a hot idle")
        if goals.least_v is not None:
            yield from say(
                "least_v", saved(replace(goals, least_v=goals.least_v - LOWER_V)), f"{LOWER_V:g} V less at the battery"
            )
        if goals.day_holds:
            yield from say("day_holds", saved(replace(goals, day_holds=False)), "A day that may leave a battery short")
        outside = [i for i in self.changes if not self._may(i) and frozenset((i,)) in self.made]
        for i in outside:
            change, made = self.changes[i], self.made[frozenset((i,))]
            more = Candidate((i,), (_group(change),), self._cost((i,), made), self._figures(made))
            yield from say(i, saved(goals, [more]), f"'{change.label}', if it may be done,")
        yield from self._drop_limit(pick, say)

    def _drop_limit(self, pick: Settled, say: Callable[[str, float, str], Iterator[Binding]]) -> Iterator[Binding]:
        """What the next looser limit profile for drops would save on the plan's leads."""
        situation, made = self.situation, self.made[pick.ids]
        if made.proposal is None:
            return
        volts = situation.as_found.system_voltage_v

        def side_v(profile: LimitProfileName) -> float:
            return limit_for(profile, Scope.SIDE, volts).volts

        profile = situation.target.limit_profile
        looser = sorted((p for p in LimitProfileName if side_v(p) > side_v(profile)), key=side_v)
        if not looser:
            return
        other = replace(situation, target=situation.target.model_copy(update={"limit_profile": looser[0]}))
        try:
            cheaper = make(other, [self.changes[i] for i in pick.ids])
        except WorthError:
            return
        words = f"{side_v(looser[0]) * 1000:.0f} mV a side in place of {side_v(profile) * 1000:.0f} mV"
        yield from say("drop_limit", made.cost - cheaper.cost, words)


def _group(change: Change) -> str:
    """Unit and pulley are chosen together."""
    return "drive" if change.group in ("unit", "pulley") else change.group


def _beats(one: tuple[float | None, float | None], other: tuple[float, float | None]) -> bool:
    """Whether a cost and what it has to spare is no worse in both than another, and better in one."""
    if one[0] is None or one[1] is None or other[1] is None:
        return False
    return one[0] <= other[0] and one[1] >= other[1] and one != other

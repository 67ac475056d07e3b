"""The work of a plan as steps in a safe order, from the difference between what was found and what is planned."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from enum import StrEnum

import networkx as nx
from pydantic import Field

from mavrik.core.catalogue.prices import PriceList
from mavrik.core.circuit import Battery, Circuit, ConductorBranch
from mavrik.core.document import Document
from mavrik.core.fabrication.bulkheads import FIT_MIN, BulkheadToFit
from mavrik.core.fabrication.cards import EndCard, LeadCard, leads_to_make
from mavrik.core.fabrication.crimping import CrimpTool
from mavrik.core.fabrication.samples import SAMPLE_MIN, Sample
from mavrik.core.fabrication.schools import School
from mavrik.core.fabrication.ways import WayView, laid_words
from mavrik.core.planning.cost import branch_costs, is_same_part, lead_cost, same_unit
from mavrik.core.procedures.bench_limits import Limits

OFF_MIN, ON_MIN, LOOK_MIN, REMOVE_MIN = 2.0, 3.0, 5.0, 5.0
"""Minutes for a clamp off and on, to look round and to take a part out. Common practice, rough, no source."""
LAY_SHARE = 0.5
"""Of a lead's hours that go into laying it; the rest is made on the bench. Our choice."""


class Phase(StrEnum):
    """Where a step stands in the work."""

    MAKE = "make"
    SAFE = "safe"
    OFF = "off"
    REMOVE = "remove"
    FIT = "fit"
    ON = "on"
    TEST = "test"


class Step(Document):
    """One thing to do."""

    id: str
    phase: Phase
    text: str
    minutes: float
    needs: tuple[str, ...] = Field(description="Ids of steps that are done before")
    branch_id: str = ""
    tools: tuple[str, ...] = Field((), description="Beyond what lies on every bench")
    people: int = Field(1, description="Hands that it takes")
    handles_battery: bool = False


INSULATED = "insulated spanner"
BENCH_TOOLS = ("cable cutter", "stripper", "hot-air gun")
TORQUE = "torque wrench"
METER = "multimeter"
TWO_PEOPLE_KG = 25.0
"""From here on two lift. Common practice."""
KG_PER_AH = {"lifepo4": 0.12}
LEAD_KG_PER_AH = 0.26
"""What a battery weighs, an ampere-hour of 12 V. Common practice, rough, no source."""


def weighs_kg(battery: Battery) -> float:
    """What one unit of a battery weighs, roughly.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> round(weighs_kg(front_battery(12).batteries[0]))
    18
    """
    return KG_PER_AH.get(battery.chemistry.value, LEAD_KG_PER_AH) * battery.capacity_ah


def work_steps(
    as_found: Circuit, planned: Circuit, prices: PriceList, anew: Collection[str] = (), cards: Sequence[LeadCard] = (),
    ways: Sequence[WayView] = (), removals: Mapping[str, str] | None = None,
    samples: Sequence[Sample] = (), bulkheads: Sequence[BulkheadToFit] = (),
) -> tuple[Step, ...]:  # fmt: skip
    """Every step from the vehicle as found to the plan, none before what it needs.

    as_found, planned: before and after, the same parts under the same ids; prices: the workshop's hours; anew: ids of leads that are made
    though they stay as they are; cards: of the leads, for what their studs are drawn to, `lead_cards`; ways: that they are laid along, `way_views`;
    removals: what becomes of what is taken out, by its id, `removal_words`; samples: that are
    pulled before the leads that have them, `samples_of`; bulkheads: studs that are put through a panel before a lead goes onto them, `bulkheads_to_fit`
    Leads are made on the bench first. Then everything is made safe, every negative comes off before any positive; old parts out, new ones
    in; positives on, and negatives last; then the tests.
    Source: common practice of the trade.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> thicker = tuple(b.model_copy(update={"size": "50 mm2"}) if b.id == "charge_cable" else b for b in car.branches)
    >>> [s.id for s in work_steps(car, car.model_copy(update={"branches": thicker}), usual_prices())]  # doctest: +NORMALIZE_WHITESPACE
    ['make:charge_cable', 'safe', 'off:battery:negative', 'off:battery:positive', 'remove:charge_cable', 'fit:charge_cable',
     'on:battery:positive', 'on:battery:negative', 'test']
    """
    along = {x.branch_id: laid_words(way) for way in ways for x in way.leads}
    return tuple(
        _steps(as_found, planned, prices, anew, {c.branch_id: c for c in cards}, along, removals or {}, samples, bulkheads)
    )


def _steps(
    as_found: Circuit, planned: Circuit, prices: PriceList, anew: Collection[str], cards: Mapping[str, LeadCard],
    along: Mapping[str, str], removals: Mapping[str, str],
    samples: Sequence[Sample], bulkheads: Sequence[BulkheadToFit],
) -> Iterator[Step]:  # fmt: skip
    before, after = {b.id: b for b in as_found.branches}, {b.id: b for b in planned.branches}
    made = leads_to_make(as_found, planned, anew)
    for s in samples:
        yield Step(
            id=s.step, phase=Phase.MAKE, text=s.words, minutes=SAMPLE_MIN, needs=(), tools=("press", "spring balance", "saw")
        )
    for lead in made:
        hours = lead_cost(lead, prices).hours * (1 - LAY_SHARE)
        yield Step(
            id=f"make:{lead.id}", phase=Phase.MAKE, text=f"Make {lead.label}.", minutes=60 * hours, branch_id=lead.id,
            needs=tuple(s.step for s in samples if lead.id in s.leads), tools=_bench_tools(cards.get(lead.id)),
        )  # fmt: skip
    yield Step(
        id="safe", phase=Phase.SAFE, minutes=LOOK_MIN, needs=(),
        text="Key out, everything off, rings and watch off, eye protection on; note codes and settings that will be lost.",
    )  # fmt: skip
    # What is there as found comes off, what is there as planned goes on.
    negatives = tuple(f"off:{b.id}:negative" for b in as_found.batteries)
    for battery in as_found.batteries:
        yield _clamp("off", battery, "negative", ("safe",))
    for battery in as_found.batteries:
        yield _clamp("off", battery, "positive", negatives)
    dead = (*negatives, *(f"off:{b.id}:positive" for b in as_found.batteries))
    hours_of = {part.id: cost.hours for part, cost in branch_costs(as_found, planned, prices)}
    hours_of |= {lead.id: lead_cost(lead, prices).hours for lead in made}
    cleaned = {i for i in hours_of if i in before and is_same_part(before[i], after[i])} - {lead.id for lead in made}
    gone = [b for b in as_found.branches if b.id not in after]
    for part in (*gone, *(before[i] for i in before if i in hours_of and i not in cleaned)):
        text = removals.get(part.id, f"Take {part.label} out.")
        yield Step(id=f"remove:{part.id}", phase=Phase.REMOVE, text=text, minutes=REMOVE_MIN, needs=dead, branch_id=part.id)
    fitted = [b.step for b in bulkheads]
    for b in bulkheads:
        yield Step(id=b.step, phase=Phase.FIT, text=b.words, minutes=FIT_MIN, needs=dead, tools=("drill", METER, TORQUE))
    for part in (b for b in planned.branches if b.id in hours_of):
        needs = [f"remove:{part.id}"] if part.id in before and part.id not in cleaned else list(dead)
        needs += [b.step for b in bulkheads if part.id in b.leads]
        hours = hours_of[part.id]
        if part.id in cleaned:
            text = f"Clean {part.label} to bright metal at both ends, draw it to its torque and mark it."
        elif isinstance(part, ConductorBranch) and part in made:
            needs.append(f"make:{part.id}")
            hours *= LAY_SHARE
            text = f"Lay {part.label} {along[part.id]}, " if part.id in along else f"Lay {part.label}, clamp it, "
            text += f"{_drawn(cards.get(part.id))} and mark them.{_pads(cards.get(part.id))}"
        else:
            text = f"Fit {part.label}, draw it to its torque and mark it."
        fitted.append(f"fit:{part.id}")
        tools = (TORQUE,)
        yield Step(
            id=fitted[-1], phase=Phase.FIT, text=text, minutes=60 * hours, needs=tuple(needs), branch_id=part.id, tools=tools
        )
    heavy = {b.id: weighs_kg(b) >= TWO_PEOPLE_KG for b in planned.batteries}
    for element, text, hours in _devices(as_found, planned, prices):
        fitted.append(f"fit:{element}")
        yield Step(
            id=fitted[-1], phase=Phase.FIT, text=text, minutes=60 * hours, needs=dead, tools=(TORQUE,),
            people=2 if heavy.get(element) else 1, handles_battery=element in heavy,
        )  # fmt: skip
    removed = tuple(f"remove:{b.id}" for b in gone)
    done = (*fitted, *removed) or dead
    positives = tuple(f"on:{b.id}:positive" for b in planned.batteries)
    for battery in planned.batteries:
        yield _clamp("on", battery, "positive", done)
    for battery in planned.batteries:
        yield _clamp("on", battery, "negative", positives)
    yield Step(
        id="test", phase=Phase.TEST, minutes=LOOK_MIN, needs=tuple(f"on:{b.id}:negative" for b in planned.batteries),
        text="Start it, and repeat the tests that were made before. After ten minutes under load no lug and no fuse is more than "
        f"{Limits().of('connector_rise').most:.0f} K warmer than what is round it; draw every nut again once all has cooled.",
        tools=(METER, "thermometer"),
    )  # fmt: skip


def _bench_tools(card: LeadCard | None) -> tuple[str, ...]:
    """What a lead is made with: a press with the die of each lug, a flame or an iron where it is soldered."""
    if card is None:
        return BENCH_TOOLS
    tools = list(BENCH_TOOLS)
    for end in card.ends:
        if end.school in (School.CRIMP, School.CRIMP_SOLDER):
            tools.append(_press_of(card, end))
        if end.school in (School.CRIMP_SOLDER, School.SOLDER_CUP):
            tools.append("torch, solder and flux")
        if end.school is School.TUBE:
            tools.append("drill, vice and indent")
    return tuple(dict.fromkeys(tools))


def _press_of(card: LeadCard, end: EndCard) -> str:
    if end.contact:
        return f"crimp tool for the {end.contact}"
    if end.pressed is None or end.pressed.tool is CrimpTool.HEX:
        shim = f" and a {end.pressed.shim_mm:g} mm shim" if end.pressed and end.pressed.shim_mm else ""
        return f"press with the die for {end.lug or card.size}{shim}"
    return "press with an indent" if end.pressed.tool is CrimpTool.INDENT else "hammer crimper and anvil"


def _pads(card: LeadCard | None) -> str:
    """What is done where a lead lies on the body or the block."""
    at = " and ".join(e.at for e in card.ends if e.bare_pad) if card else ""
    return f" Bare metal under the ring at {at}, no paint; primer over it once it is tight." if at else ""


def _drawn(card: LeadCard | None) -> str:
    """To what its nuts are drawn."""
    tight = [e for e in card.ends if e.torque_nm is not None] if card else []
    if not tight:
        return "draw both nuts to their torque"
    return "draw its nuts to " + " and ".join(f"{e.torque_nm:g} Nm at {e.at}" for e in tight)


def _devices(as_found: Circuit, planned: Circuit, prices: PriceList) -> Iterator[tuple[str, str, float]]:
    """Units, batteries and chargers that are new or changed: id, what is done, and its hours."""
    units = {a.id: a for a in as_found.alternators}
    for unit in planned.alternators:
        old = units.get(unit.id)
        after = "" if unit.kind == "permanent_magnet" else ": belt, alignment, a finger's turn of the pulley"
        if old is None:
            yield unit.id, f"Fit {unit.label}{after}.", prices.unit_h
        elif not same_unit(old, unit):
            other = unit.label if unit.label != old.label else f"one of {unit.rated_a:g} A"
            yield unit.id, f"Take {old.label} out and fit {other}{after}.", prices.unit_h
        elif old.pulley_ratio != unit.pulley_ratio:
            yield unit.id, f"Change the pulley of {unit.label}, and the belt where it asks for another.", prices.pulley_h
        elif old.set_point_v != unit.set_point_v:
            yield unit.id, f"Set {unit.label} to {unit.set_point_v:.2f} V.", prices.set_point_h
    batteries = {b.id: b for b in as_found.batteries}
    for battery in planned.batteries:
        if batteries.get(battery.id) != battery:
            way = "Fit" if battery.id not in batteries else "Change"
            yield (
                battery.id,
                f"{way} {battery.label}: {battery.capacity_ah:g} Ah, strapped down, vented where it needs to be.",
                prices.battery_h,
            )
    chargers = {c.id for c in as_found.converters}
    for charger in (c for c in planned.converters if c.id not in chargers):
        yield charger.id, f"Fit {charger.label} beside the battery it charges, with room for air.", prices.converter_h


def _clamp(way: str, battery: Battery, side: str, needs: tuple[str, ...]) -> Step:
    phase, minutes = (Phase.OFF, OFF_MIN) if way == "off" else (Phase.ON, ON_MIN)
    text = f"{battery.label}: {side} clamp {'off, and held away from the post' if way == 'off' else 'on, bright metal, then greased'}."
    return Step(id=f"{way}:{battery.id}:{side}", phase=phase, text=text, minutes=minutes, needs=needs, tools=(INSULATED,))


class Course(Document):
    """How long the work takes."""

    minutes: float = Field(description="One person, one step after the other")
    shortest_minutes: float = Field(description="However many help")
    critical: tuple[str, ...] = Field(description="Ids of the steps that it hangs on")


def course(steps: tuple[Step, ...]) -> Course:
    """How long steps take, and which of them decide that.

    steps: as `work_steps` gives them
    Raises ValueError for steps that wait for one another, or for one that is not there.
    Source: longest path through what needs what (critical path method).

    >>> a, b = (Step(id=i, phase=Phase.FIT, text="", minutes=m, needs=n) for i, m, n in (("a", 10, ()), ("b", 5, ("a",))))
    >>> course((a, b, Step(id="c", phase=Phase.FIT, text="", minutes=8, needs=()))).critical
    ('a', 'b')
    """
    minutes = {s.id: s.minutes for s in steps}
    if missing := {n for s in steps for n in s.needs} - set(minutes):
        raise ValueError(f"A step waits for '{sorted(missing)[0]}', which is none.")
    graph = nx.DiGraph()
    graph.add_nodes_from(minutes)
    # The end of a step is as far from the beginning as it takes: minutes stand on the way into it.
    graph.add_edges_from((n, s.id, {"weight": s.minutes}) for s in steps for n in s.needs)
    graph.add_edges_from(("", s.id, {"weight": s.minutes}) for s in steps if not s.needs)
    if not nx.is_directed_acyclic_graph(graph):
        raise ValueError("Steps wait for one another.")
    path = nx.dag_longest_path(graph, weight="weight")[1:]
    return Course(minutes=sum(minutes.values()), shortest_minutes=sum(minutes[i] for i in path), critical=tuple(path))

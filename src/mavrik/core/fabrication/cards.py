"""The leads of a plan as a person makes them: a card each, with every figure of the bench."""

from __future__ import annotations

from collections.abc import Collection

from pydantic import Field

from mavrik.core.catalogue.conductor import Material, SizeSystem, parse_size
from mavrik.core.catalogue.lugs import PALM_WORDS, BarrelData, Palm, StudMetal, lug_table, stud
from mavrik.core.circuit import Circuit, ConductorBranch, NodeRole, TerminationKind
from mavrik.core.document import Document
from mavrik.core.fabrication.acceptance import most_drop_v, pull_out_n
from mavrik.core.fabrication.barrel import BarrelFit, Fit, barrel_fit, smallest_barrel
from mavrik.core.fabrication.bolted import torque_nm
from mavrik.core.fabrication.crimping import CrimpTool, Pressed, pressed
from mavrik.core.fabrication.documents import BuildBook, EndSpec, LeadSpec
from mavrik.core.fabrication.lengths import cut_for, lug_reach_mm
from mavrik.core.fabrication.plugged import is_plugged
from mavrik.core.fabrication.reclaimed import reclaimed_verdict
from mavrik.core.fabrication.schools import SCHOOL_WORDS, SETS_S, SOLDER_WIRE_MM, Action, School, joining, school_of
from mavrik.core.fabrication.shrink import ORDER, sleeve_for
from mavrik.core.fabrication.solder import solder_mm3, wire_mm
from mavrik.core.fabrication.stranded import usual_over_mm
from mavrik.core.fabrication.tube_lug import tube_lug, tube_mm
from mavrik.core.fabrication.ways import route_mm
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.planning.cost import is_same_part

USUAL_STUD = {
    NodeRole.ALTERNATOR_STUD: "M8",
    NodeRole.ALTERNATOR_CASE: "M8",
    NodeRole.STARTER_STUD: "M8",
    NodeRole.BATTERY_POSITIVE: "M8",
    NodeRole.BATTERY_NEGATIVE: "M8",
    NodeRole.ENGINE_BLOCK: "M10",
    NodeRole.CHASSIS: "M8",
}
"""What such a point usually has. Common practice, no source; the card says where it was taken to be so."""
ELSEWHERE = "M8"
SOFT = frozenset({NodeRole.BATTERY_POSITIVE, NodeRole.BATTERY_NEGATIVE, NodeRole.BUSBAR, NodeRole.STUD})
"""Where studs are of brass or set in plastic more often than of steel."""

ON_BODY = frozenset({NodeRole.CHASSIS, NodeRole.ENGINE_BLOCK})
ALUMINIUM = "A copper lug on aluminium strands corrodes and works loose: a bimetal lug with its own compound and die, by its maker. None is listed."
"""Common practice: two metals that touch in the wet eat one another."""

CONTACT_REACH_MM = 15.0
"""From where a plug's halves meet to where the conductor begins in a contact. Rough, no maker's: the plug says."""
TEST_A, TEST_C = 100.0, 20.0
"""A finished lead is read with so much through it, before it gets warm."""


class EndCard(Document):
    """One end of a lead."""

    at: str = Field(description="The point it goes to")
    lug: str = Field(description="Size that its barrel is made for; empty: a post clamp, a contact, or a lug of tube")
    contact: str = Field("", description="Contact of a plug that it gets; empty: none")
    stud: str = Field(description="Empty: a post clamp")
    fit: Fit
    fit_words: str
    strip_mm: float
    sleeve: str
    sleeve_mm: float
    torque_nm: float | None = Field(description="Where no maker says otherwise; null: a post clamp")
    school: School = Field(description="How it is joined")
    asks: str = Field(description="What that way asks")
    solder_mm: float | None = Field(description="Solder of 2 mm that fills its cup [mm]; null: no cup")
    tube: str = Field(description="Tube that its lug is made of; empty: it is bought")
    tube_mm: float | None = Field(description="So much of it [mm]")
    tube_spec: tuple[float, float] | None = Field(description="Outer diameter and wall of the tube [mm]")
    reach_mm: float = Field(description="From the middle of the stud, or of the post, to where the conductor begins [mm]")
    barrel_mm: float = Field(description="Depth of the barrel")
    barrel_outer_mm: float
    palm_mm: float | None = Field(description="Width of the palm; null: a post clamp")
    hole_mm: float | None
    palm: Palm = Field(description="How its palm stands; flat where there is none")
    pressed: Pressed | None = Field(description="What it is pressed on with; null: it is soldered, or a post clamp")
    bare_pad: bool = Field(description="It lies on the body or the block: bare metal under it, primer over it")


class Wait(Document):
    """A step after which the lead lies still."""

    step: int = Field(description="Place in the order, from 0")
    seconds: float


class LeadCard(Document):
    """A lead to be made."""

    branch_id: str
    label: str
    size: str
    area_mm2: float
    runs: int = Field(description="Equal ones")
    finished_mm: float | None = Field(description="From stud to stud; null: it cannot be made so")
    tolerance_mm: float | None
    cut_mm: float | None = Field(description="Of the cable, straight")
    over_mm: float = Field(description="Diameter over its insulation")
    ends: tuple[EndCard, ...]
    pull_out_n: float | None = Field(description="What each crimp holds for a minute; null: none is listed")
    most_drop_mv: float | None = Field(description="From lug to lug, with 100 A through one run at 20 degC [mV]")
    in_order: tuple[str, ...] = Field(description="How it is made, step by step")
    waits: tuple[Wait, ...] = ()
    assumed: tuple[str, ...] = Field(description="What nobody has measured, and was taken to be so")
    reclaimed: str = Field("", description="What was read of the cable that it is cut from; empty: it comes from a reel")
    problem: str = Field("", description="Why it cannot be made as it is asked; empty: it can")


def leads_to_make(as_found: Circuit, planned: Circuit, anew: Collection[str] = ()) -> tuple[ConductorBranch, ...]:
    """Leads of a plan that are not there yet as it has them, in its order.

    as_found, planned: before and after, the same parts under the same ids; anew: ids of leads that are made though they stay as they are

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> thicker = tuple(b.model_copy(update={"size": "50 mm2"}) if b.id == "charge_cable" else b for b in car.branches)
    >>> [b.id for b in leads_to_make(car, car.model_copy(update={"branches": thicker}))]
    ['charge_cable']
    """
    before = {b.id: b for b in as_found.branches}
    leads = (b for b in planned.branches if isinstance(b, ConductorBranch))
    return tuple(b for b in leads if b.id in anew or b.id not in before or not is_same_part(before[b.id], b))


def lead_cards(as_found: Circuit, planned: Circuit, book: BuildBook) -> tuple[LeadCard, ...]:
    """A card for each lead that a plan asks to be made.

    as_found, planned: before and after; book: what is known of them beyond that
    What nobody has measured is taken to be usual, and the card says so. A lead that cannot be made as it is asked says why.
    Source: see the functions of this room for each figure.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> car = front_battery(12)
    >>> thicker = tuple(b.model_copy(update={"size": "50 mm2"}) if b.id == "charge_cable" else b for b in car.branches)
    >>> (card,) = lead_cards(car, car.model_copy(update={"branches": thicker}), BuildBook())
    >>> card.label, card.ends[0].lug, round(card.cut_mm)
    ('Charge cable', '50 mm2', 1205)
    """
    known = {lead.branch_id: lead for lead in book.leads}
    return tuple(
        _card(planned, b, known.get(b.id) or LeadSpec(branch_id=b.id), book) for b in leads_to_make(as_found, planned, book.anew)
    )


def _card(circuit: Circuit, lead: ConductorBranch, spec: LeadSpec, book: BuildBook) -> LeadCard:
    size, assumed = lead.conductor, []
    route = route_mm(spec, book.ways)
    if route is None:
        route = lead.length_m * 1000
        assumed.append(f"{route:.0f} mm along its way, as it is drawn: lay a string before you cut.")
    over = spec.cable_mm
    if over is None:
        over = usual_over_mm(size, lead.stranding)
        assumed.append(f"{over:.1f} mm over its insulation: measure it before you buy the sleeve.")
    old = reclaimed_verdict(spec.reclaimed, size, lead.material, lead.stranding) if spec.reclaimed else None
    bare = LeadCard(
        branch_id=lead.id, label=lead.label, size=size.label, area_mm2=size.area_mm2, runs=lead.parallel, finished_mm=None,
        over_mm=over, tolerance_mm=None, reclaimed=old.words if old else "", cut_mm=None, ends=(), pull_out_n=None, most_drop_mv=None, in_order=(), assumed=(),
    )  # fmt: skip
    if old and old.verdict is not Verdict.PASS:
        return bare.model_copy(update={"problem": old.words})
    if lead.material is Material.ALUMINIUM:
        return bare.model_copy(update={"problem": ALUMINIUM})
    # Circular mils go into the lugs of the gauge.
    system = SizeSystem.AWG if size.system is SizeSystem.CIRCULAR_MIL else size.system
    sizes = [s for s in map(parse_size, lug_table().barrels) if s.system is system]
    barrel_size = size if size in sizes else smallest_barrel([(size, lead.stranding)], sizes)
    if barrel_size is None:
        return bare.model_copy(update={"problem": f"No lug takes {size.label}: choose another size, or a lug of your own."})
    ends, reach = [], []
    try:
        for node_id, end, kind in (
            (lead.from_node, spec.from_end, lead.from_end.kind),
            (lead.to_node, spec.to_end, lead.to_end.kind),
        ):
            beyond = any(p.node_id == node_id and lead.id in p.far for p in book.bulkheads)
            made, adds, problems = _end(
                circuit, node_id, end, kind, lead, barrel_size.label, over, ", far side" if beyond else ""
            )
            ends.append(made)
            reach.append(adds)
            assumed += problems
        made_of = cut_for(route, spec.slack, (reach[0], reach[1]), (ends[0].strip_mm, ends[1].strip_mm))
    except ValueError as error:
        return bare.model_copy(update={"assumed": tuple(assumed), "problem": str(error)})
    try:
        holds = pull_out_n(size)
    except ValueError:
        holds = None
    actions = _actions(lead, ends, made_of.cut_mm, reclaimed=old is not None)
    one = lead.model_copy(update={"parallel": 1, "length_m": made_of.finished_mm / 1000})
    return bare.model_copy(
        update={
            "finished_mm": made_of.finished_mm, "tolerance_mm": made_of.tolerance_mm, "cut_mm": made_of.cut_mm, "ends": tuple(ends),
            "pull_out_n": holds, "most_drop_mv": most_drop_v(one, TEST_A, TEST_C) * 1000, "in_order": tuple(a.text for a in actions),
            "waits": tuple(Wait(step=k, seconds=a.wait_s) for k, a in enumerate(actions) if a.wait_s), "assumed": tuple(assumed),
        }
    )  # fmt: skip


def _end(
    circuit: Circuit,
    node_id: str,
    end: EndSpec,
    kind: TerminationKind,
    lead: ConductorBranch,
    lug: str,
    over_mm: float,
    side: str,
) -> tuple[EndCard, float, list[str]]:
    """An end with what it adds to the lead, and what was taken to be so. Raises ValueError where it cannot be made."""
    node = next(n for n in circuit.nodes if n.id == node_id)
    at, table, assumed = f"{node.label}{side}", lug_table(), []
    barrel = table.barrels[lug]
    inside = barrel_fit(barrel, [(lead.conductor, lead.stranding)])
    if inside.fit is Fit.TOO_MUCH:
        raise ValueError(f"{lead.conductor.label} does not go into a lug for {lug}.")
    plugged = is_plugged(circuit, node_id)
    clamp = kind is TerminationKind.POST_CLAMP or plugged
    name, metal, school = end.stud, end.metal, end.school or school_of(kind)
    if name is None and not clamp:
        name = USUAL_STUD.get(node.role, ELSEWHERE)
        assumed.append(f"{name} at {at}: look before you buy the lug.")
    if metal is None:
        metal = StudMetal.BRASS if node.role in SOFT else StudMetal.STEEL
    tube, takes, spec = "", None, None
    if school is School.TUBE:
        if clamp or name is None:
            raise ValueError(f"A {'contact' if plugged else 'post clamp'} at {at} is not made of tube.")
        barrel, inside, takes, spec = _of_tube(end, lead, name, barrel.depth_mm)
        tube = f"tube {spec[0]:g} x {spec[1]:g} mm"
    lug_words = f"the {lug} lug for {name}{_bent(end.palm)}" if name else "the post clamp"
    what = f"the contact for {lead.conductor.label}" if plugged else "it" if tube else lug_words
    on_with = _pressed(
        school, CrimpTool.INDENT if tube else end.tool, what, barrel, lead, None if plugged or tube else end.die_mm
    )
    sleeve = sleeve_for(barrel, over_mm)
    on = None if clamp or name is None else stud(name)
    tight = None if on is None else round(torque_nm(on, metal), 1)
    reach = CONTACT_REACH_MM if plugged else table.clamp_reach_mm if on is None else lug_reach_mm(barrel, on)
    return (
        EndCard(
            at=at, contact=f"contact for {lead.conductor.label}" if plugged else "", lug="" if clamp or tube else lug, stud="" if clamp or name is None else name, fit=inside.fit,
            fit_words=inside.words, strip_mm=barrel.depth_mm + table.strip_allowance_mm, sleeve=sleeve.of.label, sleeve_mm=sleeve.length_mm,
            torque_nm=tight, school=school, asks=SCHOOL_WORDS[school][1], tube=tube, tube_mm=takes, tube_spec=spec,
            reach_mm=reach, barrel_mm=barrel.depth_mm, barrel_outer_mm=barrel.outer_mm, palm_mm=on.palm_mm if on else None,
            hole_mm=on.hole_mm if on else None, palm=end.palm if on else Palm.FLAT, pressed=on_with, bare_pad=node.role in ON_BODY and not plugged,
            solder_mm=wire_mm(solder_mm3(barrel, lead.conductor), SOLDER_WIRE_MM) if school is School.SOLDER_CUP else None,
        ),
        reach,
        assumed,
    )  # fmt: skip


def _bent(palm: Palm) -> str:
    return "" if palm is Palm.FLAT else f", {PALM_WORDS[palm]}"


def _pressed(
    school: School, tool: CrimpTool, what: str, barrel: BarrelData, lead: ConductorBranch, die_mm: float | None
) -> Pressed | None:
    """How an end is pressed on, where it is. Raises ValueError for a die or a tool that does not do."""
    return None if school is School.SOLDER_CUP else pressed(tool, what, barrel, lead.conductor, die_mm)


def _of_tube(
    end: EndSpec, lead: ConductorBranch, name: str, depth_mm: float
) -> tuple[BarrelData, BarrelFit, float, tuple[float, float]]:
    """A lug of tube: its barrel, how the conductor goes in, and what it takes of the tube. Raises ValueError for one that does not do."""
    outer, wall = end.tube_outer_mm, end.tube_wall_mm
    if outer is None or wall is None:
        raise ValueError("Say which tube the lug is made of: outer diameter and wall.")
    made = tube_lug(outer, wall, stud(name), lead.conductor)
    if not made.enough:
        raise ValueError(made.words)
    barrel = BarrelData(inner_mm=outer - 2 * wall, outer_mm=outer, depth_mm=depth_mm)
    inside = barrel_fit(barrel, [(lead.conductor, lead.stranding)])
    if inside.fit is Fit.TOO_MUCH:
        raise ValueError(f"{lead.conductor.label} does not go into a tube of {outer:g} x {wall:g} mm.")
    return barrel, inside, tube_mm(depth_mm, stud(name), outer), (outer, wall)


def _actions(lead: ConductorBranch, ends: list[EndCard], cut_mm: float, reclaimed: bool) -> list[Action]:
    """How a lead is made; the second sleeve is on before the second end is joined."""
    first, second = ends

    def joined(end: EndCard) -> tuple[Action, ...]:
        lug = (
            f"the {end.lug} lug for {end.stud}{_bent(end.palm)}"
            if end.lug
            else f"the lug for {end.stud}"
            if end.tube
            else "the post clamp"
        )
        what = f"the {end.contact}" if end.contact else lug
        tube = ""
        if end.tube_mm is not None:
            tube = f"{end.tube_mm:.0f} mm of {end.tube}, one end pressed flat and drilled {stud(end.stud).hole_mm:g} mm"
        return joining(end.school, what, end.solder_mm or 0.0, tube, end.pressed.words if end.pressed else "")

    runs = f" {lead.parallel} times" if lead.parallel > 1 else ""
    return [
        Action(f"Cut {cut_mm:.0f} mm of {'the reclaimed ' if reclaimed else ''}{lead.conductor.label}{runs}, square."),
        Action(f"Strip {first.strip_mm:.1f} mm at the end for {first.at}; nick no strand."),
        Action(f"Slip on {first.sleeve_mm:.0f} mm of sleeve {first.sleeve}."),
        *joined(first),
        Action(f"Slip on {second.sleeve_mm:.0f} mm of sleeve {second.sleeve} for the other end. {ORDER}"),
        Action(f"Strip {second.strip_mm:.1f} mm at the end for {second.at}."),
        *([] if second.contact else [Action(f"Turn the end for {second.at} as it will sit on its stud.")]),
        *joined(second),
        Action("Shrink both sleeves from the lug outwards until glue shows at the edge. No open flame near a battery.", SETS_S),
        Action(f"Label both ends: {lead.label}."),
    ]

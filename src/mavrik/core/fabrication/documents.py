"""What somebody has measured and chosen of the leads of a plan: the book they are built from."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from mavrik.core.catalogue.lugs import Palm, StudMetal, lug_table
from mavrik.core.catalogue.plugs import plug_table
from mavrik.core.circuit.document import MAX_BRANCHES
from mavrik.core.document import Document, Identifier, Label, Moment, PhotoKey, Problem
from mavrik.core.fabrication.amounts import Amount
from mavrik.core.fabrication.crimping import CrimpTool
from mavrik.core.fabrication.lengths import MOST_SLACK
from mavrik.core.fabrication.schools import School

StudName = Annotated[str, Field(min_length=2, max_length=10, description="M8, 5/16 in")]


LONGEST_MM = 50_000


class Surroundings(StrEnum):
    """What a stretch of a way runs through."""

    CABIN = "cabin"
    ENGINE = "engine"
    OUTSIDE = "outside"
    HOT = "hot"


class Passage(StrEnum):
    """What holds a bundle where a stretch ends."""

    CLAMP = "clamp"
    GROMMET = "grommet"
    SEAL = "seal"
    STUD = "stud"
    NOTHING = "nothing"


class WayStretch(Document):
    """A piece of a way, up to where it is held or goes through."""

    length_mm: Annotated[float, Field(ge=10, le=20_000, description="A string laid along it")]
    where: Surroundings = Surroundings.ENGINE
    ends_at: Passage = Passage.CLAMP
    what: Annotated[str, Field(max_length=60, description="What is there: firewall, inner wing")] = ""
    moving: Annotated[bool, Field(description="Beside a belt, a fan, a steering shaft, a hinge")] = False
    radius_mm: Annotated[float, Field(ge=1, le=2000)] | None = Field(
        None, description="Of its tightest bend, at the middle of the bundle [mm]; null: not looked at"
    )


class Way(Document):
    """A way that several leads share."""

    id: Identifier
    label: Label
    stretches: Annotated[tuple[WayStretch, ...], Field(min_length=1, max_length=30)]
    straight_mm: Annotated[float, Field(ge=10, le=50_000)] | None = Field(
        None, description="From its one end to the other as a tape measures it [mm]; null: not measured"
    )

    @property
    def length_mm(self) -> float:
        """All its stretches [mm]."""
        return sum(s.length_mm for s in self.stretches)


class EndSpec(Document):
    """What one end of a lead goes onto."""

    stud: StudName | None = Field(None, description="null: not looked at, what is usual is taken")
    metal: StudMetal | None = None
    palm: Annotated[Palm, Field(description="Of its lug; bent where there is no room to turn the cable")] = Palm.FLAT
    tool: Annotated[CrimpTool, Field(description="What a crimped lug is pressed on with")] = CrimpTool.HEX
    die_mm: Annotated[float, Field(ge=2, le=60)] | None = Field(
        None, description="Of the hexagon die at hand, flat to flat [mm]; null: the die of that lug"
    )
    school: School | None = Field(
        None, description="How it is joined; null: as the plan's circuit says, crimped where it says nothing"
    )
    tube_outer_mm: Annotated[float, Field(ge=1, le=60)] | None = Field(None, description="Of the tube that a lug is made of [mm]")
    tube_wall_mm: Annotated[float, Field(ge=0.1, le=20)] | None = None


class Reclaimed(Document):
    """What was read of a cable that comes from elsewhere."""

    length_mm: Annotated[float, Field(ge=200, le=LONGEST_MM, description="Between the probes")]
    current_a: Annotated[float, Field(ge=1, le=1000, description="Through it")]
    drop_mv: Annotated[float, Field(ge=0.1, le=5000, description="Between the probes")]
    cable_c: Annotated[float, Field(ge=-40, le=120, description="How warm it is")] = 20.0


class LeadSpec(Document):
    """A lead as it is to be made."""

    branch_id: Identifier
    route_mm: Annotated[float, Field(ge=50, le=LONGEST_MM)] | None = Field(
        None, description="A string laid along its way [mm]; null: the length it is drawn with"
    )
    way: Identifier | None = Field(None, description="Id of the way that it is laid along; null: it has one of its own")
    from_tail_mm: Annotated[float, Field(ge=0, le=20_000, description="From its first point to the way")] = 0.0
    to_tail_mm: Annotated[float, Field(ge=0, le=20_000, description="From the way to its last point")] = 0.0
    slack: Annotated[float, Field(ge=0, le=MOST_SLACK, description="More than the string, as a share")] = 0.03
    cable_mm: Annotated[float, Field(ge=1, le=60)] | None = Field(
        None, description="Over its insulation [mm]; null: not measured"
    )
    reclaimed: Reclaimed | None = Field(None, description="Of a cable that comes from elsewhere; null: it is cut from a reel")
    from_end: EndSpec = EndSpec()
    to_end: EndSpec = EndSpec()


StepId = Annotated[str, Field(pattern=r"^[a-z]+(:[a-z0-9_]+){0,2}$", max_length=150)]


class StepPhoto(Document):
    """What a step looked like when it was done."""

    step: StepId
    photo: PhotoKey


class Tick(Document):
    """A step that somebody has done."""

    step: StepId
    by: Annotated[str, Field(max_length=200, description="Who; set when it is kept")] = ""
    at: Moment | None = Field(
        None,
        description="When; of one that is new it counts from the last that was kept to now, and is now where it lies outside or is left out",
    )


class Signature(Document):
    """That a lead has looked the work over; set by the server alone."""

    by: Annotated[str, Field(max_length=200)]
    at: Moment
    mark: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$", description="Of the work as it was signed for")]


class PartChoice(Document):
    """What somebody has decided of a part."""

    need: Annotated[str, Field(max_length=80, description="Id of a line of the bill")]
    number: Annotated[str, Field(max_length=40, description="Of a part of the workshop's list; empty: none is chosen")] = ""
    price: Amount | None = Field(None, description="What it costs, where the list has none: a piece or a metre")


class Contacts(StrEnum):
    """What a half of a plug has."""

    PINS = "pins"
    SOCKETS = "sockets"


class PlugSpec(Document):
    """A pole of a plug, as it is to be."""

    branch_id: Identifier
    housing: Annotated[str, Field(max_length=30, description="Poles of one name share a housing; empty: one of its own")] = ""
    cavity: Annotated[int, Field(ge=1, le=24)] | None = Field(None, description="null: the next that is free")
    moved_from: Annotated[int, Field(ge=1, le=24)] | None = Field(
        None, description="Cavity that its contacts are taken out of; null: they were never in another"
    )
    series: Annotated[str, Field(max_length=30, description="empty: the smallest that serves")] = ""
    key: Annotated[str, Field(max_length=20, description="Colour or key; empty: not decided")] = ""
    from_half: Contacts | None = Field(None, description="Of the half at its first point; null: not looked at, or not ordered")
    to_half: Contacts | None = None


class Fate(StrEnum):
    """What becomes of a part that the work takes out of use."""

    CAPPED = "capped"
    SHELF = "shelf"
    SCRAP = "scrap"


class OldPart(Document):
    """What somebody has decided of a part that is taken out of use."""

    part_id: Identifier
    fate: Fate
    where: Annotated[str, Field(max_length=80, description="Where it is tied back, or kept")] = ""


class StudThread(Document):
    """How long the thread of a point's stud is."""

    node_id: Identifier
    thread_mm: Annotated[float, Field(ge=3, le=150, description="Free of its foot [mm]")]


class BulkheadStud(Document):
    """A point whose stud goes through a panel, with leads on either side of it."""

    node_id: Identifier
    through: Annotated[str, Field(min_length=1, max_length=60, description="The panel: firewall, boot floor")]
    far: Annotated[
        tuple[Identifier, ...],
        Field(max_length=MAX_BRANCHES, description="Parts that end on its far side; all others on the near"),
    ] = ()
    far_thread_mm: Annotated[float, Field(ge=3, le=150)] | None = Field(
        None, description="Of the far side, free of its foot [mm]; null: not measured. The near side's is among the threads"
    )
    there: Annotated[bool, Field(description="It is in its panel already: none is bought or fitted")] = False


MOST_STEPS = 500
MOST_CHOICES = 300


class BuildBook(Document):
    """What is known of a plan's leads beyond its circuit, and how far the work is."""

    leads: Annotated[tuple[LeadSpec, ...], Field(max_length=MAX_BRANCHES)] = ()
    ways: Annotated[tuple[Way, ...], Field(max_length=30, description="That leads share")] = ()
    anew: Annotated[
        tuple[Identifier, ...],
        Field(max_length=MAX_BRANCHES, description="Leads that are made anew though the plan leaves them as they are"),
    ] = ()
    samples: Annotated[bool, Field(description="Whether one of each crimp is made and pulled before the first lead")] = False
    ticks: Annotated[tuple[Tick, ...], Field(max_length=MOST_STEPS)] = ()
    signed: Signature | None = Field(None, description="Who looked the work over; what a person sends is not taken")
    parts: Annotated[tuple[PartChoice, ...], Field(max_length=MOST_CHOICES)] = ()
    photos: Annotated[tuple[StepPhoto, ...], Field(max_length=MOST_STEPS, description="One a step, at most")] = ()
    plugs: Annotated[tuple[PlugSpec, ...], Field(max_length=MAX_BRANCHES)] = ()
    old: Annotated[tuple[OldPart, ...], Field(max_length=MAX_BRANCHES, description="One a part, at most")] = ()
    threads: Annotated[tuple[StudThread, ...], Field(max_length=MAX_BRANCHES, description="Of studs; one a point, at most")] = ()
    bulkheads: Annotated[tuple[BulkheadStud, ...], Field(max_length=30, description="One a point, at most")] = ()


def check_book(book: BuildBook) -> list[Problem]:
    """What is wrong with a book, each at its lead and field; empty: nothing.

    book: as somebody has filled it in

    >>> [p.field for p in check_book(BuildBook(leads=(LeadSpec(branch_id="lead", to_end=EndSpec(stud="M7")),)))]
    ['to_end']
    """
    problems, seen, known = [], set[str](), ", ".join(lug_table().studs)
    ticked = [t.step for t in book.ticks]
    problems += [
        Problem("build", "ticks", f"Step '{i}' is ticked twice.") for i in sorted({i for i in ticked if ticked.count(i) > 1})
    ]
    shown = [p.step for p in book.photos]
    problems += [
        Problem("build", "photos", f"Step '{i}' has two photos: one is kept.")
        for i in sorted({i for i in shown if shown.count(i) > 1})
    ]
    old = [p.part_id for p in book.old]
    problems += [
        Problem(i, "fate", "Two things are to become of this part: one is kept.")
        for i in sorted({i for i in old if old.count(i) > 1})
    ]
    threads = [t.node_id for t in book.threads]
    problems += [
        Problem(i, "thread_mm", "Two lengths of one stud: one is kept.")
        for i in sorted({i for i in threads if threads.count(i) > 1})
    ]
    panels = [b.node_id for b in book.bulkheads]
    problems += [
        Problem(i, "through", "This stud goes through two panels: one is kept.")
        for i in sorted({i for i in panels if panels.count(i) > 1})
    ]
    poles = [p.branch_id for p in book.plugs]
    problems += [
        Problem(i, "branch_id", "This pole stands in the book twice.") for i in sorted({i for i in poles if poles.count(i) > 1})
    ]
    series = plug_table().series
    for p in book.plugs:
        if p.series and p.series not in series:
            problems.append(Problem(p.branch_id, "series", f"No plugs '{p.series}' are listed: {', '.join(series)}."))
        elif p.moved_from is not None and p.moved_from == p.cavity:
            problems.append(Problem(p.branch_id, "moved_from", f"It was in cavity {p.cavity} and stays there: nothing is moved."))
        elif p.key and p.series and p.key not in series[p.series].keys:
            problems.append(Problem(p.branch_id, "key", f"{series[p.series].label} comes in {', '.join(series[p.series].keys)}."))
    ways = [w.id for w in book.ways]
    problems += [Problem(i, "id", f"Two ways are called '{i}'.") for i in sorted({i for i in ways if ways.count(i) > 1})]
    problems += [
        Problem(
            w.id, "stretches", f"{w.label} is {w.length_mm / 1000:.0f} m long: no lead is longer than {LONGEST_MM / 1000:.0f} m."
        )
        for w in book.ways
        if w.length_mm > LONGEST_MM
    ]
    for lead in book.leads:
        if lead.way is not None and lead.way not in ways:
            problems.append(Problem(lead.branch_id, "way", f"There is no way '{lead.way}'."))
        elif lead.way is not None and lead.route_mm is not None:
            problems.append(
                Problem(lead.branch_id, "route_mm", "It is laid along a way, which says how long it is: leave the string out.")
            )
        if lead.branch_id in seen:
            problems.append(Problem(lead.branch_id, "branch_id", "This lead stands in the book twice."))
        seen.add(lead.branch_id)
        for field, end in (("from_end", lead.from_end), ("to_end", lead.to_end)):
            if end.stud is not None and end.stud not in lug_table().studs:
                problems.append(Problem(lead.branch_id, field, f"No stud '{end.stud}' is listed: {known}."))
    return problems

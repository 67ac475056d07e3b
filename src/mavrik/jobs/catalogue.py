"""Everything the interface offers to choose from, drawn from the core's tables."""

from __future__ import annotations

from functools import cache

from pydantic import Field

from mavrik.core.catalogue.conductor import LARGEST_AWG, Material, Size, SizeSystem, Stranding, conductor_table
from mavrik.core.catalogue.fuses import FuseFamily, fuse_table
from mavrik.core.catalogue.loads import consumer_table
from mavrik.core.catalogue.lugs import PALM_WORDS, lug_table
from mavrik.core.catalogue.plugs import plug_table
from mavrik.core.catalogue.prices import PriceList
from mavrik.core.catalogue.units import Unit
from mavrik.core.circuit import (
    BRANCH_KINDS,
    Branch,
    Chemistry,
    Circuit,
    LoadKind,
    NodeRole,
    TerminationCondition,
    TerminationKind,
    blank_branches,
)
from mavrik.core.circuit.additions import ADDITIONS
from mavrik.core.circuit.controls import PLACE_WORDS
from mavrik.core.circuit.layouts import LAYOUTS
from mavrik.core.circuit.ring import find_ring
from mavrik.core.document import Bounds, Document, bounds_of
from mavrik.core.drawing.loop import LoopLayout, lay_out
from mavrik.core.fabrication.crimping import TOOL_WORDS
from mavrik.core.fabrication.documents import BuildBook, Contacts
from mavrik.core.fabrication.old_parts import FATE_WORDS
from mavrik.core.fabrication.schools import SCHOOL_WORDS
from mavrik.core.fabrication.stock import BY_LENGTH, CONTACTS, MAY_SAY, PART_WORDS, SAYS, StockItem
from mavrik.core.fabrication.ways import PASSAGE_WORDS, WHERE_WORDS
from mavrik.core.findings import VERDICT_WORDS
from mavrik.core.measuring.instruments import Instrument
from mavrik.core.measuring.limits import LimitProfileName, limit_table
from mavrik.core.measuring.meters import METER_KINDS
from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.core.measuring.readings import Run
from mavrik.core.operating import State
from mavrik.core.operating.state import USUAL_SPANS, Span
from mavrik.core.planning.drive import DriveRequest
from mavrik.core.planning.fitting import FitRequest
from mavrik.core.planning.output import IDLE_RPM, RATED_RPM
from mavrik.core.planning.simulation import SimulationRequest
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.planning.use import UseRequest
from mavrik.core.planning.worth import WorthRequest
from mavrik.core.procedures import PROCEDURES, bench_limits
from mavrik.core.scheduling.documents import Schedule
from mavrik.core.scheduling.workshop import TASK_WORDS, Workshop
from mavrik.core.thermal.ampacity import INSULATION_CLASSES_C, AmpacityTableName, Place, ampacity_tables
from mavrik.core.workflow.cautions import all_cautions
from mavrik.core.workflow.purposes import PURPOSE_WORDS
from mavrik.core.workflow.stages import STAGES
from mavrik.domain.job import AddedLoad, DocumentKind, JobState, VehicleKind
from mavrik.exchange.captures import CaptureOptions
from mavrik.exchange.files import JOB_FILES
from mavrik.jobs.captures import RippleConditions
from mavrik.jobs.stock import Count


class SizeChoice(Document):
    """A cable size."""

    label: str
    system: SizeSystem
    area_mm2: float


class FuseFamilyChoice(Document):
    """A fuse family with its ratings."""

    name: FuseFamily
    label: str
    ratings_a: tuple[float, ...]
    voltage_v: float
    interrupting_a: dict[float, float] = Field(description="By the voltage it is rated for [V, A]")
    stud: str
    note: str


class LabelledChoice(Document):
    """A name with its words."""

    name: str
    label: str
    why: str = ""


class PartKindChoice(LabelledChoice):
    """A kind of part."""

    says: tuple[str, ...] = Field(description="Fields of a part that say which one it is")
    may_say: tuple[str, ...] = Field(description="Fields that may be left empty")
    by_length: bool = Field(description="Sold by the metre, not by the piece")


class PlugSeriesChoice(LabelledChoice):
    """A series of plugs."""

    keys: tuple[str, ...] = Field(description="Colours or keys that it comes in")
    gendered: bool = Field(description="One half has pins, the other sockets")


class FileChoice(LabelledChoice):
    """A file that a job goes out as."""

    needs: DocumentKind | None = Field(description="Offered for a job that has such a document; null: for every one")


class ConsumerChoice(Document):
    """A consumer as it usually is."""

    label: str
    current_a: float
    law: LoadKind
    duty: float
    cut_off_v: float
    group: str


class CautionChoice(Document):
    """A caution with its steps."""

    id: str
    steps: tuple[str, ...]
    confirm: bool
    text: str


class QuantityChoice(Document):
    """What a quantity is shown in."""

    name: str
    label: str
    unit: str
    shown_unit: str
    shown_per_unit: float
    digits: int
    meter: str
    yes_or_no: bool


class TestStart(Document):
    """What a new test starts from, to be corrected."""

    __test__ = False

    engine_space_c: float
    ambient_c: float


class Catalogue(Document):
    """All choices."""

    sizes: tuple[SizeChoice, ...]
    materials: tuple[LabelledChoice, ...]
    insulation_classes_c: tuple[int, ...]
    places: tuple[LabelledChoice, ...]
    termination_kinds: tuple[LabelledChoice, ...]
    termination_conditions: tuple[LabelledChoice, ...]
    control_places: tuple[LabelledChoice, ...] = Field(description="Where a switch may be reached")
    node_roles: tuple[LabelledChoice, ...]
    branch_kinds: tuple[LabelledChoice, ...]
    blank_branches: tuple[Branch, ...] = Field(description="Starting values of a new branch, one a kind")
    additions: tuple[LabelledChoice, ...] = Field(description="What can be added to a drawn circuit with all that it needs")
    strandings: tuple[LabelledChoice, ...]
    test_start: TestStart
    state_spans: dict[str, Span] = Field(description="Over what numbers of a state are usually tried, by field")
    state_start: State = Field(description="The state that one begins to try from")
    output_rpm: tuple[float, float] = Field(description="Shaft speeds at which makers state an output: low, and rated [1/min]")
    chemistries: tuple[LabelledChoice, ...]
    fuse_families: tuple[FuseFamilyChoice, ...]
    studs: tuple[LabelledChoice, ...] = Field(description="That lugs are made for")
    schools: tuple[LabelledChoice, ...] = Field(description="Ways to join a conductor and its lug, and what each asks")
    sleeves: tuple[LabelledChoice, ...] = Field(description="Dual-wall shrink as it is sold")
    surroundings: tuple[LabelledChoice, ...] = Field(description="What a stretch of a lead's way runs through")
    palms: tuple[LabelledChoice, ...] = Field(description="How the palm of a lug may stand")
    crimp_tools: tuple[LabelledChoice, ...] = Field(description="What a lug is pressed on with")
    fates: tuple[LabelledChoice, ...] = Field(description="What becomes of a part that is taken out")
    plug_halves: tuple[LabelledChoice, ...] = Field(description="What a half of a plug has, where its halves differ")
    plug_series: tuple[PlugSeriesChoice, ...] = Field(description="Plugs that can be chosen")
    passages: tuple[LabelledChoice, ...] = Field(description="What holds a bundle where a stretch ends")
    contacts: tuple[LabelledChoice, ...] = Field(description="What is bought by the ampere it carries")
    task_kinds: tuple[LabelledChoice, ...] = Field(description="What is done of a job in one go")
    part_kinds: tuple[PartKindChoice, ...] = Field(description="Of parts that a workshop keeps or buys")
    limit_profiles: tuple[LabelledChoice, ...]
    maker_windows: tuple[LabelledChoice, ...] = Field(description="What a maker may give figures for; `why` is the unit")
    ampacity_tables: tuple[LabelledChoice, ...]
    instrument_kinds: tuple[LabelledChoice, ...]
    quantities: tuple[QuantityChoice, ...]
    purposes: tuple[LabelledChoice, ...] = Field(description="What a job may be for")
    stages: tuple[LabelledChoice, ...] = Field(description="The stages of the work, in their order")
    procedures: tuple[LabelledChoice, ...] = Field(description="The tests of the trade, in the order of the work")
    verdicts: tuple[LabelledChoice, ...]
    vehicle_kinds: tuple[LabelledChoice, ...]
    job_states: tuple[LabelledChoice, ...]
    consumers: tuple[ConsumerChoice, ...] = Field(description="What vehicles usually have or are given, at 12 V")
    cautions: tuple[CautionChoice, ...]
    bounds: dict[str, Bounds] = Field(description="Between what every number of a document must lie, by document and field")
    files: tuple[FileChoice, ...] = Field(description="What a job goes out as, by the name in the address")


class ReadyLayout(Document):
    """A ready circuit as it is offered: its words and how it is drawn."""

    name: str
    label: str
    why: str
    loop: LoopLayout


class ReadyLayouts(Document):
    """All ready circuits."""

    layouts: tuple[ReadyLayout, ...]


@cache
def ready_layouts() -> ReadyLayouts:
    """The ready circuits, each with its drawing."""
    drawn = ((layout, layout.build(12)) for layout in LAYOUTS)
    return ReadyLayouts(
        layouts=tuple(
            ReadyLayout(name=x.name, label=x.label, why=x.when, loop=lay_out(circuit, find_ring(circuit))) for x, circuit in drawn
        )
    )


def _plain(name: str) -> LabelledChoice:
    words = {"efb": "EFB", "agm": "AGM", "lifepo4": "LiFePO4"}
    return LabelledChoice(name=name, label=words.get(name, name.replace("_", " ").capitalize()))


@cache
def _bounds() -> dict[str, Bounds]:
    """Of every number that is entered: in a document, or as a reading of a quantity that has bounds of its own."""
    documents = bounds_of(
        Circuit,
        State,
        SizingTarget,
        WorthRequest,
        Unit,
        PriceList,
        Instrument,
        Run,
        AddedLoad,
        CaptureOptions,
        RippleConditions,
        DriveRequest,
        FitRequest,
        BuildBook,
        StockItem,
        Count,
        UseRequest,
        SimulationRequest,
        Workshop,
        Schedule,
    )
    return documents | {
        f"reading.{q.name}": Bounds(q.least, q.most) for q in QUANTITIES.values() if q.least is not None or q.most is not None
    }


def catalogue() -> Catalogue:
    """The choices; they change only with the program."""
    awg = [Size(SizeSystem.AWG, n) for n in (*range(16, 2, -2), *range(3, LARGEST_AWG - 1, -1))]
    metric = [Size(SizeSystem.METRIC, float(s)) for s in conductor_table().metric_sizes]
    return Catalogue(
        sizes=tuple(
            SizeChoice(label=s.label, system=s.system, area_mm2=round(s.area_mm2, 2)) for s in (*metric, *awg) if s.area_mm2 >= 1
        ),
        materials=tuple(LabelledChoice(name=m, label=conductor_table().materials[m].label) for m in Material),
        insulation_classes_c=INSULATION_CLASSES_C,
        places=tuple(_plain(p) for p in Place),
        termination_kinds=(
            LabelledChoice(
                name=TerminationKind.CRIMP,
                label="Crimp",
                why="The default: solder wicks, stiffens the strands and softens in a fault.",
            ),
            LabelledChoice(
                name=TerminationKind.CRIMP_SOLDER,
                label="Crimp + solder",
                why="Solder at the lug only, kept from wicking back; strain relief.",
            ),
            LabelledChoice(name=TerminationKind.SOLDER, label="Solder cup", why="Strain relief, limited solder length."),
            LabelledChoice(name=TerminationKind.POST_CLAMP, label="Post clamp"),
            LabelledChoice(name=TerminationKind.UNKNOWN, label="Not seen"),
        ),
        termination_conditions=tuple(_plain(c) for c in TerminationCondition),
        control_places=tuple(LabelledChoice(name=p, label=words) for p, words in PLACE_WORDS.items()),
        node_roles=tuple(_plain(r) for r in NodeRole),
        branch_kinds=tuple(LabelledChoice(name=k.model_fields["kind"].default, label=k.title, why=k.when) for k in BRANCH_KINDS),
        blank_branches=blank_branches(),
        additions=tuple(LabelledChoice(name=a.name, label=a.label, why=a.when) for a in ADDITIONS),
        strandings=tuple(
            LabelledChoice(name=n, label=d.label, why=d.series)
            for n, d in ((n, conductor_table().strandings[n]) for n in Stranding)
        ),
        state_start=State(),
        output_rpm=(IDLE_RPM, RATED_RPM),
        state_spans=USUAL_SPANS,
        test_start=TestStart(
            engine_space_c=State.model_fields["engine_space_c"].default, ambient_c=State.model_fields["ambient_c"].default
        ),
        chemistries=tuple(_plain(c) for c in Chemistry),
        studs=tuple(LabelledChoice(name=name, label=name) for name in lug_table().studs),
        schools=tuple(LabelledChoice(name=x, label=label, why=why) for x, (label, why) in SCHOOL_WORDS.items()),
        sleeves=tuple(LabelledChoice(name=x.label, label=x.label) for x in lug_table().shrink),
        surroundings=tuple(LabelledChoice(name=n, label=label.capitalize()) for n, label in WHERE_WORDS.items()),
        plug_halves=tuple(_plain(c) for c in Contacts),
        plug_series=tuple(
            PlugSeriesChoice(name=n, label=s.label, keys=s.keys, gendered=s.gendered) for n, s in plug_table().series.items()
        ),
        palms=tuple(LabelledChoice(name=n, label=label.capitalize()) for n, label in PALM_WORDS.items()),
        crimp_tools=tuple(LabelledChoice(name=n, label=label, why=why) for n, (label, why) in TOOL_WORDS.items()),
        fates=tuple(LabelledChoice(name=n, label=label[0].upper() + label[1:]) for n, label in FATE_WORDS.items()),
        passages=tuple(LabelledChoice(name=n, label=label.capitalize()) for n, label in PASSAGE_WORDS.items()),
        contacts=tuple(LabelledChoice(name=n, label=label) for n, label in CONTACTS.items()),
        task_kinds=tuple(LabelledChoice(name=k, label=label) for k, label in TASK_WORDS.items()),
        part_kinds=tuple(
            PartKindChoice(name=k, label=PART_WORDS[k], says=says, may_say=MAY_SAY.get(k, ()), by_length=k in BY_LENGTH)
            for k, says in SAYS.items()
        ),
        fuse_families=tuple(
            FuseFamilyChoice(name=name, **data.model_dump(exclude={"drop_at_rating_v", "opening"}))
            for name, data in fuse_table().families.items()
        ),
        limit_profiles=tuple(
            LabelledChoice(name=n, label=p.label, why=p.why)
            for n, p in ((n, limit_table().profiles[n]) for n in LimitProfileName)
        ),
        maker_windows=tuple(LabelledChoice(name=n, label=label, why=unit) for n, (label, unit) in bench_limits().windows.items()),
        ampacity_tables=tuple(LabelledChoice(name=n, label=ampacity_tables().tables[n].label) for n in AmpacityTableName),
        instrument_kinds=tuple(LabelledChoice(name=k.name, label=k.title, why=k.unit) for k in METER_KINDS.values()),
        quantities=tuple(
            QuantityChoice(
                name=q.name,
                label=q.title,
                unit=q.unit,
                shown_unit=q.shown_unit,
                shown_per_unit=q.shown_per_unit,
                digits=q.digits,
                meter=q.meter,
                yes_or_no=q.yes_or_no,
            )
            for q in QUANTITIES.values()
        ),
        purposes=tuple(LabelledChoice(name=p, label=label, why=why) for p, (label, why) in PURPOSE_WORDS.items()),
        stages=tuple(LabelledChoice(name=x.name, label=x.title) for x in STAGES),
        procedures=tuple(LabelledChoice(name=p.name, label=p.title, why=p.why) for p in PROCEDURES),
        verdicts=tuple(LabelledChoice(name=v, label=w) for v, w in VERDICT_WORDS.items()),
        vehicle_kinds=tuple(_plain(k) for k in VehicleKind),
        job_states=tuple(_plain(s) for s in JobState),
        consumers=tuple(
            ConsumerChoice(
                label=c.label, current_a=c.current_a, law=LoadKind(c.law), duty=c.duty, cut_off_v=c.cut_off_v, group=c.group
            )
            for c in consumer_table().consumers
        ),
        cautions=tuple(CautionChoice(**c.model_dump()) for c in all_cautions()),
        bounds=_bounds(),
        files=tuple(FileChoice(name=f.name, label=f.label, needs=f.needs) for f in JOB_FILES),
    )

"""Everything the interface offers to choose from, drawn from the core's tables."""

from __future__ import annotations

from functools import cache

from pydantic import Field

from mavrik.core.additions import ADDITIONS
from mavrik.core.ampacity import INSULATION_CLASSES_C, AmpacityTableName, Place, ampacity_tables
from mavrik.core.cautions import all_cautions
from mavrik.core.circuit import AlternatorFault, Branch, Chemistry, Document, NodeRole, TerminationCondition, TerminationKind
from mavrik.core.conductor import LARGEST_AWG, Material, Size, SizeSystem, Stranding, conductor_table
from mavrik.core.layouts import LAYOUTS, blank_branches
from mavrik.core.limits import LimitProfileName, limit_table
from mavrik.core.measurement import DropTest, InstrumentKind
from mavrik.core.operating import State
from mavrik.core.procedures import bench_limits
from mavrik.core.protection import FuseFamily, fuse_table
from mavrik.exchange.bundle import JobState, VehicleKind


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
    interrupting_a: float
    stud: str
    note: str


class LabelledChoice(Document):
    """A name with its words."""

    name: str
    label: str
    why: str = ""


class CautionChoice(Document):
    """A caution with its steps."""

    id: str
    steps: tuple[str, ...]
    confirm: bool
    text: str


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
    node_roles: tuple[LabelledChoice, ...]
    branch_kinds: tuple[LabelledChoice, ...]
    blank_branches: tuple[Branch, ...] = Field(description="Starting values of a new branch, one a kind")
    additions: tuple[LabelledChoice, ...] = Field(description="What can be added to a drawn circuit with all that it needs")
    strandings: tuple[LabelledChoice, ...]
    alternator_faults: tuple[LabelledChoice, ...]
    test_start: TestStart
    state_start: State = Field(description="The state that one begins to try from")
    chemistries: tuple[LabelledChoice, ...]
    fuse_families: tuple[FuseFamilyChoice, ...]
    limit_profiles: tuple[LabelledChoice, ...]
    maker_windows: tuple[LabelledChoice, ...] = Field(description="What a maker may give figures for; `why` is the unit")
    layouts: tuple[LabelledChoice, ...]
    ampacity_tables: tuple[LabelledChoice, ...]
    instrument_kinds: tuple[LabelledChoice, ...]
    vehicle_kinds: tuple[LabelledChoice, ...]
    job_states: tuple[LabelledChoice, ...]
    cautions: tuple[CautionChoice, ...]


def _plain(name: str) -> LabelledChoice:
    words = {"efb": "EFB", "agm": "AGM", "lifepo4": "LiFePO4"}
    return LabelledChoice(name=name, label=words.get(name, name.replace("_", " ").capitalize()))


BRANCH_KINDS = (
    LabelledChoice(name="cable", label="Cable"),
    LabelledChoice(name="ground_strap", label="Ground strap"),
    LabelledChoice(name="fuse", label="Fuse"),
    LabelledChoice(name="breaker", label="Breaker"),
    LabelledChoice(name="connector", label="Connector"),
    LabelledChoice(name="switch", label="Switch"),
    LabelledChoice(name="relay", label="Relay contact"),
    LabelledChoice(name="shunt", label="Shunt"),
    LabelledChoice(name="joint", label="Bolted joint"),
    LabelledChoice(name="body", label="Body metal"),
    LabelledChoice(name="diode", label="Diode", why="Conducts one way, at its forward voltage."),
    LabelledChoice(name="mosfet", label="Isolator, transistor", why="A diode that loses almost nothing."),
    LabelledChoice(name="voltage_link", label="Voltage link", why="Closes above its cut-in, opens below its cut-out."),
)


@cache
def catalogue() -> Catalogue:
    """The choices; they change only with the program."""
    awg = [Size(SizeSystem.AWG, n) for n in (*range(16, 2, -2), *range(3, LARGEST_AWG - 1, -1))]
    metric = [Size(SizeSystem.METRIC, float(s)) for s in conductor_table().class_5_max_ohm_per_km]
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
        node_roles=tuple(_plain(r) for r in NodeRole),
        branch_kinds=BRANCH_KINDS,
        blank_branches=blank_branches(),
        additions=tuple(LabelledChoice(name=a.name, label=a.label, why=a.when) for a in ADDITIONS),
        strandings=tuple(
            LabelledChoice(name=n, label=d.label, why=d.series)
            for n, d in ((n, conductor_table().strandings[n]) for n in Stranding)
        ),
        alternator_faults=tuple(_plain(f) for f in AlternatorFault),
        state_start=State(),
        test_start=TestStart(
            engine_space_c=DropTest.model_fields["engine_space_c"].default, ambient_c=DropTest.model_fields["ambient_c"].default
        ),
        chemistries=tuple(_plain(c) for c in Chemistry),
        fuse_families=tuple(
            FuseFamilyChoice(name=name, **data.model_dump(exclude={"drop_at_rating_v", "opening"}))
            for name, data in fuse_table().families.items()
        ),
        limit_profiles=tuple(
            LabelledChoice(name=n, label=p.label, why=p.why)
            for n, p in ((n, limit_table().profiles[n]) for n in LimitProfileName)
        ),
        maker_windows=tuple(LabelledChoice(name=n, label=label, why=unit) for n, (label, unit) in bench_limits().windows.items()),
        layouts=tuple(LabelledChoice(name=layout.name, label=layout.label, why=layout.when) for layout in LAYOUTS),
        ampacity_tables=tuple(LabelledChoice(name=n, label=ampacity_tables().tables[n].label) for n in AmpacityTableName),
        instrument_kinds=(
            LabelledChoice(name=InstrumentKind.VOLTMETER, label="Voltmeter", why="V"),
            LabelledChoice(name=InstrumentKind.CLAMP, label="Current clamp", why="A"),
            LabelledChoice(name=InstrumentKind.TACHOMETER, label="Tachometer", why="/min"),
            LabelledChoice(name=InstrumentKind.THERMOMETER, label="Infrared thermometer", why="°C"),
            LabelledChoice(name=InstrumentKind.LOAD_BANK, label="Load bank", why="A"),
            LabelledChoice(name=InstrumentKind.OSCILLOSCOPE, label="Oscilloscope", why="V p-p"),
        ),
        vehicle_kinds=tuple(_plain(k) for k in VehicleKind),
        job_states=tuple(_plain(s) for s in JobState),
        cautions=tuple(CautionChoice(**c.model_dump()) for c in all_cautions()),
    )

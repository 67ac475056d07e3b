"""The circuit document: nodes, branches, sources and loads of one charging circuit, as entered.

The document is what is stored, carried in a bundle and handed to the solver. It is immutable: an edit makes a new one.
Its own rules (types, ranges, names that refer to something) are here; whether it can be computed is asked in
`mavrik.core.circuit.rules`.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from mavrik.core.catalogue.sources import CurvePoint, OutputBasis
from mavrik.core.circuit.branches import AnyBranch, Branch
from mavrik.core.circuit.controls import FittedControl
from mavrik.core.document import Ampere, Document, Identifier, Label, RatedOutput

CIRCUIT_SCHEMA_VERSION = 2
MAX_BRANCHES = 120
"""Four times what a vehicle with six batteries has; everything that is asked of one is worked out while somebody waits."""

MAX_LOADS = 60


class NodeRole(StrEnum):
    """What a node is on the vehicle."""

    ALTERNATOR_STUD = "alternator_stud"
    ALTERNATOR_CASE = "alternator_case"
    BATTERY_POSITIVE = "battery_positive"
    BATTERY_NEGATIVE = "battery_negative"
    ENGINE_BLOCK = "engine_block"
    CHASSIS = "chassis"
    STUD = "stud"
    STARTER_STUD = "starter_stud"
    BUSBAR = "busbar"
    CONSUMER = "consumer"


class Chemistry(StrEnum):
    """Battery chemistry."""

    FLOODED = "flooded"
    EFB = "efb"
    AGM = "agm"
    GEL = "gel"
    LIFEPO4 = "lifepo4"


class Node(Document):
    """A point a probe can touch."""

    id: Identifier
    role: NodeRole
    label: Label


class AlternatorFault(StrEnum):
    """What may be wrong inside an alternator, or in what turns it."""

    NONE = "none"
    DIODE_OPEN = "diode_open"
    DIODE_SHORTED = "diode_shorted"
    PHASE_LOST = "phase_lost"
    WORN_BRUSHES = "worn_brushes"
    BELT_SLIPS = "belt_slips"


class Alternator(Document):
    """The alternator between its output stud and its case."""

    id: Identifier
    label: Label
    stud_node: Identifier
    case_node: Identifier
    rated_a: RatedOutput
    set_point_v: Annotated[float, Field(ge=10, le=35, description="Regulator set point [V]")]
    kind: Literal["wound_field", "permanent_magnet"] = "wound_field"
    magnet_regulator: Literal["shunt", "series"] = Field(
        "shunt", description="Behind a permanent magnet: shunt shorts the phases that are not needed, series opens them"
    )
    curve: Annotated[
        tuple[CurvePoint, ...], Field(max_length=40, description="Output over shaft speed at 25 degC; empty: the usual shape")
    ] = ()
    curve_basis: OutputBasis | None = Field(None, description="What the curve was made of, where it was made here")
    pulley_ratio: Annotated[float, Field(gt=0.2, le=10, description="Shaft speed over engine speed")] = 2.6
    sense_positive_node: Identifier | None = Field(None, description="Where the regulator senses; left out, its own stud")
    sense_negative_node: Identifier | None = Field(None, description="Left out, its own case")
    compensation_mv_per_k: Annotated[
        float, Field(ge=-60, le=10, description="Set point over temperature, from 25 degC [mV/K]")
    ] = 0.0
    field: Literal["ok", "open", "full"] = Field(
        "ok", description="open: no field current, no output; full: a shorted regulator, all it can give at any voltage"
    )
    fault: AlternatorFault = Field(AlternatorFault.NONE, description="What is wrong inside")


class Battery(Document):
    """A battery between its posts."""

    id: Identifier
    label: Label
    positive_node: Identifier
    negative_node: Identifier
    chemistry: Chemistry = Chemistry.FLOODED
    capacity_ah: Annotated[float, Field(ge=0.01, le=2000, description="Nominal capacity [Ah]")]
    cca_a: Annotated[float, Field(ge=1, le=3000, description="Cold cranking current [A]")] | None = None
    internal_mohm: Annotated[float, Field(ge=1e-3, le=1000, description="Internal resistance of one unit [mohm]")] = 6.0
    state_of_charge: Annotated[float, Field(ge=0, le=1, description="0 empty to 1 full")] = 1.0
    temperature_c: Annotated[float, Field(ge=-40, le=70, description="Temperature of the battery [degC]")] = 25.0
    age: Annotated[float, Field(ge=0, le=1, description="0 new to 1 worn out")] = 0.0
    series: Annotated[int, Field(ge=1, le=4, description="Units of 12 V in series; 0 V of difference between them")] | None = None
    parallel: Annotated[int, Field(ge=1, le=20, description="Equal strings side by side")] = 1


class LoadKind(StrEnum):
    """What stays the same in a load when its voltage changes."""

    CURRENT = "current"
    RESISTANCE = "resistance"
    POWER = "power"


class Load(Document):
    """A consumer between two nodes: a constant current, resistance or power."""

    id: Identifier
    label: Label
    from_node: Identifier
    to_node: Identifier
    current_a: Ampere = Field(description="Current at the system's nominal voltage [A]")
    law: LoadKind = LoadKind.CURRENT
    cut_off_v: Annotated[float, Field(ge=0, le=32, description="Switches itself off below [V]; power only")] = 0.0
    on: bool = Field(True, description="Whether it is on unless a state says otherwise")
    cranking: bool = Field(False, description="A starter: on only while cranking")
    role: Literal["general", "engine_control", "ignition_coils", "winch"] = Field(
        "general", description="What decides where it belongs"
    )
    inrush_a: Ampere | None = Field(None, description="What it draws for a moment when switched on [A]")
    inrush_s: Annotated[float, Field(ge=1e-6, le=60, description="How long that lasts [s]")] = 0.2
    on_s: Annotated[float, Field(ge=1e-3, le=3600)] | None = Field(
        None, description="Longest it is on at a stretch, and then rests until all has cooled, as a winch [s]; null: for good"
    )


class Staged(Document):
    """What charges in stages: a voltage to charge at, and one to hold once it has."""

    float_v: (
        Annotated[float, Field(ge=6, le=60, description="Voltage once it has charged [V]; null: it goes on as it is")] | None
    ) = None
    again_below_v: Annotated[float, Field(ge=6, le=60)] | None = Field(
        None, description="Below which it begins anew [V]; null: as most do, half a volt below float on 12 V"
    )


class Converter(Staged):
    """A DC-DC charger: from one battery to another, within a current limit."""

    id: Identifier
    label: Label
    in_node: Identifier
    out_node: Identifier
    ground_node: Identifier
    limit_a: Ampere = Field(description="Output current limit [A]")
    set_point_v: Annotated[float, Field(ge=6, le=60, description="Absorption voltage [V]")] = 14.4
    efficiency: Annotated[float, Field(gt=0.3, le=1)] = 0.88
    input_cut_off_v: Annotated[float, Field(ge=0, le=60, description="Stops below [V]")] = 11.5
    input_limit_a: Ampere | None = Field(None, description="Input current limit [A], where it has one")


class BenchCharger(Staged):
    """A charger that no engine turns: fed from the mains, on the bench or in the vehicle, or by the sun."""

    id: Identifier
    label: Label
    positive_node: Identifier
    negative_node: Identifier
    limit_a: Ampere
    set_point_v: Annotated[float, Field(ge=6, le=60, description="Charging voltage [V]")] = 14.4
    fed_by: Literal["mains", "sun"] = "mains"


class Circuit(Document):
    """A whole charging circuit."""

    schema_version: Annotated[int, Field(ge=1, le=CIRCUIT_SCHEMA_VERSION)] = CIRCUIT_SCHEMA_VERSION
    layout: Annotated[str, Field(max_length=40)] = ""
    system_voltage_v: Literal[12, 24] = 12
    nodes: Annotated[tuple[Node, ...], Field(min_length=2, max_length=MAX_BRANCHES)]
    branches: Annotated[tuple[Branch, ...], Field(min_length=1, max_length=MAX_BRANCHES)]
    alternators: Annotated[tuple[Alternator, ...], Field(min_length=1, max_length=2)]
    batteries: Annotated[tuple[Battery, ...], Field(min_length=1, max_length=12)]
    loads: Annotated[tuple[Load, ...], Field(max_length=MAX_LOADS)] = ()
    converters: Annotated[tuple[Converter, ...], Field(max_length=8)] = ()
    chargers: Annotated[tuple[BenchCharger, ...], Field(max_length=4)] = ()
    controls: Annotated[
        tuple[FittedControl, ...], Field(max_length=40, description="What is known of what works its switches")
    ] = ()

    @field_validator("controls")
    @classmethod
    def _each_control_once(cls, given: tuple[FittedControl, ...]) -> tuple[FittedControl, ...]:
        labels = [c.label for c in given]
        if twice := sorted({x for x in labels if labels.count(x) > 1}):
            raise ValueError(f"'{twice[0]}' is there twice")
        return given

    @model_validator(mode="after")
    def _newest(self) -> Circuit:
        # All that version 2 has beyond version 1 has a default, so reading one makes it the other.
        object.__setattr__(self, "schema_version", CIRCUIT_SCHEMA_VERSION)
        return self

    @property
    def alternator(self) -> Alternator:
        """The alternator whose charging circuit this is: the first in the list."""
        return self.alternators[0]

    @property
    def battery(self) -> Battery:
        """The battery the alternator is meant for: the first in the list."""
        return self.batteries[0]

    @property
    def elements(self) -> tuple[AnyBranch | Alternator | Battery | Load | Converter | BenchCharger, ...]:
        """Everything with an id but the nodes."""
        return (*self.branches, *self.alternators, *self.batteries, *self.loads, *self.converters, *self.chargers)

    def node(self, node_id: str) -> Node:
        """The node of that id; raises KeyError where there is none."""
        for node in self.nodes:
            if node.id == node_id:
                return node
        raise KeyError(node_id)

    def control(self, label: str) -> FittedControl:
        """What is known of the control of that name; nothing of one that nobody has looked at."""
        return next((c for c in self.controls if c.label == label), FittedControl(label=label))

    def branch(self, branch_id: str) -> AnyBranch:
        """The branch of that id; raises KeyError where there is none."""
        for branch in self.branches:
            if branch.id == branch_id:
                return branch
        raise KeyError(branch_id)


def as_sound(circuit: Circuit) -> Circuit:
    """The same circuit with nothing measured: every branch as new, clean and tight.

    circuit: the document
    """
    sound = (b if b.measured_mohm is None else b.model_copy(update={"measured_mohm": None}) for b in circuit.branches)
    return circuit.model_copy(update={"branches": tuple(sound)})

"""The circuit document: nodes, branches, sources and loads of one charging circuit, as entered.

The document is what is stored, carried in a bundle and handed to the solver. It is immutable: an edit makes a new one.
Its own rules (types, ranges, names that refer to something) are here; whether it makes a working circuit is asked in
`mavrik.core.topology`.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from enum import StrEnum
from functools import lru_cache
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from mavrik.core.ampacity import INSULATION_CLASSES_C, Ampacity, Place, ampacity
from mavrik.core.conductor import Material, Size, Stranding, at_temperature, cable_resistance, parse_size
from mavrik.core.protection import FuseFamily, cold_resistance_ohm
from mavrik.core.sources import CurvePoint

CIRCUIT_SCHEMA_VERSION = 2
MAX_BRANCHES = 300

Identifier = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$", description="Short name, unique in the document")]
Label = Annotated[str, Field(min_length=1, max_length=60)]


class Document(BaseModel):
    """Base of all parts of a document: frozen, closed, finite."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, str_strip_whitespace=True)


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


class TerminationKind(StrEnum):
    """How a conductor end is made."""

    CRIMP = "crimp"
    CRIMP_SOLDER = "crimp_solder"
    SOLDER = "solder"
    POST_CLAMP = "post_clamp"
    UNKNOWN = "unknown"


class TerminationCondition(StrEnum):
    """What the eye says of a conductor end."""

    CLEAN = "clean"
    CORRODED = "corroded"
    LOOSE = "loose"
    HEAT_DAMAGED = "heat_damaged"
    UNKNOWN = "unknown"


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


class Termination(Document):
    """One end of a conductor."""

    kind: TerminationKind = TerminationKind.CRIMP
    condition: TerminationCondition = TerminationCondition.UNKNOWN


def _existing_size(text: str) -> str:
    return parse_size(text).label


def _known_insulation(value: int) -> int:
    if value not in INSULATION_CLASSES_C:
        raise ValueError(f"Insulation classes: {', '.join(map(str, INSULATION_CLASSES_C))} degC")
    return value


SizeText = Annotated[str, AfterValidator(_existing_size), Field(description="2 AWG, 1/0 AWG, 35 mm2", max_length=20)]
Milliohm = Annotated[float, Field(gt=0, le=1000, description="Resistance in sound condition [mohm]")]
Ampere = Annotated[float, Field(gt=0, le=2000, description="Current [A]")]

LUG_JOINT_OHM = 0.05e-3
"""A crimped lug bolted to clean metal: 0.05 mohm an end. From memory of typical joints; common practice, no source."""


@lru_cache(maxsize=4096)
def _metal_20c_ohm(size: str, length_m: float, material: Material, parallel: int, stranding: Stranding) -> float:
    # Not a cached property of the branch: a changed copy of a document would carry the old value along.
    return cable_resistance(parse_size(size), length_m, 20.0, material, parallel, stranding)


class BranchBase(Document, ABC):
    """What every branch has. Current in a sound charging circuit runs from `from_node` to `to_node`."""

    id: Identifier
    label: Label
    from_node: Identifier
    to_node: Identifier
    measured_mohm: Annotated[float, Field(gt=0, le=100_000)] | None = Field(
        None, description="Resistance as measured, at 20 degC [mohm]; null: taken as sound"
    )
    note: Annotated[str, Field(max_length=500)] = ""

    @abstractmethod
    def sound_resistance_ohm(self, temperature_c: float) -> float:
        """Resistance as new, clean and tight [ohm]."""

    def resistance_ohm(self, temperature_c: float) -> float:
        """Resistance as measured where it was, otherwise as sound, at a temperature [ohm].

        temperature_c: of the branch [degC]
        What it has over a sound one lies in its contacts, which do not follow temperature as the metal does.
        """
        sound = self.sound_resistance_ohm(temperature_c)
        if self.measured_mohm is None:
            return sound
        measured, sound_20c = self.measured_mohm / 1000, self.sound_resistance_ohm(20.0)
        return measured + sound - sound_20c if measured >= sound_20c else measured * sound / sound_20c

    @property
    def conducts(self) -> bool:
        """Whether current can pass, one way at least: all but an open contact."""
        return True

    @property
    def threshold_v(self) -> float:
        """What it loses before any current: a diode's forward voltage, nothing in metal [V]."""
        return 0.0


class ConductorBranch(BranchBase):
    """A cable or strap: metal with a length and two ends."""

    length_m: Annotated[float, Field(gt=0, le=50, description="Length along the route [m]")]
    size: SizeText
    material: Material = Material.COPPER
    stranding: Stranding = Field(Stranding.FLEXIBLE, description="How it is stranded: decides its resistance a metre")
    insulation_c: Annotated[int, AfterValidator(_known_insulation)] = Field(
        105, description="Insulation temperature class [degC]"
    )
    place: Place = Place.ENGINE_SPACE
    ambient_c: Annotated[float, Field(ge=-40, le=120)] | None = Field(
        None, description="Air round it where it differs from its place's [degC]"
    )
    bundled: Annotated[int, Field(ge=1, le=40, description="Loaded cables in its bundle, this one included")] = 1
    parallel: Annotated[int, Field(ge=1, le=4, description="Equal runs side by side")] = 1
    sheathed: bool = Field(False, description="In a sleeve or conduit over its whole length")
    from_end: Termination = Termination()
    to_end: Termination = Termination()

    @property
    def conductor(self) -> Size:
        """The size as geometry."""
        return parse_size(self.size)

    def sound_resistance_ohm(self, temperature_c: float) -> float:
        """Resistance with both ends clean and tight, at a conductor temperature [ohm]."""
        cold = _metal_20c_ohm(self.size, self.length_m, self.material, self.parallel, self.stranding)
        return at_temperature(cold, temperature_c, self.material) + 2 * LUG_JOINT_OHM / self.parallel

    def ampacity(self) -> Ampacity:
        """What it may carry for good, in its place, by the table of its size series."""
        return ampacity(
            self.conductor, self.insulation_c, self.place, None, self.material, self.parallel, self.ambient_c, self.bundled
        )


class CableBranch(ConductorBranch):
    """An insulated cable."""

    kind: Literal["cable"] = "cable"


class GroundStrapBranch(ConductorBranch):
    """A braided or flat ground strap; judged by the same tables as a cable of its area."""

    kind: Literal["ground_strap"] = "ground_strap"


class FuseBranch(BranchBase):
    """A fuse of a known family."""

    kind: Literal["fuse"] = "fuse"
    family: FuseFamily
    rating_a: Ampere

    @model_validator(mode="after")
    def _made(self) -> FuseBranch:
        cold_resistance_ohm(self.family, self.rating_a)
        return self

    def sound_resistance_ohm(self, temperature_c: float) -> float:
        """Cold resistance of a sound fuse [ohm]; its own temperature is not modelled."""
        return cold_resistance_ohm(self.family, self.rating_a)


class ContactBranch(BranchBase):
    """Anything two metals touch in: its sound resistance and what it may carry for good."""

    resistance_mohm: Milliohm = 0.2
    rating_a: Ampere | None = Field(None, description="Continuous rating [A], where known")
    intermittent_a: Ampere | None = Field(None, description="Rating for short duty, as cranking [A], where known")

    def sound_resistance_ohm(self, temperature_c: float) -> float:
        """Resistance when clean and tight [ohm]; contacts are taken as independent of temperature."""
        return self.resistance_mohm / 1000


class ConnectorBranch(ContactBranch):
    """A plug or terminal block."""

    kind: Literal["connector"] = "connector"


class SwitchBranch(ContactBranch):
    """A disconnect switch or isolator; solved closed unless it is open."""

    kind: Literal["switch"] = "switch"
    closed: bool = True

    @property
    def conducts(self) -> bool:
        """Closed or not."""
        return self.closed


class BreakerBranch(ContactBranch):
    """A circuit breaker."""

    kind: Literal["breaker"] = "breaker"
    reset: Literal["manual", "self"] = "manual"
    closed: bool = True

    @property
    def conducts(self) -> bool:
        """Closed or not."""
        return self.closed


class RelayBranch(ContactBranch):
    """The contact of a relay or solenoid."""

    kind: Literal["relay"] = "relay"
    closed: bool = True

    @property
    def conducts(self) -> bool:
        """Closed or not."""
        return self.closed


class ShuntBranch(ContactBranch):
    """A shunt that a current is read across."""

    kind: Literal["shunt"] = "shunt"


class DiodeBranch(ContactBranch):
    """A diode, or one way of a diode isolator; conducts from `from_node` to `to_node` only."""

    kind: Literal["diode"] = "diode"
    forward_v: Annotated[float, Field(ge=0, le=2, description="Forward voltage [V]")] = 0.7

    @property
    def threshold_v(self) -> float:
        """Its forward voltage [V]."""
        return self.forward_v


class MosfetBranch(DiodeBranch):
    """One way of an isolator with transistors: a diode that loses almost nothing."""

    kind: Literal["mosfet"] = "mosfet"  # type: ignore[assignment]
    forward_v: Annotated[float, Field(ge=0, le=2, description="Forward voltage [V]")] = 0.02


class LinkBranch(ContactBranch):
    """A voltage-sensitive link: closes above its cut-in at `from_node`, opens below its cut-out."""

    kind: Literal["voltage_link"] = "voltage_link"
    cut_in_v: Annotated[float, Field(ge=6, le=32, description="Closes above [V]")] = 13.3
    cut_out_v: Annotated[float, Field(ge=6, le=32, description="Opens below [V]")] = 12.7
    delay_s: Annotated[float, Field(ge=0, le=600, description="Time a threshold must be passed for [s]")] = 0.0
    override: Literal["none", "closed", "open"] = "none"

    @property
    def conducts(self) -> bool:
        """Not when it is held open; by voltage it may."""
        return self.override != "open"

    @model_validator(mode="after")
    def _hysteresis(self) -> LinkBranch:
        if self.cut_out_v >= self.cut_in_v:
            raise ValueError("cut_out_v lies below cut_in_v, or the link would chatter")
        return self


class JointBranch(ContactBranch):
    """A bolted face: bracket to block, ear to bracket."""

    kind: Literal["joint"] = "joint"


class BodyBranch(ContactBranch):
    """A path through sheet metal."""

    kind: Literal["body"] = "body"


AnyBranch = (
    CableBranch
    | GroundStrapBranch
    | FuseBranch
    | BreakerBranch
    | ConnectorBranch
    | SwitchBranch
    | RelayBranch
    | ShuntBranch
    | JointBranch
    | BodyBranch
    | DiodeBranch
    | MosfetBranch
    | LinkBranch
)
Branch = Annotated[AnyBranch, Field(discriminator="kind")]


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
    rated_a: Ampere
    set_point_v: Annotated[float, Field(ge=10, le=35, description="Regulator set point [V]")]
    kind: Literal["wound_field", "permanent_magnet"] = "wound_field"
    curve: Annotated[
        tuple[CurvePoint, ...], Field(max_length=40, description="Output over shaft speed at 25 degC; empty: the usual shape")
    ] = ()
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
    capacity_ah: Annotated[float, Field(gt=0, le=2000, description="Nominal capacity [Ah]")]
    cca_a: Annotated[float, Field(gt=0, le=3000, description="Cold cranking current [A]")] | None = None
    internal_mohm: Annotated[float, Field(gt=0, le=1000, description="Internal resistance of one unit [mohm]")] = 6.0
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
    inrush_a: Ampere | None = Field(None, description="What it draws for a moment when switched on [A]")
    inrush_s: Annotated[float, Field(gt=0, le=60, description="How long that lasts [s]")] = 0.2


class Converter(Document):
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


class BenchCharger(Document):
    """An external charger, fed from the mains."""

    id: Identifier
    label: Label
    positive_node: Identifier
    negative_node: Identifier
    limit_a: Ampere
    set_point_v: Annotated[float, Field(ge=6, le=60, description="Charging voltage [V]")] = 14.4


class Circuit(Document):
    """A whole charging circuit."""

    schema_version: Annotated[int, Field(ge=1, le=CIRCUIT_SCHEMA_VERSION)] = CIRCUIT_SCHEMA_VERSION
    layout: Annotated[str, Field(max_length=40)] = ""
    system_voltage_v: Literal[12, 24] = 12
    nodes: Annotated[tuple[Node, ...], Field(min_length=2, max_length=MAX_BRANCHES)]
    branches: Annotated[tuple[Branch, ...], Field(min_length=1, max_length=MAX_BRANCHES)]
    alternators: Annotated[tuple[Alternator, ...], Field(min_length=1, max_length=2)]
    batteries: Annotated[tuple[Battery, ...], Field(min_length=1, max_length=12)]
    loads: Annotated[tuple[Load, ...], Field(max_length=100)] = ()
    converters: Annotated[tuple[Converter, ...], Field(max_length=8)] = ()
    chargers: Annotated[tuple[BenchCharger, ...], Field(max_length=4)] = ()

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

"""A job: whose vehicle, what for, in which state."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from mavrik.core.document import Ampere, Day, Document
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.quotation import Quotation
from mavrik.core.isolation.documents import Isolation
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.planning.drive import DriveRequest
from mavrik.core.planning.fitting import FitRequest
from mavrik.core.planning.simulation import MOST_POINTS, SimulationRequest, SimulationView
from mavrik.core.planning.targets import Accepted, Choice, Guided, SizingTarget
from mavrik.core.planning.use import UseRequest
from mavrik.core.planning.worth import WorthRequest, WorthView
from mavrik.core.procedures import MakerLimits
from mavrik.core.workflow.purposes import Purpose
from mavrik.core.workflow.stages import STAGES


class VehicleKind(StrEnum):
    """Kinds of machine."""

    CAR = "car"
    LIGHT_TRUCK = "light_truck"
    VAN = "van"
    CAMPER = "camper"
    TOW = "tow_vehicle"
    BOAT = "boat"
    TRACTOR = "tractor"
    MOTORCYCLE = "motorcycle"
    COMPETITION = "competition_car"
    OTHER = "other"


class CircuitRole(StrEnum):
    """What a circuit version is."""

    AS_FOUND = "as_found"
    PROPOSAL = "proposal"
    AS_BUILT = "as_built"


class JobState(StrEnum):
    """State of a job."""

    OPEN = "open"
    WAITING = "waiting"
    DONE = "done"


class Shelf(StrEnum):
    """Where a job lies."""

    BENCH = "bench"
    ARCHIVE = "archive"
    BASKET = "basket"


class DocumentKind(StrEnum):
    """Documents that a job holds beside its circuits and runs."""

    PLAN = "plan"
    DRIVE = "drive"
    USE = "use"
    SIMULATION = "simulation"
    WORTH = "worth"
    FIT = "fit"
    ISOLATION = "isolation"
    BUILD = "build"
    QUOTATION = "quotation"


class AddedLoad(Document):
    """A load to be added."""

    label: Annotated[str, Field(min_length=1, max_length=60)]
    current_a: Ampere


class Customer(Document):
    """Whose vehicle it is."""

    name: Annotated[str, Field(min_length=1, max_length=120)]
    contact: Annotated[str, Field(max_length=200)] = ""


class Vehicle(Document):
    """The vehicle; negative earth."""

    description: Annotated[str, Field(min_length=1, max_length=200)]
    kind: VehicleKind
    system_voltage_v: Literal[12, 24]


class Plan(Document):
    """What a plan was made for, and what it decided."""

    target: SizingTarget
    choices: tuple[Choice, ...]
    notes: tuple[Annotated[str, Field(max_length=1000)], ...]
    accepted: Accepted | None = Field(None, description="The changes it is made of, where it came from comparing them")
    guided: Guided | None = Field(None, description="The guided change it is made of, where it is one")

    @property
    def by_target_alone(self) -> bool:
        """Whether its target says all of it: sized anew, it is the same."""
        return self.accepted is None and self.guided is None


class Simulation(Document):
    """Days or weeks that were let go by, as found and as planned: what was asked, and what came of it then."""

    request: SimulationRequest
    use: UseRequest
    now: SimulationView
    planned: SimulationView | None
    planned_by: Annotated[str, Field(max_length=200)]


class PlanWeek(Document):
    """How full the first battery is over a week: as found, or with a plan."""

    plan: Annotated[str, Field(max_length=20, description="Of the comparison; empty: as found")]
    charge: Annotated[tuple[float, ...], Field(max_length=2 * MOST_POINTS)]
    no_start_after_d: float | None


class WorthCompared(Document):
    """What buys what: what was asked, what came of it then, and a week of the plans that matter most."""

    request: WorthRequest
    target: SizingTarget
    view: WorthView
    time_h: Annotated[tuple[float, ...], Field(max_length=2 * MOST_POINTS)]
    weeks: Annotated[tuple[PlanWeek, ...], Field(max_length=8)]


DOCUMENT_KINDS: dict[DocumentKind, type[Document]] = {
    DocumentKind.PLAN: Plan,
    DocumentKind.DRIVE: DriveRequest,
    DocumentKind.USE: UseRequest,
    DocumentKind.SIMULATION: Simulation,
    DocumentKind.WORTH: WorthCompared,
    DocumentKind.FIT: FitRequest,
    DocumentKind.ISOLATION: Isolation,
    DocumentKind.BUILD: BuildBook,
    DocumentKind.QUOTATION: Quotation,
}
"""The schema of each kind of document."""


def _known_stages(names: tuple[str, ...]) -> tuple[str, ...]:
    known = [s.name for s in STAGES]
    if unknown := sorted(set(names) - set(known)):
        raise ValueError(f"Stages: {', '.join(known)}; not {', '.join(unknown)}")
    return names


class JobDetails(Document):
    """What a person enters of a job beside customer and vehicle."""

    complaint: Annotated[str, Field(min_length=1, max_length=4000)]
    purposes: Annotated[tuple[Purpose, ...], Field(min_length=1, max_length=len(Purpose), description="What the job is for")] = (
        Purpose.FIND_FAULT,
    )
    added_stages: Annotated[
        tuple[str, ...], AfterValidator(_known_stages), Field(max_length=20, description="Put on its path by hand")
    ] = ()
    loads_to_add: Annotated[tuple[AddedLoad, ...], Field(max_length=50)] = ()
    promised: Day | None = None
    state: JobState = JobState.OPEN
    limit_profile: LimitProfileName = LimitProfileName.COMMON
    maker_limits: MakerLimits = Field(default_factory=dict)

    def wants(self, planned: bool) -> str:
        """What it is for besides a fault, as the end of a sentence whose last part says what to do; empty where nothing is to be added.

        planned: whether a plan is kept that is to do it
        """
        if not self.loads_to_add:
            return ""
        amps = sum(x.current_a for x in self.loads_to_add)
        return f"to carry {amps:g} A more, {'see the plan' if planned else 'plan the change'}"

"""The job bundle, `.mavrik.json`: a whole job as one JSON document with a published schema."""

from __future__ import annotations

import json
from datetime import date, datetime
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import Base64UrlBytes, Field, ValidationError, model_validator

from mavrik.core.circuit import Ampere, Circuit, Document
from mavrik.core.limits import LimitProfileName
from mavrik.core.measurement import DropTest, check_readings
from mavrik.core.procedures import MakerLimits, ProcedureRun, check_run, procedure
from mavrik.core.sizing import Choice, SizingTarget
from mavrik.core.topology import CircuitError, Problem, check_circuit
from mavrik.core.waveform import MOST_SAMPLES

FORMAT = "mavrik-job"
VERSION = 1
LARGEST_BUNDLE_BYTES = 12_000_000
MOST_SAMPLE_BYTES = 8_000_000
"""What the samples of all captures together may take of that, as they stand in the file; what is beyond goes as its picture."""

MOST_CARRIED = 1000
"""Stretches that a carried capture is drawn with."""


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


class AddedLoad(Document):
    """A load to be added."""

    label: Annotated[str, Field(min_length=1, max_length=60)]
    current_a: Ampere


class BundleCustomer(Document):
    """Whose vehicle it is."""

    name: Annotated[str, Field(min_length=1, max_length=120)]
    contact: Annotated[str, Field(max_length=200)] = ""


class BundleVehicle(Document):
    """The vehicle; negative earth."""

    description: Annotated[str, Field(min_length=1, max_length=200)]
    kind: VehicleKind
    system_voltage_v: Literal[12, 24]


class BundleJob(Document):
    """The job itself."""

    number: Annotated[str, Field(min_length=1, max_length=20)]
    complaint: Annotated[str, Field(min_length=1, max_length=4000)]
    loads_to_add: Annotated[tuple[AddedLoad, ...], Field(max_length=50)] = ()
    promised: date | None = None
    state: JobState = JobState.OPEN
    limit_profile: LimitProfileName = LimitProfileName.COMMON
    maker_limits: MakerLimits = Field(default_factory=dict)


class ProposalRecord(Document):
    """What a proposal was made for, and what it decided."""

    target: SizingTarget
    choices: tuple[Choice, ...]
    notes: tuple[Annotated[str, Field(max_length=1000)], ...]


class BundleCircuit(Document):
    """One version of the circuit."""

    id: Annotated[int, Field(ge=1, description="Referred to by tests[].circuit_id; unique in the bundle")]
    role: CircuitRole
    revision: Annotated[int, Field(ge=1)]
    document: Circuit
    proposal: ProposalRecord | None = None


class BundleTest(Document):
    """One test run."""

    circuit_id: Annotated[int, Field(ge=1, description="The circuit version it was made on")]
    test: DropTest


class BundleRun(Document):
    """One bench test as it was carried out."""

    circuit_id: Annotated[int, Field(ge=1, description="The circuit version it was made on")]
    run: ProcedureRun


CarriedVolts = Annotated[tuple[Annotated[float, Field(ge=-1e4, le=1e4)] | None, ...], Field(max_length=MOST_CARRIED)]


class BundleCapture(Document):
    """A captured waveform as seen from afar, and its samples where they are few enough to travel."""

    name: Annotated[str, Field(min_length=1, max_length=120)]
    channel: Annotated[str, Field(max_length=200)] = ""
    samples: Annotated[int, Field(ge=1, le=MOST_SAMPLES)]
    interval_s: Annotated[float, Field(gt=0, le=1e6)]
    start_s: Annotated[float, Field(ge=-1e9, le=1e9)] = 0.0
    made_by: Annotated[str, Field(max_length=80)] = ""
    made_at: Annotated[str, Field(max_length=40)] = ""
    least_v: Annotated[CarriedVolts, Field(description="The least of every even stretch [V]; null where nothing was captured")]
    most_v: CarriedVolts
    samples_parquet: Annotated[
        Base64UrlBytes | None,
        Field(
            max_length=MOST_SAMPLE_BYTES,
            description="All samples as Parquet in URL-safe base64; null: they stay where it was loaded",
        ),
    ] = None

    @model_validator(mode="after")
    def _pairs(self) -> BundleCapture:
        if len(self.least_v) != len(self.most_v) or not self.least_v:
            raise ValueError("least_v and most_v are of the same stretches, one at least")
        if any(a is not None and b is not None and a > b for a, b in zip(self.least_v, self.most_v, strict=True)):
            raise ValueError("least_v does not lie above most_v")
        return self


class Bundle(Document):
    """A whole job."""

    format: Literal["mavrik-job"]
    version: Literal[1]
    exported_at: datetime | None = None
    customer: BundleCustomer
    vehicle: BundleVehicle
    job: BundleJob
    circuits: Annotated[tuple[BundleCircuit, ...], Field(max_length=200)] = ()
    tests: Annotated[tuple[BundleTest, ...], Field(max_length=200)] = ()
    runs: Annotated[tuple[BundleRun, ...], Field(max_length=500, description="Bench tests, the oldest first")] = ()
    captures: Annotated[tuple[BundleCapture, ...], Field(max_length=40, description="Captured waveforms, the oldest first")] = ()

    @model_validator(mode="after")
    def _ties(self) -> Bundle:
        ids = [c.id for c in self.circuits]
        if len(ids) != len(set(ids)):
            raise ValueError("two circuits have the same id")
        keys = [(c.role, c.revision) for c in self.circuits]
        if len(keys) != len(set(keys)):
            raise ValueError("two circuits have the same role and revision")
        for circuit_id in (*(t.circuit_id for t in self.tests), *(r.circuit_id for r in self.runs)):
            if circuit_id not in ids:
                raise ValueError(f"a test refers to circuit {circuit_id}, which is not in the bundle")
        return self

    def latest(self, role: CircuitRole) -> BundleCircuit | None:
        """The highest revision of a role, if there is one."""
        found = [c for c in self.circuits if c.role is role]
        return max(found, key=lambda c: c.revision) if found else None


class BundleError(ValueError):
    """A file that is not a job bundle; `problems` names every place."""

    def __init__(self, message: str, problems: list[Problem] | None = None) -> None:
        super().__init__(message)
        self.problems = problems or []


def plain_problems(error: ValidationError) -> list[Problem]:
    """A validation error as places and plain messages."""
    found = []
    for item in error.errors(include_url=False, include_input=False):
        where = ".".join(str(part) for part in item["loc"] if not str(part).startswith("function-"))
        message = item["msg"].removeprefix("Value error, ")
        found.append(Problem(where, where.rsplit(".", 1)[-1], message))
    return found


def read_bundle(data: bytes) -> Bundle:
    """Read and check a bundle.

    data: the file's bytes
    Returns the bundle. Raises BundleError, with every problem, for anything that is not a sound one.
    """
    if len(data) > LARGEST_BUNDLE_BYTES:
        raise BundleError(f"The file has {len(data)} bytes; a job bundle has at most {LARGEST_BUNDLE_BYTES}.")
    try:
        loaded: Any = json.loads(data.decode("utf-8-sig"), parse_constant=_no_constant)
    except UnicodeDecodeError:
        raise BundleError("The file is not text: a job bundle is JSON in UTF-8.") from None
    except RecursionError:
        raise BundleError("The file nests too deeply to be a job bundle.") from None
    except ValueError as error:
        raise BundleError(f"The file is not JSON: {error}") from None
    if not isinstance(loaded, dict) or loaded.get("format") != FORMAT:
        raise BundleError(f'This is not a Mavrik job bundle: "format" is not "{FORMAT}".')
    if loaded.get("version") != VERSION:
        raise BundleError(f"This bundle has version {loaded.get('version')!r}; this program reads version {VERSION}.")
    try:
        bundle = Bundle.model_validate(loaded)
    except ValidationError as error:
        problems = plain_problems(error)
        raise BundleError("; ".join(f"{p.element}: {p.message}" for p in problems[:5]), problems) from None
    for k, version in enumerate(bundle.circuits):
        problems = check_circuit(version.document)
        problems += [p for t in bundle.tests if t.circuit_id == version.id for p in check_readings(version.document, t.test)]
        for entry in (r for r in bundle.runs if r.circuit_id == version.id and not problems):
            problems += _run_problems(version.document, entry.run)
        if problems:
            raise BundleError(
                "; ".join(f"circuits.{k} {p.element}: {p.message}" for p in problems[:5]), problems
            ) from CircuitError(problems)
    return bundle


def _run_problems(circuit: Circuit, run: ProcedureRun) -> list[Problem]:
    try:
        asks = procedure(run.procedure).asks(circuit)
    except ValueError as error:
        return [Problem("runs", "procedure", str(error))]
    return check_run(run, asks, circuit.system_voltage_v)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number")


def write_bundle(bundle: Bundle) -> bytes:
    """A bundle as the bytes of its file."""
    return json.dumps(bundle.model_dump(mode="json"), indent=2, ensure_ascii=False).encode() + b"\n"


def bundle_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of the bundle."""
    schema = Bundle.model_json_schema()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Mavrik job bundle, version 1",
        **{k: v for k, v in schema.items() if k != "title"},
    }

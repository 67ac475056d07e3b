"""The job bundle, `.mavrik.json`: a whole job as one JSON document with a published schema."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import Base64UrlBytes, Field, ValidationError, model_validator

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.document import Document, Moment, PhotoKey, Problem
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.quotation import Quotation, quotation_number
from mavrik.core.isolation.documents import Isolation, check_switching
from mavrik.core.measuring.readings import Run
from mavrik.core.measuring.waveform import FARTHEST_S, MOST_SAMPLES, MOST_VOLTS
from mavrik.core.planning.drive import DriveRequest
from mavrik.core.planning.fitting import FitRequest
from mavrik.core.planning.use import UseRequest
from mavrik.core.procedures import check_run, complete_run
from mavrik.domain.job import (
    DOCUMENT_KINDS,
    CircuitRole,
    Customer,
    DocumentKind,
    JobDetails,
    Plan,
    Simulation,
    Vehicle,
    WorthCompared,
)
from mavrik.domain.limits import MOST_CAPTURES, MOST_CIRCUITS, MOST_DOCUMENTS, MOST_PHOTO_BYTES, MOST_PHOTOS, MOST_RUNS
from mavrik.domain.upgrade import bundle_v1, bundle_v2

FORMAT = "mavrik-job"
VERSION = 3
UPGRADES = {1: bundle_v1, 2: bundle_v2}
"""What makes the next version of each earlier one."""

LARGEST_BUNDLE_BYTES = 16_000_000
MOST_SAMPLE_BYTES = 8_000_000
"""What the samples of all captures together may take of that, as they stand in the file; what is beyond goes as its picture."""

MOST_CARRIED = 1000
"""Stretches that a carried capture is drawn with."""


class BundleJob(JobDetails):
    """The job itself."""

    number: Annotated[str, Field(min_length=1, max_length=20)]


class BundleCircuit(Document):
    """One version of the circuit."""

    id: Annotated[int, Field(ge=1, description="Referred to by circuit_id; unique in the bundle")]
    role: CircuitRole
    revision: Annotated[int, Field(ge=1)]
    document: Circuit


class BundleRun(Document):
    """One procedure as it was carried out."""

    circuit_id: Annotated[int, Field(ge=1, description="The circuit version it was made on")]
    run: Run
    supersedes: Annotated[int, Field(ge=1)] | None = Field(
        None, description="Which of the runs before it this one corrects or carries on, counted from 1"
    )


class BundleDocument(Document):
    """A document of the job beside its circuits and runs; its schema goes by its kind."""

    kind: DocumentKind
    circuit_id: Annotated[int, Field(ge=1)] | None = Field(None, description="The circuit version that belongs to it")
    document: Plan | DriveRequest | UseRequest | Simulation | WorthCompared | FitRequest | Isolation | BuildBook | Quotation

    @model_validator(mode="after")
    def _of_its_kind(self) -> BundleDocument:
        if not isinstance(self.document, DOCUMENT_KINDS[self.kind]):
            raise ValueError(f"this is no document of kind '{self.kind.value}'")
        return self


CarriedVolts = Annotated[
    tuple[Annotated[float, Field(ge=-MOST_VOLTS, le=MOST_VOLTS)] | None, ...], Field(max_length=MOST_CARRIED)
]


class BundleCapture(Document):
    """A captured waveform as seen from afar, and its samples where they are few enough to travel."""

    name: Annotated[str, Field(min_length=1, max_length=120)]
    channel: Annotated[str, Field(max_length=200)] = ""  # longer than one is today: bundles of before are read
    samples: Annotated[int, Field(ge=1, le=MOST_SAMPLES)]
    interval_s: Annotated[float, Field(ge=1e-9, le=1e6)]
    start_s: Annotated[float, Field(ge=-FARTHEST_S, le=FARTHEST_S)] = 0.0
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


class BundlePhoto(Document):
    """A photo that documents of the job refer to by its key."""

    key: PhotoKey
    jpeg: Annotated[Base64UrlBytes, Field(max_length=2 * MOST_PHOTO_BYTES, description="The picture in URL-safe base64")]
    made_by: Annotated[str, Field(max_length=80)] = ""
    made_at: Annotated[str, Field(max_length=40)] = ""


class Bundle(Document):
    """A whole job."""

    format: Literal["mavrik-job"]
    version: Literal[3]
    exported_at: Moment | None = None
    customer: Customer
    vehicle: Vehicle
    job: BundleJob
    circuits: Annotated[tuple[BundleCircuit, ...], Field(max_length=MOST_CIRCUITS)] = ()
    documents: Annotated[tuple[BundleDocument, ...], Field(max_length=MOST_DOCUMENTS, description="Plans, the oldest first")] = ()
    runs: Annotated[tuple[BundleRun, ...], Field(max_length=MOST_RUNS, description="The oldest first")] = ()
    captures: Annotated[
        tuple[BundleCapture, ...], Field(max_length=MOST_CAPTURES, description="Captured waveforms, the oldest first")
    ] = ()
    photos: Annotated[tuple[BundlePhoto, ...], Field(max_length=MOST_PHOTOS, description="The oldest first")] = ()

    @model_validator(mode="after")
    def _ties(self) -> Bundle:
        ids = [c.id for c in self.circuits]
        if len(ids) != len(set(ids)):
            raise ValueError("two circuits have the same id")
        keys = [(c.role, c.revision) for c in self.circuits]
        if len(keys) != len(set(keys)):
            raise ValueError("two circuits have the same role and revision")
        if len({p.key for p in self.photos}) != len(self.photos):
            raise ValueError("two photos have the same key")
        for k, r in enumerate(self.runs, 1):
            if r.circuit_id not in ids:
                raise ValueError(f"a run refers to circuit {r.circuit_id}, which is not in the bundle")
            if r.supersedes is not None and r.supersedes >= k:
                raise ValueError(f"run {k} corrects run {r.supersedes}, which is not before it")
        for d in self.documents:
            if d.circuit_id is not None and d.circuit_id not in ids:
                raise ValueError(f"a document refers to circuit {d.circuit_id}, which is not in the bundle")
            if d.kind is DocumentKind.ISOLATION and d.circuit_id is None:
                raise ValueError("a disconnect belongs to a circuit: circuit_id names it")
        return self

    def latest(self, role: CircuitRole) -> BundleCircuit | None:
        """The highest revision of a role, if there is one."""
        versions = [c for c in self.circuits if c.role is role]
        return max(versions, key=lambda c: c.revision) if versions else None

    def runs_on(self, role: CircuitRole) -> tuple[list[Run], list[int]]:
        """The runs made on any revision of a role, the oldest first, and the places of those that were corrected, from 0."""
        ids = {c.id for c in self.circuits if c.role is role}
        places = [k for k, r in enumerate(self.runs, 1) if r.circuit_id in ids]
        gone = {r.supersedes for r in self.runs if r.supersedes is not None}
        return [self.runs[k - 1].run for k in places], [i for i, k in enumerate(places) if k in gone]

    def plan_of(self, circuit_id: int) -> Plan | None:
        """The plan that a circuit version belongs to, if there is one."""
        plans = [d.document for d in self.documents if d.circuit_id == circuit_id and isinstance(d.document, Plan)]
        return plans[-1] if plans else None

    @property
    def wants(self) -> str:
        """What the job is for besides a fault; see `JobDetails.wants`."""
        proposed = self.latest(CircuitRole.PROPOSAL)
        return self.job.wants(planned=proposed is not None and self.plan_of(proposed.id) is not None)

    def use(self) -> UseRequest | None:
        """What was kept last of how the vehicle is used, if anything was."""
        uses = [d.document for d in self.documents if isinstance(d.document, UseRequest)]
        return uses[-1] if uses else None

    def simulation(self) -> Simulation | None:
        """What was kept last of days that were let go by, if anything was."""
        simulations = [d.document for d in self.documents if isinstance(d.document, Simulation)]
        return simulations[-1] if simulations else None

    def fit(self) -> FitRequest | None:
        """What was kept last of whether another unit fits, if anything was."""
        fits = [d.document for d in self.documents if isinstance(d.document, FitRequest)]
        return fits[-1] if fits else None

    def build(self) -> BuildBook | None:
        """The book of the bench as it was kept last, if one was."""
        books = [d.document for d in self.documents if isinstance(d.document, BuildBook)]
        return books[-1] if books else None

    def quotation(self) -> tuple[int, Quotation] | None:
        """What the customer was offered last, with its number, if anything was."""
        quotations = [d.document for d in self.documents if isinstance(d.document, Quotation)]
        return (quotation_number(quotations), quotations[-1]) if quotations else None

    def isolation(self) -> tuple[Circuit, Isolation] | None:
        """The disconnect that was decided on last, with the circuit it belongs to, if there is one."""
        circuits = {c.id: c.document for c in self.circuits}
        isolations = [(d.circuit_id, d.document) for d in self.documents if isinstance(d.document, Isolation)]
        return (circuits[isolations[-1][0]], isolations[-1][1]) if isolations and isolations[-1][0] is not None else None

    def runs_for_isolation(self) -> list[tuple[int, Run]]:
        """The runs that stand on the circuit of the disconnect, with their places: as found on any revision, of a plan on that one."""
        circuit_ids = [d.circuit_id for d in self.documents if isinstance(d.document, Isolation)]
        isolated = next((c for c in self.circuits if circuit_ids and c.id == circuit_ids[-1]), None)
        if isolated is None:
            return []
        ids = {c.id for c in self.circuits if c.role is isolated.role} if isolated.role is CircuitRole.AS_FOUND else {isolated.id}
        gone = {r.supersedes for r in self.runs if r.supersedes is not None}
        return [(k, r.run) for k, r in enumerate(self.runs, 1) if r.circuit_id in ids and k not in gone]

    def drive(self) -> DriveRequest | None:
        """What was kept last of the alternator's drive, if anything was."""
        drives = [d.document for d in self.documents if isinstance(d.document, DriveRequest)]
        return drives[-1] if drives else None


class BundleError(ValueError):
    """A file that is not a job bundle; `problems` names every place."""

    def __init__(self, message: str, problems: list[Problem] | None = None) -> None:
        super().__init__(message)
        self.problems = problems or []


def plain_problems(error: ValidationError) -> list[Problem]:
    """A validation error as places and plain messages."""
    problems = []
    for item in error.errors(include_url=False, include_input=False):
        where = ".".join(str(part) for part in item["loc"] if not str(part).startswith("function-"))
        message = item["msg"].removeprefix("Value error, ")
        problems.append(Problem(where, where.rsplit(".", 1)[-1], message))
    return problems


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
    version = loaded.get("version")
    if version not in (*UPGRADES, VERSION) or isinstance(version, bool):
        raise BundleError(f"This bundle has version {version!r}; this program reads versions 1 to {VERSION}.")
    try:
        while (now := loaded["version"]) in UPGRADES:
            loaded = UPGRADES[now](loaded)
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
        raise BundleError(f"This says that it is a bundle of version {version}, and lacks what one has: {error}") from None
    try:
        bundle = Bundle.model_validate(loaded)
    except ValidationError as error:
        problems = plain_problems(error)
        raise BundleError("; ".join(f"{p.element}: {p.message}" for p in problems[:5]), problems) from None
    return _checked(bundle)


def _checked(bundle: Bundle) -> Bundle:
    """The bundle with its runs completed; raises BundleError for a circuit or run that cannot be."""
    documents = {c.id: c.document for c in bundle.circuits}
    for k, version in enumerate(bundle.circuits):
        if problems := check_circuit(version.document):
            raise BundleError("; ".join(f"circuits.{k} {p.element}: {p.message}" for p in problems[:5]), problems)
    for k, kept in enumerate(bundle.documents):
        if not isinstance(kept.document, Isolation) or kept.circuit_id is None:
            continue
        if problems := check_switching(documents[kept.circuit_id], kept.document.switching):
            raise BundleError("; ".join(f"documents.{k} {p.element}: {p.message}" for p in problems[:5]), problems)
    runs = []
    for k, entry in enumerate(bundle.runs):
        circuit = documents[entry.circuit_id]
        try:
            problems = check_run(circuit, entry.run)
        except ValueError as error:
            problems = [Problem("procedure", "procedure", str(error))]
        if problems:
            raise BundleError("; ".join(f"runs.{k} {p.element}: {p.message}" for p in problems[:5]), problems)
        runs.append(entry.model_copy(update={"run": complete_run(circuit, entry.run)}))
    return bundle.model_copy(update={"runs": tuple(runs)})


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
        "title": f"Mavrik job bundle, version {VERSION}",
        **{k: v for k, v in schema.items() if k != "title"},
    }

"""How far what was promised of a job is proven on its vehicle."""

from __future__ import annotations

from pydantic import Field

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import Isolation
from mavrik.core.isolation.heat import ContactHeat, contact_heat
from mavrik.core.isolation.proof import Proof, proof
from mavrik.core.isolation.verdict import IsolationVerdict, verdict_of
from mavrik.core.procedures import procedure
from mavrik.core.procedures.bench.disconnect import DISCONNECT
from mavrik.core.procedures.records import latest_of
from mavrik.domain.job import CircuitRole, DocumentKind
from mavrik.jobs.kept import latest_document
from mavrik.jobs.records import run_of, superseded_ids
from mavrik.store.models import CircuitVersion, Job, Run


def kept_proof(row: Job) -> Proof | None:
    """The disconnect that was decided on last against the runs on its circuit; None where none was."""
    decided = _decided(row)
    if decided is None:
        return None
    version, isolation = decided
    circuit = Circuit.model_validate(version.document)
    read, _ = latest_of(DISCONNECT, circuit, [(k, run_of(r)) for k, r in enumerate(row.runs) if r in runs_for(row, version)])
    return proof(circuit, isolation.switching, read)


class KeptDisconnect(Document):
    """The disconnect that was decided on: what it does, how far that is proven, and what its contacts make of heat."""

    circuit_id: int = Field(description="Version that the runs of its proof are made on")
    verdict: IsolationVerdict
    proof: Proof
    contacts: tuple[ContactHeat, ...] = Field(description="By what was read of them closed, where it was")


def kept_disconnect(row: Job) -> KeptDisconnect | None:
    """All that is known of the disconnect that was decided on last; None where none was."""
    decided = _decided(row)
    tried = kept_proof(row)
    if decided is None or tried is None:
        return None
    version, isolation = decided
    circuit = Circuit.model_validate(version.document)
    case = Case(circuit, isolation.switching)
    switches = procedure("switches")
    read, _ = latest_of(switches, circuit, [(k, run_of(r)) for k, r in enumerate(row.runs) if r in runs_for(row, version)])
    ohm = {p.element: read[p.id].value for p in switches.points(circuit) if p.quantity == "resistance" and p.id in read}
    return KeptDisconnect(
        circuit_id=version.id,
        verdict=verdict_of(case, isolation.purpose, isolation.profile),
        proof=tried,
        contacts=contact_heat(case, ohm),
    )


def disconnect_proven(row: Job) -> bool | None:
    """Whether that is proven, without switching anything where nobody has read anything."""
    decided = _decided(row)
    if decided is None or not any(r.procedure == DISCONNECT.name for r in runs_for(row, decided[0])):
        return None
    tried = kept_proof(row)
    return tried.proven if tried is not None else None


def runs_for(row: Job, version: CircuitVersion) -> list[Run]:
    """The runs that stand on a circuit: as found on any revision of it, of a plan on that one alone.

    row: the job; version: one of its circuits
    """
    gone = superseded_ids(row.runs)
    ids = {c.id for c in row.circuits if c.role == version.role} if version.role == CircuitRole.AS_FOUND.value else {version.id}
    return [r for r in row.runs if r.circuit_id in ids and r.id not in gone]


def _decided(row: Job) -> tuple[CircuitVersion, Isolation] | None:
    document = latest_document(row, DocumentKind.ISOLATION)
    version = next((c for c in row.circuits if document is not None and c.id == document.circuit_id), None)
    return (version, Isolation.model_validate(document.document)) if document is not None and version is not None else None

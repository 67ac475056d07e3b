"""A job's disconnect: every way tried on its circuit for a purpose, the one that was decided on kept as the plan."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.ring import find_ring
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.document import Document, Problem
from mavrik.core.drawing.loop import LoopLayout, lay_out
from mavrik.core.isolation.documents import Isolation, IsolationPurpose
from mavrik.core.isolation.proof import Proof
from mavrik.core.isolation.topologies import TOPOLOGIES, Topology
from mavrik.core.isolation.ways import DisconnectWay, way_on, ways_for
from mavrik.core.planning.guided.disconnect import DISCONNECT
from mavrik.core.procedures.bench.disconnect import DISCONNECT as DISCONNECT_PROOF
from mavrik.domain.job import CircuitRole, DocumentKind, VehicleKind
from mavrik.domain.roles import Who
from mavrik.jobs.errors import ConflictError, InvalidError, NotFoundError
from mavrik.jobs.finding import latest
from mavrik.jobs.guided import GuidedRequest, keep_guided
from mavrik.jobs.kept import as_found, keep_document, latest_document
from mavrik.jobs.lists import purposes
from mavrik.jobs.planning import starting_target
from mavrik.jobs.proving import KeptDisconnect, kept_disconnect, kept_proof
from mavrik.jobs.runs import ProcedureView, procedures_on
from mavrik.jobs.summaries import summarise
from mavrik.jobs.work import get_row, row_to_change
from mavrik.store.models import Job, JobDocument


class PurposeChoice(Document):
    """What a disconnect can be for."""

    name: IsolationPurpose
    label: str
    why: str
    rulebook: str = Field(description="That the workshop follows; empty: none is named")


class WayOffered(Document):
    """A way to put a disconnect in, before it is tried."""

    name: str
    label: str
    does: str = Field(description="What it is")
    changes: bool = Field(description="Whether it changes the circuit, and does not only try what is there")
    why_not: str = Field(description="Why it has no place in this circuit; empty where it has")


class SeenCircuit(Document):
    """A circuit as somebody saw it."""

    circuit_id: Annotated[int, Field(ge=1, le=2**31 - 1)]
    lock: Annotated[int, Field(ge=1, le=1_000_000)]


class WayShown(Document):
    """What a way does on a job's circuit, for each purpose, with its drawing."""

    seen: SeenCircuit = Field(description="That it was tried on")
    way: DisconnectWay = Field(description="With its whole truth table")
    loop: LoopLayout


class IsolationView(Document):
    """What a disconnect in a job's circuit may be for, the ways to put one in, and the one that was decided on."""

    purpose: IsolationPurpose = Field(description="That was decided on; otherwise what is usual of such a vehicle")
    purposes: tuple[PurposeChoice, ...]
    ways: tuple[WayOffered, ...]
    kept: Isolation | None = Field(description="What was decided on")
    proof: Proof | None = Field(description="How far that is proven on the vehicle")
    kept_holds: bool = Field(
        description="Whether that belongs to the circuit as it is now planned; where nothing moves, as it was found last"
    )


class IsolationRequest(Document):
    """What a disconnect is for, and which way."""

    purpose: IsolationPurpose
    way: Annotated[str, Field(max_length=40)]
    seen: SeenCircuit | None = Field(
        None, description="The circuit as found that its verdict was seen on; null: whatever is there now"
    )


def isolation_of(session: Session, job_id: int) -> IsolationView:
    """The ways to put a disconnect into a job's circuit as found; what each does is asked of `way_shown`.

    Raises NotFoundError where no circuit is described, InvalidError for one with something wrong.
    """
    row = get_row(session, job_id)
    circuit, profiles = _whole(as_found(row)), purposes(session).document.purposes
    document = latest_document(row, DocumentKind.ISOLATION)
    kept = Isolation.model_validate(document.document) if document is not None else None
    return IsolationView(
        purpose=kept.purpose if kept is not None else _usual(row),
        purposes=tuple(PurposeChoice(name=p, label=f.label, why=f.why, rulebook=f.rulebook) for p, f in profiles.items()),
        ways=tuple(
            WayOffered(name=way.name, label=way.label, does=way.does, changes=way.changes, why_not=why)
            for way, why in ways_for(circuit).items()
        ),
        kept=kept, proof=kept_proof(row), kept_holds=_holds(row, document),
    )  # fmt: skip


def way_shown(session: Session, job_id: int, name: str) -> WayShown:
    """One way tried on a job's circuit as found, for each purpose as the workshop has it.

    Raises NotFoundError where no circuit is described, InvalidError for one with something wrong, for a way that there is not or that has
    no place here.
    """
    row = get_row(session, job_id)
    circuit, profiles = _whole(as_found(row)), purposes(session).document.purposes
    version = latest(row.circuits, CircuitRole.AS_FOUND)
    assert version is not None
    way = way_on(circuit, _way(circuit, name), profiles, every_row=True)
    seen = SeenCircuit(circuit_id=version.id, lock=version.lock)
    return WayShown(seen=seen, way=way, loop=lay_out(way.circuit, find_ring(way.circuit)))


def keep_isolation(session: Session, job_id: int, request: IsolationRequest, who: Who) -> IsolationView:
    """Decide on a way: its circuit, with leads and fuses sized, becomes the job's plan; what is fitted already moves nothing.

    Raises ConflictError where the circuit is no longer the one it was seen on, InvalidError, at its field, for a way that there is not
    or that has no place here, and as `keep_guided`.
    """
    row = row_to_change(session, job_id)
    now = latest(row.circuits, CircuitRole.AS_FOUND)
    if now is not None and request.seen is not None and (now.id, now.lock) != (request.seen.circuit_id, request.seen.lock):
        message = "Somebody changed the circuit since this was seen: what the switch does may be another thing now. Look again, then keep it."
        raise ConflictError(message, SeenCircuit(circuit_id=now.id, lock=now.lock).model_dump())
    circuit = _whole(as_found(row))
    way = _way(circuit, request.way)
    if way.changes:
        answers: dict[str, str | float] = {"purpose": request.purpose.value, "way": way.name}
        target = starting_target(session, job_id)
        circuit_id = keep_guided(session, job_id, GuidedRequest(name=DISCONNECT.name, answers=answers, target=target), who).id
    else:
        assert now is not None
        circuit_id = now.id
    profile = purposes(session).document.purposes[request.purpose]
    kept = Isolation(purpose=request.purpose, profile=profile, way=way.name, switching=way.build(circuit).switching)
    what = f"a disconnect for {profile.label.lower()}: {way.label}"
    keep_document(session, row, DocumentKind.ISOLATION, kept, who, what[:300], circuit_id=circuit_id)
    session.refresh(row, ["circuits", "documents"])
    summarise(session, row)
    return isolation_of(session, job_id)


class ProofView(Document):
    """The disconnect that was decided on, and the tests to prove it by."""

    disconnect: KeptDisconnect
    procedures: tuple[ProcedureView, ...]


def proof_of(session: Session, job_id: int) -> ProofView:
    """How far a job's disconnect is proven on the vehicle. Raises NotFoundError where none was decided on."""
    row = get_row(session, job_id)
    kept = latest_document(row, DocumentKind.ISOLATION)
    if kept is None or kept.circuit_id is None:
        raise NotFoundError("No disconnect was decided on yet: choose a way and keep it.")
    disconnect = kept_disconnect(row)
    assert disconnect is not None
    version = next(c for c in row.circuits if c.id == kept.circuit_id)
    points = {line.point for line in disconnect.proof.lines}
    procedures = tuple(
        # Of switches that are no part of it nothing was promised.
        p.model_copy(update={"points": tuple(x for x in p.points if x.point.id in points)})
        if p.name == DISCONNECT_PROOF.name
        else p
        for p in procedures_on(session, row, version, ("switches", DISCONNECT_PROOF.name))
    )
    return ProofView(disconnect=disconnect, procedures=procedures)


def _usual(row: Job) -> IsolationPurpose:
    competes = row.vehicle.kind == VehicleKind.COMPETITION.value
    return IsolationPurpose.EMERGENCY if competes else IsolationPurpose.STORAGE


def _holds(row: Job, document: JobDocument | None) -> bool:
    """Whether a kept disconnect belongs to what is planned now; of switches that are fitted, to the circuit as it was found last."""
    if document is None:
        return False
    name = Isolation.model_validate(document.document).way
    # A bundle may bring a way that this program does not have: it moved something.
    moves = all(w.changes for w in TOPOLOGIES if w.name == name)
    version = latest(row.circuits, CircuitRole.PROPOSAL if moves else CircuitRole.AS_FOUND)
    return version is not None and version.id == document.circuit_id


def _way(circuit: Circuit, name: str) -> Topology:
    ways = ways_for(circuit)
    way = next((w for w in ways if w.name == name), None)
    if way is None:
        raise InvalidError(message := f"There is no way '{name}' to put a disconnect in.", [Problem("isolation", "way", message)])
    if ways[way]:
        raise InvalidError(ways[way], [Problem("isolation", "way", ways[way])])
    return way


def _whole(circuit: Circuit) -> Circuit:
    if problems := check_circuit(circuit):
        raise InvalidError(problems[0].message, problems)
    return circuit

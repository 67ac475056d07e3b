"""What a disconnect would do on a job bundle's circuit, as JSON for other programs."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from mavrik import __version__
from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.documents import Switching
from mavrik.core.isolation.purposes import IsolationPurpose
from mavrik.core.isolation.topologies import TOPOLOGIES
from mavrik.core.isolation.verdict import RowView, Verdict, row_view, verdict
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle


class WayFile(Document):
    """One way to put a disconnect in, on this circuit."""

    topology: str
    label: str
    does: str = Field(description="What it is")
    verdict: Verdict
    moves: tuple[str, ...] = Field(description="Which leads move where, in words")
    assumed: tuple[str, ...] = Field(description="What nobody had said, and was taken to be so")
    switching: Switching
    circuit: Circuit = Field(description="With the disconnect in it")
    rows: tuple[RowView, ...] = Field(description="Of its truth table: those to be read first, or all")


class IsolationFile(Document):
    """What `mavrik isolate` prints."""

    format: str = "mavrik-isolation"
    version: int = 1
    program_version: str = __version__
    job_number: str
    circuit_revision: int
    purpose: IsolationPurpose
    ways: tuple[WayFile, ...]


def isolate_bundle(
    bundle: Bundle, purpose: IsolationPurpose, topology: str | None = None, every_row: bool = False
) -> IsolationFile:
    """What each way to put a disconnect in does for a purpose, on the circuit as found.

    bundle: the job; purpose: why it is wanted; topology: only this one; every_row: the whole truth table
    Raises ValueError where there is no circuit, no such topology, or where it cannot be had here.
    """
    version = bundle.latest(CircuitRole.AS_FOUND)
    if version is None:
        raise ValueError("The bundle has no circuit 'as_found'.")
    circuit = version.document
    wanted = [t for t in TOPOLOGIES if topology in (None, t.name)]
    if not wanted:
        raise ValueError(f"There is no topology '{topology}'. Topologies: {', '.join(t.name for t in TOPOLOGIES)}.")
    able = [t for t in wanted if not t.not_here(circuit)]
    if not able:
        raise ValueError(wanted[0].not_here(circuit))
    ways = []
    for way in able:
        made = way.build(circuit)
        case = Case(made.circuit, made.switching)
        rows = list(case.used) if every_row else case.used.read_first()
        ways.append(
            WayFile(
                topology=way.name, label=way.label, does=way.does, verdict=verdict(made.circuit, made.switching, purpose),
                moves=made.moves, assumed=made.assumed, switching=made.switching, circuit=made.circuit,
                rows=tuple(row_view(case, row) for row in rows),
            )
        )  # fmt: skip
    return IsolationFile(job_number=bundle.job.number, circuit_revision=version.revision, purpose=purpose, ways=tuple(ways))


def isolation_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `mavrik isolate` prints."""
    schema = IsolationFile.model_json_schema(mode="serialization")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}

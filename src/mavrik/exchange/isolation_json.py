"""What a disconnect would do on a job bundle's circuit, as JSON for other programs."""

from __future__ import annotations

from collections import Counter
from typing import Any

from mavrik import __version__
from mavrik.core.document import Document
from mavrik.core.isolation.documents import IsolationPurpose, PurposeProfile
from mavrik.core.isolation.purposes import usual_purposes
from mavrik.core.isolation.topologies import TOPOLOGIES
from mavrik.core.isolation.ways import DisconnectWay, way_on, why_not
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle


class IsolationFile(Document):
    """What `mavrik isolate` prints."""

    format: str = "mavrik-isolation"
    version: int = 2
    program_version: str = __version__
    job_number: str
    circuit_revision: int
    purpose: IsolationPurpose
    ways: tuple[DisconnectWay, ...]


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
    topologies = [t for t in TOPOLOGIES if topology in (None, t.name)]
    if not topologies:
        raise ValueError(f"There is no topology '{topology}'. Topologies: {', '.join(t.name for t in TOPOLOGIES)}.")
    reasons = {t: why_not(circuit, t) for t in topologies}
    able = [t for t in topologies if not reasons[t]]
    if not able:
        # What stands in the way of most of them says what to do; that no winch is drawn does not.
        raise ValueError(Counter(reasons.values()).most_common(1)[0][0])
    profiles = {purpose: _profile(bundle, purpose)}
    ways = tuple(way_on(circuit, way, profiles, every_row) for way in able)
    return IsolationFile(job_number=bundle.job.number, circuit_revision=version.revision, purpose=purpose, ways=ways)


def _profile(bundle: Bundle, purpose: IsolationPurpose) -> PurposeProfile:
    """What the job's disconnect was decided on by, where it is for that; else what is usual."""
    kept = bundle.isolation()
    of_bundle = kept[1].profile if kept is not None and kept[1].purpose is purpose else None
    return of_bundle or usual_purposes().purposes[purpose]


def isolation_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `mavrik isolate` prints."""
    schema = IsolationFile.model_json_schema(mode="serialization")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}

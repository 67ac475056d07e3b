"""What is found of a bundle as JSON, for other programs."""

from __future__ import annotations

from typing import Any

from mavrik import __version__
from mavrik.core.document import Document
from mavrik.core.findings import Findings, judge
from mavrik.core.procedures import Limits
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle


class FindingsFile(Document):
    """What `mavrik assess` prints."""

    format: str = "mavrik-findings"
    version: int = 2
    program_version: str = __version__
    job_number: str
    circuit_role: CircuitRole
    circuit_revision: int
    runs: int
    findings: Findings


def findings_of_bundle(bundle: Bundle, role: CircuitRole = CircuitRole.AS_FOUND) -> FindingsFile:
    """Judge the latest circuit of a role with all runs on it.

    bundle: the job
    role: as found, proposal or as built
    Raises ValueError when the bundle has no circuit of that role.
    """
    version = bundle.latest(role)
    if version is None:
        raise ValueError(f"The bundle has no circuit '{role}'.")
    runs, superseded = bundle.runs_on(role)
    limits = Limits(bundle.job.limit_profile, bundle.job.maker_limits)
    return FindingsFile(
        job_number=bundle.job.number,
        circuit_role=role,
        circuit_revision=version.revision,
        runs=len(runs),
        findings=judge(version.document, runs, limits, bundle.job.wants, superseded),
    )


def findings_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `mavrik assess` prints."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **FindingsFile.model_json_schema(mode="serialization")}

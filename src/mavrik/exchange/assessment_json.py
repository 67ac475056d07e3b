"""The assessment of a bundle as JSON, for other programs."""

from __future__ import annotations

from typing import Any

from mavrik import __version__
from mavrik.core.assessment import Assessment
from mavrik.core.circuit import Document
from mavrik.core.judged import judge
from mavrik.core.measurement import DropTest
from mavrik.exchange.bundle import Bundle, CircuitRole


class AssessmentFile(Document):
    """What `mavrik assess` prints."""

    format: str = "mavrik-assessment"
    version: int = 1
    program_version: str = __version__
    job_number: str
    circuit_role: CircuitRole
    circuit_revision: int
    test_number: int | None
    assessment: Assessment


def assess_bundle(bundle: Bundle, role: CircuitRole = CircuitRole.AS_FOUND) -> AssessmentFile:
    """Assess the latest circuit of a role with its latest test.

    bundle: the job
    role: as found, proposal or as built
    Raises ValueError when the bundle has no circuit of that role.
    """
    version = bundle.latest(role)
    if version is None:
        raise ValueError(f"The bundle has no circuit '{role}'.")
    test: DropTest | None = None
    number = None
    same_role = {c.id for c in bundle.circuits if c.role is role}
    for k, entry in enumerate(bundle.tests, 1):
        if entry.circuit_id in same_role:
            test, number = entry.test, k
    judged = judge(version.document, test, bundle.job.limit_profile)
    return AssessmentFile(
        job_number=bundle.job.number,
        circuit_role=role,
        circuit_revision=version.revision,
        test_number=number,
        assessment=judged.assessment,
    )


def assessment_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `mavrik assess` prints."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **AssessmentFile.model_json_schema(mode="serialization")}

"""What is found of a bundle as JSON, for other programs."""

from __future__ import annotations

from typing import Any

from mavrik import __version__
from mavrik.core.document import Document
from mavrik.core.findings import Findings, judge
from mavrik.core.procedures import Limits
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle

DEEPEST = 5


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
        findings=judge(version.document, runs, limits, bundle.wants, superseded),
    )


def findings_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `mavrik assess` prints."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **FindingsFile.model_json_schema(mode="serialization")}


def fields_in_words() -> str:
    """Every field of the output with what it means, indented as it is nested, from the schema itself.

    >>> fields_in_words().splitlines()[0]
    '  format'
    """
    schema = findings_schema()
    lines: list[str] = []

    def nested(of: dict[str, Any]) -> tuple[str, dict[str, Any] | None]:
        """What a field's own fields are, and whether there are several."""
        many = ""
        if "items" in of:
            of, many = of["items"], "[]"
        for one in of.get("anyOf", (of,)):
            name = one.get("$ref", "").rpartition("/")[2]
            if name and "properties" in schema["$defs"][name]:
                return many, schema["$defs"][name]
        return many, None

    def walk(of: dict[str, Any], depth: int) -> None:
        for name, field in of.get("properties", {}).items():
            many, inner = nested(field)
            head = f"{'  ' * depth}{name}{many}"
            words = field.get("description", "")
            lines.append(f"{head:<34}{words}".rstrip())
            if inner is not None and depth < DEEPEST:
                walk(inner, depth + 1)

    walk(schema, 1)
    return "\n".join(lines)

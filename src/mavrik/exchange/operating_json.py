"""Operating states in, operating points out, as JSON for other programs."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError

from mavrik import __version__
from mavrik.core.document import Document
from mavrik.core.operating import Engine, OperatingPoint, State, point_of
from mavrik.core.operating.gains import Gains, gains_of
from mavrik.core.protection.documents import ProtectionReview
from mavrik.core.protection.review import review_protection
from mavrik.core.protection.short_circuit import FaultCourse, fault_course
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle, plain_problems


class OperatingPointFile(Document):
    """What `mavrik solve` prints."""

    format: str = "mavrik-operating-point"
    version: int = 1
    program_version: str = __version__
    job_number: str
    circuit_role: CircuitRole
    circuit_revision: int
    point: OperatingPoint
    gains: Gains
    course: FaultCourse | None = None
    protection: ProtectionReview


def read_state(data: bytes) -> State:
    """Read and check a state file.

    data: the file's bytes: JSON with the fields of `mavrik.core.operating.State`, all of them optional
    Raises ValueError with the place and the reason.

    >>> read_state(b'{"engine_rpm": 800}').engine_rpm
    800.0
    """
    try:
        return State.model_validate(json.loads(data.decode("utf-8-sig")))
    except ValidationError as error:
        message = "; ".join(f"{p.element or 'the state'}: {p.message}" for p in plain_problems(error)[:5])
        raise ValueError(f"The state cannot be taken: {message}") from None
    except (UnicodeDecodeError, RecursionError, ValueError) as error:
        raise ValueError(f"The state file is not JSON: {error}") from None


def solve_bundle(bundle: Bundle, state: State, role: CircuitRole = CircuitRole.AS_FOUND) -> OperatingPointFile:
    """The latest circuit of a role at a state; raises ValueError where there is none or it has no operating point."""
    version = bundle.latest(role)
    if version is None:
        raise ValueError(f"The bundle has no circuit '{role}'.")
    circuit = version.document
    settled = Engine(circuit, state).settle()
    return OperatingPointFile(
        job_number=bundle.job.number,
        circuit_role=role,
        circuit_revision=version.revision,
        point=point_of(settled),
        gains=gains_of(settled),
        course=fault_course(circuit, state, state.fault) if state.fault else None,
        protection=review_protection(circuit),
    )


def state_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of a state file."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **State.model_json_schema()}


def operating_point_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `mavrik solve` prints."""
    schema = OperatingPointFile.model_json_schema(mode="serialization")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}

"""What is planned for a job bundle, as JSON for other programs."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from mavrik import __version__
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.document import Document
from mavrik.core.planning.drive import DriveView, drive_in
from mavrik.core.planning.leads import cheapest_proposal
from mavrik.core.planning.outlook import UseAnswer, on_this_circuit, outlook
from mavrik.core.planning.set_point import SetPointView, set_point
from mavrik.core.planning.sizing import usual_target
from mavrik.core.planning.targets import Proposal
from mavrik.core.planning.use import usual_use
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle


class PlanFile(Document):
    """What `mavrik plan` prints."""

    format: str = "mavrik-plan"
    version: int = 1
    program_version: str = __version__
    job_number: str
    circuit_revision: int
    proposal: Proposal = Field(
        description="Leads, fuses and contacts for the target, sized now; or what was accepted of compared changes"
    )
    set_point: SetPointView = Field(description="Of the proposal's regulator against its batteries")
    drive: DriveView | None = Field(description="What the pulley that was kept does; null where none was, or it does not add up")
    use: UseAnswer = Field(description="Whether it keeps up, as found and with the proposal and the pulley")


def plan_bundle(bundle: Bundle, target_current_a: float | None = None) -> PlanFile:
    """What is planned for the circuit as found: by the target that was kept last, or one for the loads of the job.

    bundle: the job; target_current_a: instead of that target's current [A]
    Raises ValueError where there is no circuit, where no size that is made will do, or what was kept contradicts itself.
    """
    version = bundle.latest(CircuitRole.AS_FOUND)
    if version is None:
        raise ValueError("The bundle has no circuit 'as_found'.")
    circuit, proposed = version.document, bundle.latest(CircuitRole.PROPOSAL)
    kept = bundle.plan_of(proposed.id) if proposed is not None else None
    added = bundle.job.loads_to_add
    target = kept.target if kept else usual_target(circuit, sum(x.current_a for x in added), bundle.job.limit_profile)
    if target_current_a is not None:
        target = target.model_copy(update={"target_current_a": target_current_a})
    drive = bundle.drive()
    if kept is not None and not kept.by_target_alone and proposed is not None and target_current_a is None:
        # Made of more than a target: it is what was accepted.
        proposal = Proposal(target=kept.target, circuit=proposed.document, choices=kept.choices, notes=kept.notes)
    else:
        proposal = cheapest_proposal(circuit, target, usual_prices())
    use = bundle.use() or usual_use(circuit, [(x.label, x.current_a) for x in added])
    return PlanFile(
        job_number=bundle.job.number,
        circuit_revision=version.revision,
        proposal=proposal,
        set_point=set_point(proposal.circuit),
        drive=drive_in(circuit, drive, proposal.circuit) if drive is not None else None,
        use=outlook(circuit, proposal.circuit, drive, on_this_circuit(circuit, use), kept.accepted if kept else None),
    )


def plan_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `mavrik plan` prints."""
    schema = PlanFile.model_json_schema(mode="serialization")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}

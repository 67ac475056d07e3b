"""What is known of an alternator's output: its curve, and what was read at the bench."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field
from sqlalchemy.orm import Session

from mavrik.core.catalogue.sources import KnownOutput
from mavrik.core.circuit import Alternator
from mavrik.core.document import Document, Identifier, Label, Problem
from mavrik.core.measuring.readings import Run
from mavrik.core.planning.output import OutputProblemError, OutputRequest, OutputView, output_curve
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.kept import as_found
from mavrik.jobs.records import run_of, superseded_ids
from mavrik.jobs.work import get_row


class ReadOutput(Document):
    """One output that was read, as a point of its unit's curve."""

    alternator_id: Identifier
    label: Label
    known: KnownOutput
    full_field: Annotated[bool, Field(description="Whether the test drives the unit full; else that is left to who was there")]


def curve_of(request: OutputRequest) -> OutputView:
    """A unit's curve. Raises InvalidError, at the field, for what does not go together."""
    try:
        return output_curve(request)
    except OutputProblemError as error:
        raise InvalidError(str(error), [Problem("output", error.field, str(error))]) from error


FULL, IDLE = "output_a", "idle_a"


def outputs_read(session: Session, job_id: int) -> tuple[ReadOutput, ...]:
    """What was read of the job's alternators; a run that a later one corrects does not count. Raises NotFoundError without a circuit."""
    row = get_row(session, job_id)
    units, gone = as_found(row).alternators, superseded_ids(list(row.runs))
    runs = [run_of(r) for r in sorted(row.runs, key=lambda r: r.measured_at) if r.id not in gone]
    return tuple(read for run in runs for unit in units for read in _of(run, unit))


def _of(run: Run, unit: Alternator) -> list[ReadOutput]:
    by_point = {r.point: r for r in run.readings}
    shaft = by_point.get(f"shaft_rpm:{unit.id}")
    outputs = []
    for name in (FULL, IDLE):
        reading = by_point.get(f"{name}:{unit.id}")
        state = run.states.get(reading.state) if reading else None
        if reading is None or reading.value <= 0:
            continue
        engine = run.engine_rpm or (by_point["engine_rpm"].value if "engine_rpm" in by_point else None)
        engine = engine or (state.engine_rpm if state else None)
        rpm = shaft.value if shaft is not None else engine * unit.pulley_ratio if engine else None
        if rpm is None or not 200 <= rpm <= 30_000:
            continue
        known = KnownOutput(
            shaft_rpm=round(rpm), output_a=reading.value, u_a=reading.uncertainty or None,
            unit_c=state.alternator_c if state else None,
        )  # fmt: skip
        outputs.append(ReadOutput(alternator_id=unit.id, label=reading.label or unit.label, known=known, full_field=name == FULL))
    return outputs

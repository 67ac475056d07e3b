"""Plans of a job."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import BaseModel, Field

from mavrik.core.document import Document
from mavrik.core.planning.comparison import Comparison
from mavrik.core.planning.drive import DriveRequest, DriveView
from mavrik.core.planning.fitting import FitRequest, FitView
from mavrik.core.planning.guided.comparison import ComparedAnswer
from mavrik.core.planning.outlook import UseAnswer
from mavrik.core.planning.output import OutputRequest, OutputView
from mavrik.core.planning.simulation import SimulationRequest
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.planning.use import SpeedHours, UseRequest
from mavrik.core.planning.worth import PlanId
from mavrik.domain.roles import Permission
from mavrik.jobs import drives, fits, guided, outputs, planning, uses, worth
from mavrik.jobs.records import CircuitRecord, DriveRecord, FitRecord, SimulationRecord, UseRecord, WorthRecord
from mavrik.jobs.tasks import TaskRecord
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.gate import heavy
from mavrik.web.repeat import creates
from mavrik.web.shared import SAVE_ERRORS, EditedFrom, JobPath, tag

api = Area("plans", __name__)


@api.get(
    "/jobs/<int:job_id>/plan/target",
    summary="What a plan begins with",
    tags=tag("plans"),
    responses={"200": SizingTarget, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_target(path: JobPath) -> Response:
    """The loads of the job on top of what is fitted."""
    return answer(planning.starting_target(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/plan/preview",
    summary="Size a plan",
    tags=tag("plans"),
    responses={"200": planning.PlanView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def post_preview(path: JobPath, body: SizingTarget) -> Response:
    """Without keeping it."""
    return answer(planning.preview_plan(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/plan",
    summary="Keep a plan",
    tags=tag("plans"),
    responses={"201": CircuitRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_plan(path: JobPath, body: SizingTarget) -> Response:
    """As a new version of the job's circuit."""
    return answer(planning.keep_plan(session(), path.job_id, body, me()), 201)


@api.get(
    "/jobs/<int:job_id>/comparison",
    summary="Plan beside as found",
    tags=tag("plans"),
    responses={"200": Comparison, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def get_comparison(path: JobPath) -> Response:
    """Branch by branch."""
    return answer(planning.compare_plan(session(), path.job_id))


@api.get(
    "/jobs/<int:job_id>/drive",
    summary="The alternator's drive",
    tags=tag("plans"),
    responses={"200": DriveRecord, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def get_drive(path: JobPath) -> Response:
    """As it was kept last, or what one begins with; and what that comes to."""
    return answer(drives.drive_of(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/drive/preview",
    summary="What a drive comes to",
    tags=tag("plans"),
    responses={"200": DriveView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def post_drive_preview(path: JobPath, body: DriveRequest) -> Response:
    """Shaft speeds, output, belt and limits, without keeping anything."""
    return answer(drives.preview_drive(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/drive",
    summary="Keep a drive",
    tags=tag("plans"),
    responses={"201": DriveRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_drive(path: JobPath, query: EditedFrom, body: DriveRequest) -> Response:
    """As the next revision of the job's. Refused with 409 when somebody else kept one in between."""
    return answer(drives.keep_drive(session(), path.job_id, body, me(), query.revision), 201)


class Outputs(Document):
    """What was read of a job's alternators."""

    outputs: tuple[outputs.ReadOutput, ...]


@api.get(
    "/jobs/<int:job_id>/outputs",
    summary="What was read of the alternators' output",
    tags=tag("plans"),
    responses={"200": Outputs, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_outputs(path: JobPath) -> Response:
    """Each as a point of its unit's curve."""
    return answer(Outputs(outputs=outputs.outputs_read(session(), path.job_id)))


@api.post("/output", summary="What a unit gives over speed", tags=tag("plans"), responses={"200": OutputView, **SAVE_ERRORS})
@needs(Permission.READ)
def post_output(body: OutputRequest) -> Response:
    """From its points, or fitted to what is known of it, with a band; nothing is kept."""
    return answer(outputs.curve_of(body))


@api.get(
    "/jobs/<int:job_id>/fit",
    summary="Whether another unit fits",
    tags=tag("plans"),
    responses={"200": FitRecord, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_fit(path: JobPath) -> Response:
    """The list as it was kept last, or one to begin with."""
    return answer(fits.fit_of(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/fit/preview",
    summary="What a list of what has to fit comes to",
    tags=tag("plans"),
    responses={"200": FitView, **SAVE_ERRORS},
)
@needs(Permission.READ)
def post_fit_preview(path: JobPath, body: FitRequest) -> Response:
    """Point by point, without keeping it."""
    return answer(fits.preview_fit(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/fit",
    summary="Keep the list of what has to fit",
    tags=tag("plans"),
    responses={"201": FitRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@creates
def post_fit(path: JobPath, query: EditedFrom, body: FitRequest) -> Response:
    """As the next revision of the job's. Refused with 409 when somebody else kept one in between."""
    return answer(fits.keep_fit(session(), path.job_id, body, me(), query.revision), 201)


@api.get(
    "/jobs/<int:job_id>/use",
    summary="How the vehicle is used",
    tags=tag("plans"),
    responses={"200": UseRecord, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def get_use(path: JobPath) -> Response:
    """As it was kept last, or what one begins with; and whether it keeps up."""
    return answer(uses.use_of(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/use/preview",
    summary="Whether a use keeps up",
    tags=tag("plans"),
    responses={"200": UseAnswer, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def post_use_preview(path: JobPath, body: UseRequest) -> Response:
    """Scene by scene, as found and as planned, without keeping anything."""
    return answer(uses.preview_use(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/use",
    summary="Keep how the vehicle is used",
    tags=tag("plans"),
    responses={"201": UseRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_use(path: JobPath, query: EditedFrom, body: UseRequest) -> Response:
    """As the next revision of the job's. Refused with 409 when somebody else kept one in between."""
    return answer(uses.keep_use(session(), path.job_id, body, me(), query.revision), 201)


class SpeedsText(Document):
    """A CSV as it came from an engine computer."""

    text: Annotated[str, Field(min_length=1, max_length=20_000)]


class Speeds(Document):
    """Hours by engine speed."""

    speeds: tuple[SpeedHours, ...]


@api.post(
    "/use/speeds",
    summary="Read hours by engine speed from CSV",
    tags=tag("plans"),
    responses={"200": Speeds, **SAVE_ERRORS},
)
@needs(Permission.READ)
def post_speeds(body: SpeedsText) -> Response:
    """Two columns, engine speed and hours."""
    return answer(Speeds(speeds=uses.speeds_of(body.text)))


@api.get(
    "/jobs/<int:job_id>/simulation",
    summary="The simulation that was kept last",
    tags=tag("plans"),
    responses={"200": SimulationRecord, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_simulation(path: JobPath) -> Response:
    """With its curves, as found and as planned."""
    return answer(uses.simulation_of(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/simulation",
    summary="Have days let go by",
    tags=tag("plans"),
    responses={"202": TaskRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_simulation(path: JobPath, body: SimulationRequest) -> Response:
    """For the use that was kept last; long work, its result is kept with the job."""
    return answer(uses.ask_simulation(session(), path.job_id, body, me()), 202)


@api.get(
    "/jobs/<int:job_id>/worth",
    summary="What buys what, as it was compared last",
    tags=tag("plans"),
    responses={"200": WorthRecord, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_worth(path: JobPath) -> Response:
    """Every change alone, and plans."""
    return answer(worth.compared(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/worth",
    summary="Compare what can be changed",
    tags=tag("plans"),
    responses={"202": TaskRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_worth(path: JobPath, body: worth.JobWorthRequest) -> Response:
    """For the use that was kept last; long work, its result is kept with the job."""
    return answer(worth.ask_comparison(session(), path.job_id, body, me()), 202)


class OptionPath(JobPath):
    """Names a plan of the comparison that was kept last."""

    plan_id: PlanId


@api.get(
    "/jobs/<int:job_id>/worth/<string:plan_id>",
    summary="A compared plan beside what was found",
    tags=tag("plans"),
    responses={"200": planning.PlanView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def get_option(path: OptionPath) -> Response:
    """Branch by branch, with its loop and staircase."""
    return answer(worth.look_at(session(), path.job_id, path.plan_id))


@api.post(
    "/jobs/<int:job_id>/worth/<string:plan_id>/accept",
    summary="Accept a compared plan",
    tags=tag("plans"),
    responses={"201": CircuitRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_accept(path: OptionPath) -> Response:
    """It becomes the job's plan: its circuit, its document, its pulley."""
    return answer(worth.accept(session(), path.job_id, path.plan_id, me()), 201)


class GuidesOut(BaseModel):
    """Guided changes."""

    guides: list[guided.GuideView]


@api.get(
    "/jobs/<int:job_id>/guided",
    summary="Guided changes of the circuit",
    tags=tag("plans"),
    responses={"200": GuidesOut, **SAVE_ERRORS},
)
@needs(Permission.READ)
def get_guides(path: JobPath) -> Response:
    """What each asks, and why one has no place here."""
    return answer(GuidesOut(guides=guided.guides_for(session(), path.job_id)))


@api.post(
    "/jobs/<int:job_id>/guided/preview",
    summary="What a guided change comes to",
    tags=tag("plans"),
    responses={"200": planning.PlanView, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def post_guided_preview(path: JobPath, body: guided.GuidedRequest) -> Response:
    """Its circuit sized and set beside what was found, without keeping it."""
    return answer(guided.preview_guided(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/guided/comparison",
    summary="What an answer of a guided change comes to beside others",
    tags=tag("plans"),
    responses={"200": ComparedAnswer, **SAVE_ERRORS},
)
@needs(Permission.READ)
@heavy
def post_guided_comparison(path: JobPath, body: guided.GuidedRequest) -> Response:
    """Built, sized and solved, with the answer that is given to the question which the change compares."""
    return answer(guided.compared_answer_of(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/guided",
    summary="Keep a guided change as the plan",
    tags=tag("plans"),
    responses={"201": CircuitRecord, **SAVE_ERRORS},
)
@needs(Permission.WORK)
@heavy
@creates
def post_guided(path: JobPath, body: guided.GuidedRequest) -> Response:
    """As a new version of the job's circuit."""
    return answer(guided.keep_guided(session(), path.job_id, body, me()), 201)

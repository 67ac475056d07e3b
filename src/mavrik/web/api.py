"""The API's routes. Each parses, calls one use case, and answers."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Any, Literal

from flask import Response, current_app, g, json, request
from flask_login import current_user, login_user, logout_user
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.tag import Tag
from flask_wtf.csrf import generate_csrf
from pydantic import BaseModel, BeforeValidator, Field

from mavrik import __version__
from mavrik.core.circuit import Circuit
from mavrik.core.fitting import Fit
from mavrik.core.judged import Comparison, Judged
from mavrik.core.layouts import build_layout
from mavrik.core.limits import LimitProfileName
from mavrik.core.measurement import DropTest, Instrument
from mavrik.core.operating import State
from mavrik.core.procedures import ProcedureRun
from mavrik.core.protection_review import ProtectionReview
from mavrik.core.sizing import SizingTarget
from mavrik.exchange.bundle import CircuitRole, JobState, bundle_schema
from mavrik.instruments.simulated import Placing
from mavrik.jobs import bench_work, carrying, equipment, judging, links, people, printing, resistances, work
from mavrik.jobs.catalogue import Catalogue, catalogue
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.people import Role, Who
from mavrik.jobs.records import CircuitRecord, JobRecord, JobRow, RunRecord, TestRecord
from mavrik.web.access import PUBLIC, SignedIn, address, me, needs, session
from mavrik.web.answers import answer
from mavrik.web.problems import ProblemDocument, problem

ERRORS: dict[str | int, Any] = {"422": ProblemDocument}
SAVE_ERRORS: dict[str | int, Any] = {**ERRORS, "404": ProblemDocument, "409": ProblemDocument}


def _tag(name: str) -> list[Tag]:
    return [Tag(name=name)]


api = APIBlueprint("api", __name__, url_prefix="/api")


class Me(BaseModel):
    """Who is signed in, and the token that writes must carry."""

    signed_in: bool
    name: str = ""
    login: str = ""
    role: Role | None = None
    csrf_token: str
    workshop: str
    demo: bool
    version: str = __version__


class SignInBody(BaseModel):
    """Login and password."""

    login: Annotated[str, Field(max_length=60)]
    password: Annotated[str, Field(max_length=200)]


class PersonBody(BaseModel):
    """A new account."""

    login: Annotated[str, Field(max_length=60)]
    name: Annotated[str, Field(max_length=80)]
    role: Role
    password: Annotated[str, Field(max_length=200)]


class PersonChange(BaseModel):
    """An account as changed by a lead."""

    name: Annotated[str, Field(max_length=80)]
    role: Role
    active: bool
    lock: int
    password: Annotated[str, Field(max_length=200, description="A new one, or empty to leave it")] = ""


class PasswordBody(BaseModel):
    """One's own password, old and new."""

    password: Annotated[str, Field(max_length=200)]
    new_password: Annotated[str, Field(max_length=200)]


class PersonPath(BaseModel):
    """Names an account."""

    person_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class PeopleOut(BaseModel):
    """All accounts."""

    people: list[people.Account]


class JobPath(BaseModel):
    """Names a job."""

    job_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class TestPath(JobPath):
    """Names a test of a job."""

    __test__ = False
    test_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class JobsQuery(BaseModel):
    """What to list."""

    search: Annotated[str, Field(max_length=200)] = ""
    state: JobState | None = None


class JobsOut(BaseModel):
    """Jobs, the soonest promised first."""

    jobs: list[JobRow]


class JobChange(work.JobInput):
    """A job's particulars as edited from a version."""

    lock: int


class CircuitSave(BaseModel):
    """A circuit as edited from a version."""

    document: Circuit
    lock: int | None = None
    as_new_revision: bool = False


class TestSave(BaseModel):
    """A test run as edited from a version."""

    __test__ = False
    circuit_id: int
    test: DropTest
    lock: int | None = None


class AssessBody(BaseModel):
    """A circuit and a test that need not be saved."""

    circuit: Circuit
    test: DropTest | None = None
    limit_profile: LimitProfileName = LimitProfileName.COMMON


class SolveBody(BaseModel):
    """A circuit that need not be saved, and the state to solve it at."""

    circuit: Circuit
    state: State = State()
    limit_profile: LimitProfileName = LimitProfileName.COMMON


class ProtectionBody(BaseModel):
    """A circuit that need not be saved."""

    circuit: Circuit


class GrowBody(BaseModel):
    """A circuit that need not be saved, and what to add to it."""

    circuit: Circuit
    what: Annotated[str, Field(max_length=40, description="Name of an addition, see the catalogue")]


class RunSave(BaseModel):
    """A bench test as it was carried out, and the circuit it was made on."""

    circuit_id: int
    run: ProcedureRun


class AddressSave(BaseModel):
    """Where a connected instrument is; null where it is not connected any more."""

    address: Annotated[str, Field(max_length=260, description="host:port")] | None


class PlacingQuery(BaseModel):
    """Where a reading is taken; only a stand-in is told."""

    state: Annotated[str, Field(pattern=r"^[a-z_]{0,40}$")] = ""
    red: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""
    black: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""
    element: Annotated[str, Field(pattern=r"^[a-z0-9_]{0,40}$")] = ""


class JudgeQuery(BaseModel):
    """Which circuit of the job."""

    role: CircuitRole = CircuitRole.AS_FOUND


class LayoutPath(BaseModel):
    """Names a ready layout."""

    name: Annotated[str, Field(max_length=40)]


class LayoutQuery(BaseModel):
    """For which system."""

    # A query is text; a Literal of numbers takes no text by itself.
    system_voltage_v: Annotated[Literal[12, 24], BeforeValidator(lambda v: int(v) if str(v).isdecimal() else v)] = 12


class InstrumentsOut(BaseModel):
    """The workshop's instruments."""

    instruments: list[equipment.InstrumentRecord]


class InstrumentPath(BaseModel):
    """Names an instrument."""

    instrument_id: Annotated[str, Field(max_length=40)]


class InstrumentSave(BaseModel):
    """An instrument as edited from a version."""

    instrument: Instrument
    lock: int


class LockQuery(BaseModel):
    """The version something was read at."""

    lock: int


class Healthy(BaseModel):
    """The server answers, and so does its database."""

    status: str


def _me(who: Who | None) -> Me:
    settings = current_app.config["MAVRIK"]
    return Me(
        signed_in=who is not None,
        name=who.name if who else "",
        login=who.login if who else "",
        role=who.role if who else None,
        csrf_token=generate_csrf(),
        workshop=settings.workshop,
        demo=settings.demo,
    )


@api.get("/health", summary="Whether the server and its database answer", tags=_tag("server"), responses={"200": Healthy})
@needs(PUBLIC)
def health() -> Response:
    """Asks the database one thing."""
    people.has_people(session())
    return answer(Healthy(status="ok"))


@api.get("/session", summary="Who is signed in", tags=_tag("session"), responses={"200": Me})
@needs(PUBLIC)
def get_session() -> Response:
    """Also hands out the token for writes."""

    return answer(_me(me() if current_user.is_authenticated else None))


@api.post(
    "/session", summary="Sign in", tags=_tag("session"), responses={"200": Me, "401": ProblemDocument, "429": ProblemDocument}
)
@needs(PUBLIC)
def post_session(body: SignInBody) -> Response:
    """Five failures in ten minutes close a login for a while."""
    g.keep_anyway = True
    who = people.sign_in(session(), body.login, body.password, address())
    if who is None:
        return problem(401, "wrong-password", "Not signed in", "Login or password is wrong.")
    login_user(SignedIn(who))
    return answer(_me(who))


@api.delete("/session", summary="Sign out", tags=_tag("session"), responses={"200": Me})
@needs(Role.READ_ONLY)
def delete_session() -> Response:
    """Ends this session."""
    logout_user()
    return answer(_me(None))


@api.put(
    "/session/password",
    summary="Change one's own password",
    tags=_tag("session"),
    responses={"200": Me, **ERRORS, "429": ProblemDocument},
)
@needs(Role.READ_ONLY)
def put_password(body: PasswordBody) -> Response:
    """Ends every other session of this person."""
    g.keep_anyway = True
    who = people.change_password(session(), me(), body.password, body.new_password, address())
    login_user(SignedIn(who))
    return answer(_me(who))


@api.get("/people", summary="All accounts", tags=_tag("people"), responses={"200": PeopleOut})
@needs(Role.LEAD)
def get_people() -> Response:
    """For leads."""
    return answer(PeopleOut(people=people.list_people(session())))


@api.post("/people", summary="Add an account", tags=_tag("people"), responses={"201": people.Account, **ERRORS})
@needs(Role.LEAD)
def post_people(body: PersonBody) -> Response:
    """For leads."""
    who = people.add_person(session(), body.login, body.name, body.role, body.password, me())
    return answer(people.Account(id=who.id, login=who.login, name=who.name, role=who.role, active=True, lock=1), 201)


@api.put(
    "/people/<int:person_id>",
    summary="Change or close an account",
    tags=_tag("people"),
    responses={"200": people.Account, **SAVE_ERRORS},
)
@needs(Role.LEAD)
def put_person(path: PersonPath, body: PersonChange) -> Response:
    """For leads. Ends every session of that person."""
    return answer(people.change_person(session(), path.person_id, by=me(), **body.model_dump()))


@api.get("/catalogue", summary="What may be chosen", tags=_tag("catalogue"), responses={"200": Catalogue})
@needs(Role.READ_ONLY)
def get_catalogue() -> Response:
    """Sizes, families, profiles, layouts, cautions: all that the interface offers, from the core's tables."""
    return answer(catalogue())


@api.get("/layouts/<string:name>", summary="A ready circuit", tags=_tag("catalogue"), responses={"200": Circuit, **ERRORS})
@needs(Role.READ_ONLY)
def get_layout(path: LayoutPath, query: LayoutQuery) -> Response:
    """To start from."""
    try:
        return answer(build_layout(path.name, query.system_voltage_v))
    except ValueError as error:
        raise InvalidError(str(error)) from error


@api.get("/instruments", summary="The workshop's instruments", tags=_tag("instruments"), responses={"200": InstrumentsOut})
@needs(Role.READ_ONLY)
def get_instruments() -> Response:
    """With the accuracy their manuals give."""
    return answer(InstrumentsOut(instruments=equipment.list_instruments(session())))


@api.post(
    "/instruments",
    summary="Add an instrument",
    tags=_tag("instruments"),
    responses={"201": equipment.InstrumentRecord, **ERRORS},
)
@needs(Role.TECHNICIAN)
def post_instrument(body: Instrument) -> Response:
    """Under an id that is free."""
    return answer(equipment.add_instrument(session(), body, me()), 201)


@api.put(
    "/instruments/<string:instrument_id>",
    summary="Change an instrument",
    tags=_tag("instruments"),
    responses={"200": equipment.InstrumentRecord, **SAVE_ERRORS},
)
@needs(Role.TECHNICIAN)
def put_instrument(path: InstrumentPath, body: InstrumentSave) -> Response:
    """Refused with 409 when somebody else saved in between."""
    return answer(equipment.change_instrument(session(), path.instrument_id, body.instrument, body.lock, me()))


@api.delete(
    "/instruments/<string:instrument_id>",
    summary="Take an instrument off the register",
    tags=_tag("instruments"),
    responses={"204": None, **SAVE_ERRORS},
)
@needs(Role.TECHNICIAN)
def delete_instrument(path: InstrumentPath, query: LockQuery) -> Response:
    """Tests made with it keep what they know of it."""
    equipment.remove_instrument(session(), path.instrument_id, query.lock, me())
    return Response(status=204)


@api.put(
    "/instruments/<string:instrument_id>/address",
    summary="Say where a connected instrument is",
    tags=_tag("instruments"),
    responses={"200": equipment.InstrumentRecord, **SAVE_ERRORS},
)
@needs(Role.LEAD)
def put_address(path: InstrumentPath, body: AddressSave) -> Response:
    """Only a lead can: it makes the server call there."""
    return answer(links.allow_address(session(), path.instrument_id, body.address, me()))


@api.get(
    "/instruments/<string:instrument_id>/reading",
    summary="What a connected instrument shows",
    tags=_tag("instruments"),
    responses={"200": links.LiveReading, **SAVE_ERRORS},
)
@needs(Role.TECHNICIAN)
def get_reading(path: InstrumentPath) -> Response:
    """Once; 502 where it does not answer."""
    return answer(links.read_once(session(), path.instrument_id))


@api.get(
    "/instruments/<string:instrument_id>/live",
    summary="What a connected instrument shows, as server-sent events",
    tags=_tag("instruments"),
    responses={"200": None, **SAVE_ERRORS},
)
@needs(Role.TECHNICIAN)
def get_live(path: InstrumentPath, query: PlacingQuery) -> Response:
    """Each event is a `LiveReading`; the last one says why where the link is lost. The query moves a stand-in's probes."""
    instrument, where = links.link_of(session(), path.instrument_id)
    return Response(
        links.live(instrument, where, Placing(**query.model_dump())),
        mimetype="text/event-stream",
        headers={"X-Accel-Buffering": "no"},
    )


@api.post("/assess", summary="Judge a circuit without saving it", tags=_tag("judging"), responses={"200": Judged, **ERRORS})
@needs(Role.READ_ONLY)
def post_assess(body: AssessBody) -> Response:
    """What the screen asks at every edit."""
    return answer(judging.judge_draft(body.circuit, body.test, body.limit_profile))


@api.post("/solve", summary="Solve a circuit at a state", tags=_tag("judging"), responses={"200": judging.SolvedDraft, **ERRORS})
@needs(Role.READ_ONLY)
def post_solve(body: SolveBody) -> Response:
    """What the state bar asks at every move."""
    return answer(judging.solve_draft(body.circuit, body.state, body.limit_profile))


@api.post(
    "/protection", summary="Ask every fuse and breaker", tags=_tag("judging"), responses={"200": ProtectionReview, **ERRORS}
)
@needs(Role.READ_ONLY)
def post_protection(body: ProtectionBody) -> Response:
    """Load, cable, voltage, breaking, withstand, cranking, inrush, and the order of opening."""
    return answer(judging.review_draft(body.circuit))


@api.post("/grow", summary="Add a part to a circuit", tags=_tag("judging"), responses={"200": judging.Grown, **ERRORS})
@needs(Role.READ_ONLY)
def post_grow(body: GrowBody) -> Response:
    """With its nodes, leads and fuses, at starting values; nothing is saved."""
    return answer(judging.add_to_draft(body.circuit, body.what))


@api.get("/jobs", summary="List jobs", tags=_tag("jobs"), responses={"200": JobsOut, **ERRORS})
@needs(Role.READ_ONLY)
def get_jobs(query: JobsQuery) -> Response:
    """With state and what is missing."""
    return answer(JobsOut(jobs=work.list_jobs(session(), query.search, query.state)))


@api.post("/jobs", summary="Open a job", tags=_tag("jobs"), responses={"201": JobRecord, **ERRORS})
@needs(Role.TECHNICIAN)
def post_jobs(body: work.JobInput) -> Response:
    """Customer, vehicle, complaint."""
    return answer(work.create_job(session(), body, me()), 201)


@api.post("/jobs/import", summary="Take a job in from a bundle", tags=_tag("jobs"), responses={"201": JobRecord, **ERRORS})
@needs(Role.TECHNICIAN)
def post_import() -> Response:
    """The request's body is the bundle file."""
    return answer(carrying.import_bundle(session(), request.get_data(cache=False), me()), 201)


@api.get("/jobs/<int:job_id>", summary="A whole job", tags=_tag("jobs"), responses={"200": JobRecord, **SAVE_ERRORS})
@needs(Role.READ_ONLY)
def get_job(path: JobPath) -> Response:
    """With its circuits, tests and history."""
    return answer(work.open_job(session(), path.job_id))


@api.put(
    "/jobs/<int:job_id>", summary="Change a job's particulars", tags=_tag("jobs"), responses={"200": JobRecord, **SAVE_ERRORS}
)
@needs(Role.TECHNICIAN)
def put_job(path: JobPath, body: JobChange) -> Response:
    """Refused with 409 when somebody else saved in between."""
    given = work.JobInput.model_validate(body.model_dump(exclude={"lock"}))
    return answer(work.change_job(session(), path.job_id, given, body.lock, me()))


@api.put(
    "/jobs/<int:job_id>/circuit",
    summary="Save the circuit as found",
    tags=_tag("jobs"),
    responses={"200": CircuitRecord, **SAVE_ERRORS},
)
@needs(Role.TECHNICIAN)
def put_circuit(path: JobPath, body: CircuitSave) -> Response:
    """A version that was measured is never changed: saving makes the next revision."""
    saved = work.save_circuit(session(), path.job_id, body.document, me(), lock=body.lock, as_new_revision=body.as_new_revision)
    return answer(saved)


@api.post("/jobs/<int:job_id>/tests", summary="Save a test run", tags=_tag("jobs"), responses={"201": TestRecord, **SAVE_ERRORS})
@needs(Role.TECHNICIAN)
def post_test(path: JobPath, body: TestSave) -> Response:
    """A new one."""
    return answer(work.save_test(session(), path.job_id, body.circuit_id, body.test, me()), 201)


@api.put(
    "/jobs/<int:job_id>/tests/<int:test_id>",
    summary="Change a test run",
    tags=_tag("jobs"),
    responses={"200": TestRecord, **SAVE_ERRORS},
)
@needs(Role.TECHNICIAN)
def put_test(path: TestPath, body: TestSave) -> Response:
    """Refused with 409 when somebody else saved in between."""
    saved = work.save_test(session(), path.job_id, body.circuit_id, body.test, me(), test_id=path.test_id, lock=body.lock)
    return answer(saved)


@api.get(
    "/jobs/<int:job_id>/bench",
    summary="The bench tests of a job",
    tags=_tag("judging"),
    responses={"200": bench_work.BenchView, **SAVE_ERRORS},
)
@needs(Role.READ_ONLY)
def get_bench(path: JobPath) -> Response:
    """What there is to test, what was read and said, and which fault explains it."""
    return answer(bench_work.bench_of(session(), path.job_id))


@api.post("/jobs/<int:job_id>/runs", summary="Keep a bench test", tags=_tag("jobs"), responses={"201": RunRecord, **SAVE_ERRORS})
@needs(Role.TECHNICIAN)
def post_run(path: JobPath, body: RunSave) -> Response:
    """A permanent record: a repeat is a run of its own."""
    return answer(bench_work.save_run(session(), path.job_id, body.circuit_id, body.run, me()), 201)


@api.get(
    "/jobs/<int:job_id>/resistances",
    summary="Resistances fitted to the drop test",
    tags=_tag("judging"),
    responses={"200": Fit, **SAVE_ERRORS},
)
@needs(Role.READ_ONLY)
def get_resistances(path: JobPath) -> Response:
    """Each with its 95 % interval; 404 without a drop test."""
    return answer(resistances.fit_of(session(), path.job_id))


@api.post(
    "/jobs/<int:job_id>/resistances",
    summary="Put the fitted resistances into the circuit",
    tags=_tag("judging"),
    responses={"201": CircuitRecord, **SAVE_ERRORS},
)
@needs(Role.TECHNICIAN)
def post_resistances(path: JobPath) -> Response:
    """As the next revision of the circuit as found; only what the readings told."""
    return answer(resistances.take_over(session(), path.job_id, me()), 201)


@api.get(
    "/jobs/<int:job_id>/judged", summary="Judge a job's circuit", tags=_tag("judging"), responses={"200": Judged, **SAVE_ERRORS}
)
@needs(Role.READ_ONLY)
def get_judged(path: JobPath, query: JudgeQuery) -> Response:
    """The latest circuit of a role with the latest test on it."""
    return answer(judging.judge_job(session(), path.job_id, query.role))


@api.post(
    "/jobs/<int:job_id>/proposal/preview",
    summary="Size a proposal",
    tags=_tag("judging"),
    responses={"200": judging.ProposalView, **SAVE_ERRORS},
)
@needs(Role.READ_ONLY)
def post_preview(path: JobPath, body: SizingTarget) -> Response:
    """Without keeping it."""
    return answer(judging.preview_proposal(session(), path.job_id, body))


@api.post(
    "/jobs/<int:job_id>/proposal",
    summary="Keep a proposal",
    tags=_tag("judging"),
    responses={"201": CircuitRecord, **SAVE_ERRORS},
)
@needs(Role.TECHNICIAN)
def post_proposal(path: JobPath, body: SizingTarget) -> Response:
    """As a new version of the job's circuit."""
    return answer(judging.keep_proposal(session(), path.job_id, body, me()), 201)


@api.get(
    "/jobs/<int:job_id>/comparison",
    summary="Proposal beside as found",
    tags=_tag("judging"),
    responses={"200": Comparison, **SAVE_ERRORS},
)
@needs(Role.READ_ONLY)
def get_comparison(path: JobPath) -> Response:
    """Branch by branch."""
    return answer(judging.compare_job(session(), path.job_id))


def _file(name: str, data: str | bytes, kind: str) -> Response:
    safe = "".join(c if c.isalnum() or c in "._-" else "_" for c in name)
    return Response(data, mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{safe}"'})


@api.get("/jobs/<int:job_id>/bundle", summary="Take a job out as a bundle", tags=_tag("files"))
@needs(Role.READ_ONLY)
def get_bundle(path: JobPath) -> Response:
    """A `.mavrik.json` file."""
    name, data = carrying.export_bundle(session(), path.job_id)
    return _file(name, data, "application/json")


@api.get("/jobs/<int:job_id>/readings.csv", summary="Readings as CSV", tags=_tag("files"))
@needs(Role.READ_ONLY)
def get_readings(path: JobPath) -> Response:
    """One row a reading."""
    name, text = carrying.export_readings(session(), path.job_id)
    return _file(name, text, "text/csv")


@api.get("/jobs/<int:job_id>/readings.parquet", summary="Readings as Parquet", tags=_tag("files"))
@needs(Role.READ_ONLY)
def get_readings_parquet(path: JobPath) -> Response:
    """The same rows with numbers as numbers."""
    name, data = carrying.export_readings(session(), path.job_id, "parquet")
    return _file(name, data, "application/vnd.apache.parquet")


@api.get("/jobs/<int:job_id>/sheet.pdf", summary="The job sheet as PDF", tags=_tag("files"))
@needs(Role.READ_ONLY)
def get_sheet_pdf(path: JobPath) -> Response:
    """For the customer and the file."""
    name, data = printing.sheet_pdf(session(), path.job_id, current_app.config["MAVRIK"].workshop, datetime.now(UTC))
    return _file(name, data, "application/pdf")


@api.get("/jobs/<int:job_id>/sheet", summary="The job sheet as a page", tags=_tag("files"))
@needs(Role.READ_ONLY)
def get_sheet(path: JobPath) -> Response:
    """For the screen and the browser's printer."""
    page = printing.sheet_html(
        session(), path.job_id, current_app.config["MAVRIK"].workshop, datetime.now(UTC), g.nonce, "/sheet-assets/"
    )
    return Response(page, mimetype="text/html")


@api.get("/schema/bundle", summary="JSON Schema of the job bundle", tags=_tag("files"))
@needs(PUBLIC)
def get_bundle_schema() -> Response:
    """The published format."""

    return Response(json.dumps(bundle_schema()), mimetype="application/schema+json")

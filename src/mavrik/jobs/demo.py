"""The demo: an invented town's yard with invented people, customers and vehicles.

Its readings are what the core predicts for circuits with a hidden fault, rounded as a meter would show them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta

import numpy as np
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit, LoadKind
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.fabrication.documents import (
    BuildBook,
    BulkheadStud,
    Fate,
    LeadSpec,
    OldPart,
    Passage,
    Surroundings,
    Way,
    WayStretch,
)
from mavrik.core.fabrication.stock import usual_stock
from mavrik.core.measuring.instruments import Instrument, as_earned
from mavrik.core.operating.prediction import at_output, predict
from mavrik.core.planning.drive import DriveReading, DriveRequest
from mavrik.core.planning.drive.belt import DriveArm, DrivePulley
from mavrik.core.planning.simulation import SimulationRequest
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.planning.use import Consumer, Scene, SpeedHours, UseRequest
from mavrik.core.planning.worth import WorthRequest
from mavrik.core.procedures import Point, procedure
from mavrik.core.scheduling.documents import Schedule
from mavrik.core.scheduling.view import with_place
from mavrik.core.scheduling.workshop import Bay, Worker, usual_workshop
from mavrik.core.workflow.purposes import Purpose
from mavrik.domain.job import AddedLoad, Customer, JobState, Vehicle, VehicleKind
from mavrik.domain.roles import Role, Who
from mavrik.jobs.building import keep_build
from mavrik.jobs.drives import keep_drive
from mavrik.jobs.equipment import add_instrument
from mavrik.jobs.links import allow_address
from mavrik.jobs.people import add_person
from mavrik.jobs.planning import keep_plan, starting_target
from mavrik.jobs.runs import ReadingInput, RunInput, save_run
from mavrik.jobs.scheduling import keep_schedule, keep_workshop, scene
from mavrik.jobs.stock import Count, count
from mavrik.jobs.summaries import judged_once
from mavrik.jobs.uses import keep_simulation, keep_use, run_simulation, to_simulate
from mavrik.jobs.work import JobInput, change_job, create_job, get_row, save_circuit
from mavrik.jobs.worth import JobWorthRequest, keep_comparison, run_comparison, to_compare
from mavrik.standin.vehicle import HiddenVehicle, hidden_faults, with_starter
from mavrik.store.models import Person

WORKSHOP = "Fennick Yard Auto Electrics"
DEMO_LOGIN, DEMO_PASSWORD = "tobin", "copper-and-slate"
PEOPLE = (
    ("mara", "Mara Quillfeather", Role.LEAD),
    (DEMO_LOGIN, "Tobin Ashgrove", Role.TECHNICIAN),
    ("ines", "Ines Larkmoor", Role.READ_ONLY),
)
DMM = Instrument(id="dmm_1", label="Bench multimeter 1", kind="voltmeter", percent_of_reading=0.5, digits=2, resolution=0.001)
CLAMP = Instrument(id="clamp_1", label="DC clamp 400 A", kind="clamp", percent_of_reading=2, digits=3, resolution=0.1)
SCOPE = Instrument(id="scope", label="Bench oscilloscope", kind="oscilloscope", percent_of_reading=3, digits=2, resolution=0.01)
INSTRUMENTS = (
    (DMM, 140),
    (CLAMP, 45),
    (
        Instrument(id="dmm_2", label="Van multimeter", kind="voltmeter", percent_of_reading=1.0, digits=5, resolution=0.01),
        -20,
    ),
    (
        Instrument(id="tach", label="Optical tachometer", kind="tachometer", percent_of_reading=0.1, digits=1, resolution=1),
        None,
    ),
    (
        Instrument(
            id="infrared",
            label="Infrared gun",
            kind="thermometer",
            percent_of_reading=1.5,
            digits=15,
            resolution=0.1,
        ),
        300,
    ),
    (SCOPE, 210),
)
"""Each with the days until its calibration is due; the van's is overdue, so that one sees what that looks like."""


CONNECTED = (
    (DMM.id, "127.0.0.1:8743"),
    (CLAMP.id, "127.0.0.1:8744"),
    ("tach", "127.0.0.1:8745"),
    ("infrared", "127.0.0.1:8746"),
    (SCOPE.id, "127.0.0.1:8748"),
)
"""Where `./mavrik demo` starts the stand-in's meters."""


@dataclass(frozen=True)
class DemoDrops:
    """How a demo's drop test comes about."""

    current_a: float
    hidden_mohm: Mapping[str, float] = field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    """Points that nobody read."""
    misread_v: Mapping[str, float] = field(default_factory=dict)
    """Added to a point's reading, as by a slipped probe."""


@dataclass(frozen=True)
class DemoBench:
    """Tests read off the stand-in vehicle with a fault hidden in it."""

    cause: str
    made: tuple[str, ...]
    noticed: tuple[str, ...] = ()
    """What who drives it says yes to."""


@dataclass(frozen=True)
class DemoJob:
    """One invented job."""

    customer: str
    contact: str
    vehicle: str
    kind: VehicleKind
    volts: int
    complaint: str
    days: int
    """Until it is promised; below 0 it was."""
    purposes: tuple[Purpose, ...] = (Purpose.FIND_FAULT,)
    state: JobState = JobState.OPEN
    loads: tuple[tuple[str, float], ...] = ()
    layout: str = ""
    changes: Mapping[str, Mapping[str, object]] = field(default_factory=dict)
    rated_a: float = 90
    starter: bool = False
    drops: DemoDrops | None = None
    bench: DemoBench | None = None
    plan_a: float | None = None
    drive: DriveRequest | None = None
    use: UseRequest | None = None
    book: BuildBook | None = None


LIBRARY = (
    "Tallowmere Library Service",
    "Mrs Penhale, ext. 12",
    "Library bus no. 2, 18 seats of shelves, 2014",
    VehicleKind.VAN,
    12,
)
SCOOPS = ("Marzipan & Sons", "yard gate, not before ten", "Ice-cream van 'Polar Duchess', 2009", VehicleKind.VAN, 12)

DRIVING = ("Engine electrics, diesel", "Dipped beam, halogen pair", "Freezer, first plate", "freezer plate")
SELLING = (
    "Engine electrics, diesel",
    "Chime and till lamps",
    "Freezer, first plate",
    "freezer plate",
    "serving lamps",
    "card terminal",
)
ROUNDS = UseRequest(
    consumers=(
        Consumer(label="Engine electrics, diesel", current_a=8, origin="catalogue"),
        Consumer(label="Dipped beam, halogen pair", current_a=10, law=LoadKind.RESISTANCE, origin="catalogue"),
        Consumer(label="Freezer, first plate", current_a=16.5, law=LoadKind.POWER, duty=0.6, cut_off_v=10.8, origin="measured"),
        Consumer(label="Chime and till lamps", current_a=4, origin="entered"),
        Consumer(label="freezer plate", current_a=21, law=LoadKind.POWER, duty=0.6, cut_off_v=10.8, origin="entered"),
        Consumer(label="serving lamps", current_a=7.5, origin="entered"),
        Consumer(label="card terminal", current_a=2, origin="entered"),
    ),
    scenes=(
        Scene(label="Serving, engine on", engine_rpm=760, hours_a_day=3.5, on=SELLING),
        Scene(label="Street to street", engine_rpm=1500, hours_a_day=2.0, on=DRIVING),
        Scene(label="Home at night", engine_rpm=1900, hours_a_day=0.5, on=DRIVING),
        Scene(label="In the yard", engine_rpm=0, hours_a_day=18.0),
    ),
    speeds=tuple(SpeedHours(engine_rpm=r, hours=h) for r, h in ((760, 212), (1200, 74), (1600, 58), (1900, 31), (2500, 6))),
    engine_hours=381, driving="Street to street", starts_a_day=22, crank_s=1.8, crank_a=260, asleep_a=0.045, coldest_c=2, warmest_c=32,
)  # fmt: skip

NEW_FEED = BuildBook(
    anew=("long_feed", "rear_ground"),
    ways=(
        Way(
            id="sill", label="Door sill, offside", straight_mm=3700,
            stretches=(
                WayStretch(length_mm=450, where=Surroundings.CABIN, what="beside the steering shaft", moving=True),
                WayStretch(length_mm=2050, where=Surroundings.CABIN, what="foot of the rear bench"),
                WayStretch(length_mm=1500, where=Surroundings.CABIN, ends_at=Passage.GROMMET, what="battery box"),
            ),
        ),
    ),
    leads=(LeadSpec(branch_id="long_feed", way="sill", from_tail_mm=180, to_tail_mm=260),),
    bulkheads=(BulkheadStud(node_id="bulkhead", through="firewall", far=("long_feed",)),),
    old=(
        OldPart(part_id="long_feed", fate=Fate.SHELF, where="rack by the pit"),
        OldPart(part_id="rear_ground", fate=Fate.SCRAP),
    ),
)  # fmt: skip

JOBS = (
    DemoJob(
        *LIBRARY, "Stops at the last village with everything dim; new alternator in spring changed nothing.", 1,
        layout="front_battery", rated_a=90, changes={"block_ground": {"to_end": {"kind": "crimp", "condition": "corroded"}}},
        drops=DemoDrops(78.0, {"block_ground": 3.1, "body_ground": 4.4}, ("drop_v:body_ground", "drop_v:engine_strap", "branch_a:")),
    ),
    DemoJob(
        "Borough of Tallowmere, streets", "depot clerk", "Street sweeper 'Besom 3', sit-on, diesel", VehicleKind.OTHER, 12,
        "Beacon dims at the kerb, battery flat by Thursday; worse since the wet leaves.", 0,
        layout="front_battery", rated_a=85, starter=True,
        bench=DemoBench("belt_slips:alternator", ("rest", "key_on", "regulated"), ("flat", "dims", "squeals")),
    ),
    DemoJob(
        *SCOOPS, "A second freezer plate, a card terminal and new lamps for the evening rounds.", 5,
        (Purpose.MORE_LOAD,), JobState.WAITING, (("freezer plate", 21.0), ("serving lamps", 7.5), ("card terminal", 2.0)),
        "front_battery", rated_a=90, drops=DemoDrops(66.0), plan_a=125,
        drive=DriveRequest(
            alternator_id="alternator", idle_rpm=760, cruise_rpm=1900, redline_rpm=4300, limit_rpm=15_500, crank_mm=148, now_mm=62,
            new_mm=54, target_idle_a=38, smallest_mm=48, before=DriveReading(current_a=31, u_a=1.5, engine_rpm=760),
            pulleys=(
                DrivePulley(name="Crank", part="driving", x_mm=0, y_mm=0),
                DrivePulley(name="Alternator", part="alternator", x_mm=238, y_mm=142),
                DrivePulley(name="Tensioner", part="tensioner", diameter_mm=68, x_mm=96, y_mm=170, back=True),
                DrivePulley(name="Water pump", diameter_mm=126, x_mm=-34, y_mm=222),
            ),
            arm=DriveArm(x_mm=150, y_mm=236, slack_deg=30, tight_deg=-24),
        ),
        use=ROUNDS,
    ),
    DemoJob(
        "Fairground Brothers Okell", "winter quarters", "Transporter for the chair swing, 24 V, two batteries", VehicleKind.LIGHT_TRUCK, 24,
        "Third battery pair in four seasons. Is it the charging, or the generator they feed back from?", 2,
        layout="parallel_batteries", rated_a=80, drops=DemoDrops(64.0, {"charge_fuse": 0.8}, misread_v={"feed_v": 0.14}),
    ),
    DemoJob(
        "Wetherby-Ash, veterinary surgeon", "", "Surgery on wheels, steriliser and fridge in the back", VehicleKind.VAN, 12,
        "The steriliser's battery is never full when the calves come. Wants it charged on the road, whatever it takes.", 8,
        (Purpose.FIND_FAULT, Purpose.BATTERY), layout="second_battery_converter", rated_a=120, drops=DemoDrops(95.0, {"mount": 2.4}),
    ),
    DemoJob(
        "Clayfoot Potters", "kiln house", "Delivery car, battery under the rear bench", VehicleKind.CAR, 12,
        "13.5 V at the posts, never more, since the battery went under the bench. Pots and all.", 3,
        (Purpose.FIND_FAULT, Purpose.BATTERY), layout="rear_battery", rated_a=95,
        drops=DemoDrops(63.0, {"rear_ground": 2.6}, ("drop_v:engine_strap", "drop_v:mount", "return_v")),
        book=NEW_FEED,
    ),
    DemoJob(
        "Borough of Tallowmere, winter service", "Osric, nights", "Snow plough 'Old Blade' with salt spreader", VehicleKind.LIGHT_TRUCK, 12,
        "Cranks like treacle below freezing; the loop to the depot needs two tries.", 4,
        layout="rear_battery", rated_a=100, starter=True,
        bench=DemoBench("weak_battery:battery", ("rest", "battery_load", "cranking"), ("cranks",)),
    ),
    DemoJob(
        "Wherrygate Ferry Trust", "boathouse", "Chain ferry 'Patience', two batteries behind an isolator", VehicleKind.BOAT, 12,
        "The lamp battery lags behind the starting one all season. Survey in three weeks.", 19,
        (Purpose.ROUTINE_CHECK,), layout="boat_isolator", rated_a=70,
    ),
    DemoJob(
        "Hillside Climbers' Motor Club", "", "Club hill-climb car, cut-off behind the seat", VehicleKind.COMPETITION, 12,
        "Scrutineer wants to see the engine die at the cut-off. It came to us with the cut-off open.", 6,
        (Purpose.ISOLATE,), layout="competition_car", rated_a=60, changes={"cut_off": {"closed": False}},
    ),
    DemoJob(
        "Reedcutters of the Lower Mere", "", "Reed barge 'Avocet', four house batteries", VehicleKind.BOAT, 12,
        "Conveyor and lamps together pull the bank down by noon. What does the second unit really give?", 11,
        (Purpose.FIND_FAULT, Purpose.MORE_LOAD), loads=(("second conveyor", 34.0),), layout="house_bank_diagonal",
    ),
    DemoJob(
        "Tallowmere Town Band", "Mr Trimble, euphonium", "Band coach trailer, lamps and a heater", VehicleKind.TOW, 12,
        "Five fused leads to make for the trailer's new board; the old ones were bell wire.", 9, (Purpose.MAKE_LEADS,),
    ),
    DemoJob(
        *LIBRARY, "Yearly check before the winter timetable.", -410, (Purpose.ROUTINE_CHECK,), JobState.DONE,
        layout="front_battery", rated_a=90, drops=DemoDrops(81.0),
    ),
    DemoJob(
        *SCOOPS, "Lamp stays dim at the first stop; started once by neighbours.", -160, (Purpose.FIND_FAULT,), JobState.DONE,
        layout="front_battery", rated_a=90, starter=True, drops=DemoDrops(70.0, {"charge_cable": 2.2}),
        bench=DemoBench("none:", ("rest", "regulated")),
    ),
    DemoJob(
        *LIBRARY, "Reversing lamp and a lift for wheelchairs were added over summer: does it still charge?", -35,
        (Purpose.ROUTINE_CHECK,), JobState.DONE, layout="front_battery", rated_a=90, drops=DemoDrops(80.0, {"block_ground": 0.6}),
    ),
)  # fmt: skip


def _circuit(job: DemoJob) -> Circuit:
    document = build_layout(job.layout, job.volts).model_dump(mode="json")
    document["alternators"][0]["rated_a"] = job.rated_a
    for branch in document["branches"]:
        branch.update(job.changes.get(branch["id"], {}))
    circuit = Circuit.model_validate(document)
    return with_starter(circuit) if job.starter else circuit


def _meter_of(point: Point) -> Instrument | None:
    return next((m for m in (DMM, CLAMP, SCOPE) if m.kind == point.meter), None)


def _drop_test(circuit: Circuit, made: DemoDrops, at: datetime) -> RunInput:
    battery = circuit.battery.id
    state = at_output(circuit, made.current_a, loads_on=(), bank_on=battery)
    seen = predict(circuit, state, {b: mohm / 1000 for b, mohm in made.hidden_mohm.items()})
    readings = []
    for point in procedure("charging_drops").points(circuit):
        if point.id.startswith(made.left_out) and made.left_out:
            continue
        if point.red:
            value = seen.node_v[point.red] - seen.node_v[point.black] + made.misread_v.get(point.id, 0.0)
        else:
            value = made.current_a if point.element == circuit.alternator.id else seen.current_a[point.element]
        meter = _meter_of(point)
        shown = as_earned(point.kind, value, meter)
        readings.append(ReadingInput(point=point.id, value=shown, instrument=meter.id if meter else None, at=at))
    return RunInput(
        procedure="charging_drops", readings=tuple(readings), engine_rpm=2000, engine_space_c=40, ambient_c=20, loads_on=(),
        bank_on=battery, measured_at=at,
    )  # fmt: skip


def _bench_runs(circuit: Circuit, bench: DemoBench, at: datetime) -> list[RunInput]:
    """What the stand-in vehicle lets the demo's meters read, rounded as they would show it."""
    hidden = next(h for h in hidden_faults(circuit) if h.causes == (bench.cause,))
    vehicle = HiddenVehicle(circuit, hidden, np.random.default_rng(8))
    runs = []
    if bench.noticed:
        answers = [
            ReadingInput(point=p.id, value=float(p.indicator in bench.noticed), at=at)
            for p in procedure("driver").points(circuit)
        ]
        runs.append(RunInput(procedure="driver", readings=tuple(answers), measured_at=at))
    for name in bench.made:
        points = {p.id: p for p in procedure(name).points(circuit)}
        readings = []
        for point_id, measured in vehicle.read(procedure(name)).items():
            point = points[point_id]
            meter = _meter_of(point)
            shown = as_earned(point.kind, measured.value, meter)
            readings.append(ReadingInput(point=point_id, value=shown, instrument=meter.id if meter else None, at=at))
        runs.append(RunInput(procedure=name, readings=tuple(readings), measured_at=at))
    return runs


REELS_MM: dict[str, tuple[float, ...]] = {
    "CB-10": (18_400,),
    "CB-16": (31_000, 1_850),
    "CB-25": (12_600, 2_400, 960),
    "CB-35": (22_000, 1_700),
    "CB-50": (9_300,),
    "CB-70": (4_100, 820),
}
SHELVES: dict[str, float] = {
    "LG-16-M6": 14, "LG-16-M8": 22, "LG-25-M6": 3, "LG-25-M8": 17, "LG-35-M8": 9, "LG-35-M10": 6, "LG-50-M8": 4, "LG-50-M10": 8,
    "LG-70-M8": 1, "LG-70-M10": 5, "PC-25": 4, "PC-35": 3, "SH-12": 2_600, "SH-18": 3_900, "SH-24": 1_100, "FS-MB-150": 2, "FS-MB-200": 1,
    "FS-S5-150": 3, "FS-S5-200": 2, "FS-BC-10": 12, "FS-BC-20": 9, "RL-130": 1, "SW-300": 1, "TB-12": 1_900, "TB-15": 2_700,
}  # fmt: skip
"""What is there: pieces, millimetres of what is sold by the metre."""


def _fill_shelves(session: Session, who: Who) -> None:
    reels = [Count(number=n, reels_mm=mm) for n, mm in REELS_MM.items()]
    count(session, usual_stock(), [*reels, *(Count(number=n, quantity=q) for n, q in SHELVES.items())], who)


WORKSHOP_MEANS = usual_workshop().model_copy(
    update={
        "bays": (Bay(id="gate", label="Gate bay"), Bay(id="pit", label="Pit bay"), Bay(id="yard", label="Yard")),
        "people": tuple(Worker(id=login, label=name) for login, name, role in PEOPLE if role is not Role.READ_ONLY),
    }
)
UNPLACED = 2
"""So many jobs wait for a place."""


def _lay_out(session: Session, today: date, who: Who) -> None:
    """Bays and people, and most jobs in a place, the soonest promised first."""
    keep_workshop(session, WORKSHOP_MEANS, 0, who)
    seen = scene(session, datetime.combine(today, time(8)))
    laid = Schedule()
    for work in seen.works[:-UNPLACED]:
        laid = with_place(laid, seen, work.job_id)
    keep_schedule(session, laid, 0, who)


def load_demo(session: Session, today: date) -> bool:
    """Fill an empty database with the demo; returns whether it did."""
    if session.scalar(select(Person.id).limit(1)) is not None:
        return False
    # Weeks are simulated in between, on a slow machine for minutes; nobody else uses a database that is being filled.
    session.execute(text("SET LOCAL idle_in_transaction_session_timeout = 0"))
    people = {login: add_person(session, login, name, role, DEMO_PASSWORD) for login, name, role in PEOPLE}
    who = people[DEMO_LOGIN]
    for instrument, days in INSTRUMENTS:
        due = None if days is None else today + timedelta(days=days)
        add_instrument(session, instrument.model_copy(update={"calibration_due": due}), who)
    for instrument_id, address in CONNECTED:
        allow_address(session, instrument_id, address, people["mara"])
    _fill_shelves(session, people["mara"])
    with judged_once(session):
        for job in JOBS:
            _load_job(session, job, today, who)
    _lay_out(session, today, people["mara"])
    return True


def _load_job(session: Session, job: DemoJob, today: date, who: Who) -> None:
    day = today + timedelta(days=min(job.days, 0) - 1)
    at = datetime(day.year, day.month, day.day, 9, 30, tzinfo=UTC)
    details = JobInput(
        customer=Customer(name=job.customer, contact=job.contact),
        vehicle=Vehicle.model_validate({"description": job.vehicle, "kind": job.kind, "system_voltage_v": job.volts}),
        complaint=job.complaint,
        purposes=job.purposes,
        loads_to_add=tuple(AddedLoad(label=label, current_a=amps) for label, amps in job.loads),
        promised=today + timedelta(days=job.days),
        state=job.state,
    )
    # What is done takes nothing more: it is said to be at the end.
    record = create_job(session, details.model_copy(update={"state": JobState.OPEN}), who)
    if job.layout:
        _measure(session, record.id, job, at, who)
    if job.state is not JobState.OPEN:
        change_job(session, record.id, details, get_row(session, record.id).lock, who)


def _measure(session: Session, job_id: int, job: DemoJob, at: datetime, who: Who) -> None:
    circuit = _circuit(job)
    saved = save_circuit(session, job_id, circuit, who, lock=None)
    runs = _bench_runs(circuit, job.bench, at) if job.bench else []
    if job.drops:
        runs.append(_drop_test(circuit, job.drops, at + timedelta(minutes=25)))
    for run in runs:
        save_run(session, job_id, saved.id, run, who)
    if job.plan_a is not None:
        target = SizingTarget(target_current_a=job.plan_a, alternator_label=f"{job.plan_a:g} A alternator")
        keep_plan(session, job_id, target, who)
    if job.book is not None:
        keep_build(session, job_id, job.book, who)
    if job.drive is not None:
        keep_drive(session, job_id, job.drive, who)
    if job.use is not None:
        keep_use(session, job_id, job.use, who)
        made = run_simulation(to_simulate(session, job_id), SimulationRequest(days=3, runs=8), lambda _: None)
        keep_simulation(session, job_id, made, who)
        how = JobWorthRequest(worth=WorthRequest(idle_surplus_a=6), target=starting_target(session, job_id))
        compared = run_comparison(to_compare(session, job_id, how.target), how, lambda _: None)
        keep_comparison(session, job_id, compared, who)

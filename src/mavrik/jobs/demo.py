"""The demo: an invented workshop with invented people, customers and vehicles.

Its readings are what the core predicts for circuits with a hidden fault, rounded as a meter would show them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.layouts import build_layout
from mavrik.core.measurement import DropTest, Instrument, InstrumentKind, Quantity, Reading
from mavrik.core.prediction import OperatingState, predict
from mavrik.core.procedures import ProcedureRun, RunReading, Unit, procedure
from mavrik.core.sizing import SizingTarget
from mavrik.exchange.bundle import AddedLoad, BundleCustomer, BundleVehicle, JobState, VehicleKind
from mavrik.jobs.bench_work import save_run
from mavrik.jobs.equipment import add_instrument
from mavrik.jobs.judging import keep_proposal
from mavrik.jobs.links import allow_address
from mavrik.jobs.people import Role, add_person
from mavrik.jobs.work import JobInput, create_job, save_circuit, save_test
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults
from mavrik.store.models import Person

WORKSHOP = "Fennick Yard Auto Electrics"
DEMO_LOGIN, DEMO_PASSWORD = "tobin", "copper-and-slate"
PEOPLE = (
    ("mara", "Mara Quillfeather", Role.LEAD),
    (DEMO_LOGIN, "Tobin Ashgrove", Role.TECHNICIAN),
    ("ines", "Ines Larkmoor", Role.READ_ONLY),
)
DMM = Instrument(
    id="dmm_1", label="Bench multimeter 1", kind=InstrumentKind.VOLTMETER, percent_of_reading=0.5, digits=2, resolution=0.001
)
CLAMP = Instrument(
    id="clamp_1", label="DC clamp 400 A", kind=InstrumentKind.CLAMP, percent_of_reading=2, digits=3, resolution=0.1
)
SCOPE = Instrument(
    id="scope", label="Bench oscilloscope", kind=InstrumentKind.OSCILLOSCOPE, percent_of_reading=3, digits=2, resolution=0.01
)
INSTRUMENTS = (
    (DMM, 140),
    (CLAMP, 45),
    (
        Instrument(
            id="dmm_2", label="Van multimeter", kind=InstrumentKind.VOLTMETER, percent_of_reading=1.0, digits=5, resolution=0.01
        ),
        -20,
    ),
    (
        Instrument(
            id="tach", label="Optical tachometer", kind=InstrumentKind.TACHOMETER, percent_of_reading=0.1, digits=1, resolution=1
        ),
        None,
    ),
    (
        Instrument(
            id="infrared",
            label="Infrared gun",
            kind=InstrumentKind.THERMOMETER,
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
class DemoTest:
    """How a demo test comes about."""

    current_a: float
    hidden_mohm: Mapping[str, float] = field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    misread_v: Mapping[str, float] = field(default_factory=dict)
    """Added to a side's reading, as by a slipped probe."""


@dataclass(frozen=True)
class DemoBench:
    """Bench tests read off the stand-in vehicle with a fault hidden in it."""

    vehicle: str
    cause: str
    made: tuple[str, ...]


@dataclass(frozen=True)
class DemoJob:
    """One invented job."""

    customer: str
    contact: str
    vehicle: str
    kind: VehicleKind
    volts: int
    complaint: str
    promised_in_days: int
    state: JobState = JobState.OPEN
    loads: tuple[tuple[str, float], ...] = ()
    layout: str = ""
    changes: Mapping[str, Mapping[str, object]] = field(default_factory=dict)
    removed: Mapping[str, str] = field(default_factory=dict)
    """Branches that are not fitted, with the node that takes the place of theirs."""
    rated_a: float = 90
    test: DemoTest | None = None
    proposal_a: float | None = None
    bench: DemoBench | None = None


JOBS = (
    DemoJob(
        "Saltmarsh Parcels", "depot desk, ext. 4", "Brindle Carrier van, 2.0 diesel, 2017, white, no. 31", VehicleKind.VAN, 12,
        "Third alternator in two years. Battery lamp glows at idle after rain; slow cranking on Mondays.", 1,
        layout="front_battery", changes={"block_ground": {"to_end": {"kind": "crimp", "condition": "corroded"}}},
        test=DemoTest(74.0, {"block_ground": 3.4, "body_ground": 2.6}),
    ),
    DemoJob(
        "Ottoline Birch", "after six", "Tarnhawk 6 camper on a Brindle chassis, 2012", VehicleKind.CAMPER, 12,
        "Adding a fridge, roof fans and a house battery charger; wants to idle through a night without a flat battery.", 6,
        JobState.WAITING, (("compressor fridge", 6.5), ("roof fans", 8.0), ("house battery charger", 50.0)),
        "front_battery", test=DemoTest(68.0), proposal_a=155,
    ),
    DemoJob(
        "Perrin Oakhollow", "", "Corvane Tourer estate, battery moved to the boot", VehicleKind.CAR, 12,
        "Never quite charges since the battery went into the boot. 13.4 V at the posts on the road.", 2,
        layout="rear_battery", test=DemoTest(61.0, {"rear_ground": 2.1}, left_out=("engine_strap", "mount")),
    ),
    DemoJob(
        "Gravelpit Haulage", "yard office", "Quarrion 18 t lorry, 24 V, two batteries", VehicleKind.LIGHT_TRUCK, 24,
        "Eats a battery pair each winter. Fleet wants to know whether it is the alternator.", 3,
        layout="parallel_batteries", rated_a=80, test=DemoTest(66.0, {"charge_fuse": 0.9}, misread_v={"feed": 0.11}),
    ),
    DemoJob(
        "Selkie Boat Share", "berth 14", "Selkie 28 launch, single diesel", VehicleKind.BOAT, 12,
        "A 250 A unit went in last spring on the old cable. The cable is warm to the hand.", 9,
        layout="front_battery", rated_a=250,
        changes={"charge_cable": {"size": "4 AWG", "length_m": 2.1}, "battery_lead": {"size": "4 AWG"}, "block_ground": {"size": "2 AWG"}},
        removed={"charge_fuse": "fuse_out"},
    ),
    DemoJob(
        "Hedgerow Recovery", "", "Wexel 4x4 pick-up, winch bumper", VehicleKind.LIGHT_TRUCK, 12,
        "Winch, light bar and fridge to be fitted. Asks what the charging circuit will stand.", 12,
        loads=(("light bar", 18.0), ("fridge", 5.0)),
    ),
    DemoJob(
        "Marrow & Daughter Racing", "", "Kestrelle 1600 competition car", VehicleKind.COMPETITION, 12,
        "Pre-season check of the charging circuit after the loom was remade.", -4, JobState.DONE,
        layout="front_battery", rated_a=70, test=DemoTest(66.0),
    ),
    DemoJob(
        "Osier Canal Trips", "", "Heron 40 narrowboat, house bank of four", VehicleKind.BOAT, 12,
        "Inverter drops out in the evening; wants to know what the second alternator really gives.", 14, JobState.OPEN,
        layout="house_bank_diagonal", rated_a=90,
    ),
    DemoJob(
        "Cob Lane Taxis", "night desk", "Petrel 5 estate, taxi", VehicleKind.CAR, 12,
        "Lamp flickers at idle on wet nights, second battery in a year. Idles at the rank for hours.", 1,
        bench=DemoBench("front", "belt_slips:alternator", ("rest", "key_on", "regulated")),
    ),
)  # fmt: skip


def _circuit(job: DemoJob) -> Circuit:
    document = build_layout(job.layout, job.volts).model_dump(mode="json")
    document["alternators"][0]["rated_a"] = job.rated_a
    for branch in document["branches"]:
        branch.update(job.changes.get(branch["id"], {}))
    for branch_id, gone in job.removed.items():
        branch = next(b for b in document["branches"] if b["id"] == branch_id)
        document["branches"].remove(branch)
        document["nodes"] = [n for n in document["nodes"] if n["id"] != gone]
        stays = branch["from_node"] if branch["to_node"] == gone else branch["to_node"]
        for other in document["branches"]:
            for end in ("from_node", "to_node"):
                if other[end] == gone:
                    other[end] = stays
    return Circuit.model_validate(document)


def _test(circuit: Circuit, made: DemoTest, who: str, at: datetime) -> DropTest:
    state = OperatingState(made.current_a, circuit.alternator.set_point_v)
    seen = predict(circuit, state, {b: mohm / 1000 for b, mohm in made.hidden_mohm.items()})
    ring = seen.ring
    alternator, battery = circuit.alternator, circuit.battery

    def between(red: str, black: str, quantity: Quantity, branch_id: str | None = None, slip_v: float = 0.0) -> Reading:
        volts = round(seen.node_v[red] - seen.node_v[black] + slip_v, 3)
        return Reading(quantity=quantity, branch_id=branch_id, value=volts, red_node=red, black_node=black)

    readings = [
        between(alternator.stud_node, alternator.case_node, Quantity.STUD_VOLTAGE),
        between(battery.positive_node, battery.negative_node, Quantity.BATTERY_VOLTAGE),
        between(alternator.stud_node, battery.positive_node, Quantity.FEED_DROP, None, made.misread_v.get("feed", 0.0)),
        between(battery.negative_node, alternator.case_node, Quantity.RETURN_DROP),
    ]
    for branch_ids, nodes in ((ring.feed, ring.feed_nodes), (ring.home, ring.home_nodes)):
        readings += [
            between(red, black, Quantity.BRANCH_DROP, branch_id)
            for branch_id, red, black in zip(branch_ids, nodes, nodes[1:], strict=False)
            if branch_id not in made.left_out
        ]
    return DropTest(
        output_current_a=made.current_a,
        engine_speed_rpm=2000,
        voltmeter=DMM,
        clamp=CLAMP,
        readings=tuple(readings),
        measured_by=who,
        measured_at=at,
    )


def _bench_runs(circuit: Circuit, bench: DemoBench, who: str) -> list[ProcedureRun]:
    """What the stand-in vehicle lets the demo's meters read, rounded as they would show it."""
    hidden = next(h for h in hidden_faults(circuit) if h.causes == (bench.cause,))
    vehicle = HiddenVehicle(circuit, hidden, np.random.default_rng(8))
    runs = []
    for name in bench.made:
        asks = {a.id: a for a in procedure(name).asks(circuit)}
        meters = {m.kind: m for m in (DMM, CLAMP, SCOPE)}
        readings = tuple(
            RunReading(
                ask=ask,
                value=round(taken.value, 1 if asks[ask].unit is Unit.AMPERE else 2),
                instrument=meters[kind].id if (kind := asks[ask].meter) in meters else None,
            )
            for ask, taken in vehicle.read(procedure(name)).items()
        )
        runs.append(ProcedureRun(procedure=name, readings=readings, instruments=tuple(meters.values()), measured_by=who))
    return runs


def load_demo(session: Session, today: date) -> bool:
    """Fill an empty database with the demo; returns whether it did."""
    if session.scalar(select(Person.id).limit(1)) is not None:
        return False
    people = {login: add_person(session, login, name, role, DEMO_PASSWORD) for login, name, role in PEOPLE}
    who = people[DEMO_LOGIN]
    for instrument, days in INSTRUMENTS:
        due = None if days is None else today + timedelta(days=days)
        add_instrument(session, instrument.model_copy(update={"calibration_due": due}), who)
    for instrument_id, address in CONNECTED:
        allow_address(session, instrument_id, address, people["mara"])
    measured_at = datetime(today.year, today.month, today.day, 9, 30, tzinfo=UTC) - timedelta(days=1)
    for job in JOBS:
        record = create_job(
            session,
            JobInput(
                customer=BundleCustomer(name=job.customer, contact=job.contact),
                vehicle=BundleVehicle.model_validate(
                    {"description": job.vehicle, "kind": job.kind, "system_voltage_v": job.volts}
                ),
                complaint=job.complaint,
                loads_to_add=tuple(AddedLoad(label=label, current_a=amps) for label, amps in job.loads),
                promised=today + timedelta(days=job.promised_in_days),
                state=job.state,
            ),
            who,
        )
        if not (job.layout or job.bench):
            continue
        circuit = VEHICLES[job.bench.vehicle] if job.bench else _circuit(job)
        saved = save_circuit(session, record.id, circuit, who, lock=None)
        if job.test is not None:
            save_test(session, record.id, saved.id, _test(circuit, job.test, who.name, measured_at), who)
        if job.bench is not None:
            for run in _bench_runs(circuit, job.bench, who.name):
                save_run(session, record.id, saved.id, run, who)
        if job.proposal_a is not None:
            target = SizingTarget(target_current_a=job.proposal_a, alternator_label=f"{job.proposal_a:g} A alternator")
            keep_proposal(session, record.id, target, who)
    return True

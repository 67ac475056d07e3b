"""One of each kind of part is added to a copy of the sources, as one file, and comes up everywhere."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from mavrik.core.procedures.base import Procedure
from mavrik.core.registry import parts_of

ROOT = Path(__file__).resolve().parents[2]

NEW = {
    "core/circuit/branches/busbar.py": """
from typing import ClassVar, Literal
from mavrik.core.circuit.branches.contacts import ContactBranch

class BusbarBranch(ContactBranch):
    place_in_list: ClassVar[int | None] = 155
    title: ClassVar[str] = "Busbar"
    blank_label: ClassVar[str] = "New busbar"
    blank_values: ClassVar = {"resistance_mohm": 0.05}
    kind: Literal["busbar"] = "busbar"
""",
    "core/measuring/quantities/humidity.py": """
from mavrik.core.measuring.quantities.base import Quantity

HUMIDITY = Quantity(200, "humidity", "Humidity", "%", "%", meter="hygrometer", least=0.0)
""",
    "core/measuring/meters/hygrometer.py": """
from mavrik.core.measuring.meters.base import MeterKind

HYGROMETER = MeterKind(200, "hygrometer", "Hygrometer", "%", ((50.0, "%", 1.0),))
""",
    "core/procedures/bench/damp.py": """
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Point, Procedure

DAMP = Procedure(
    999, "damp", "Damp", "Rain gets in.", 1, "off", (), (BenchStep("Look."),),
    lambda circuit: (Point("damp", "Air in the box", "humidity", BenchState.REST, own_rule=True),),
)
""",
    "core/protection/checks/age.py": """
from mavrik.core.protection.checks.base import Answer, Check, Subject
from mavrik.core.protection.documents import Outcome, ProtectionCheck, Severity

AGE = Check(
    99, "age", Subject.PROTECTOR,
    lambda case, branch: [Answer(ProtectionCheck("age", Outcome.WATCH, "Old.", "Young", "Nobody"), "old_fuse", "Old", Severity.NOTE)],
)
""",
    "exchange/files/labels.py": """
from mavrik.exchange.files.base import JobFile

LABELS = JobFile(99, "labels.txt", "Labels", "-labels.txt", "text/plain", lambda bundle, printing: b"labels")
""",
    "exchange/captures/morse.py": """
from mavrik.exchange.captures.base import CaptureError, CaptureFormat

def read(path, options, progress):
    raise CaptureError("Morse is not for volts.")

MORSE = CaptureFormat(50, "morse", lambda start: start.startswith(b".-"), read)
""",
    "core/workflow/stages/paint.py": """
from mavrik.core.workflow.stages.base import JobFacts, Stage, StageState, Standing

PAINT = Stage(75, "paint", "Paint", lambda facts: False, lambda facts: Standing(StageState.OPEN, "paint"))
""",
    "instruments/kinds/hygrometer.py": """
from mavrik.instruments.kinds.base import Client

HYGROMETER = Client("hygrometer", "MEAS:HUM?")
""",
    "standin/meters/hygrometer.py": """
from mavrik.standin.meters.base import SimulatedMeter

HYGROMETER = SimulatedMeter(200, "hygrometer", "MEAS:HUM?", 100.0, lambda hands: 55.0)
""",
    "jobs/tasks/kinds/weigh.py": """
from mavrik.core.document import Document
from mavrik.jobs.tasks import TaskKind

WEIGH = TaskKind("weigh", Document, lambda work, asked: None)
""",
    "core/planning/changes/charm.py": """
from mavrik.core.planning.changes.base import Change, ChangeKind

CHARM = ChangeKind(99, "charm", "Charm", lambda situation: [Change("charm:rabbit", "charm", "A charm", "It cannot hurt.", lambda scheme: scheme)])
""",
    "core/planning/guided/tow_bar.py": """
from mavrik.core.planning.guided.base import Changed, Guide, number

TOW_BAR = Guide(
    99, "tow_bar", "Fit a tow bar", "To tow.", lambda circuit: "", lambda circuit: (number("length_m", "Length", "m", 0, 9, 3.0),),
    lambda circuit, answers: Changed(circuit, (f"{answers['length_m']} m of it.",)),
)
""",
    "core/isolation/rules/lucky.py": """
from mavrik.core.isolation.rules.base import Rule, met

LUCKY = Rule(999, "lucky", "Lucky", lambda case: met(f"{len(case.controls)} of luck."))
""",
    "core/isolation/topologies/spanner.py": """
from mavrik.core.isolation.topologies.base import Isolated, Topology, usual_switching

SPANNER = Topology(99, "spanner", "A spanner", "Take the lead off.", lambda circuit: Isolated(*usual_switching(circuit)[:2], ("The lead, by hand.",)))
""",
    "web/areas/weather.py": """
from flask_openapi3.blueprint import APIBlueprint
from mavrik.web.access import PUBLIC, needs

api = APIBlueprint("weather", __name__, url_prefix="/api")

@api.get("/weather", summary="Weather")
@needs(PUBLIC)
def get_weather():
    return {"rain": True}
""",
}

ASK = """
import json
from mavrik.core.circuit import Circuit, blank_branches
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings import judge
from mavrik.core.measuring.instruments import Instrument
from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.procedures import PROCEDURES, check_run, complete_run
from mavrik.core.workflow.progress import progress
from mavrik.core.workflow.stages import JobFacts
from mavrik.instruments.kinds import CLIENTS
from mavrik.core.protection.review import review_protection
from mavrik.exchange.captures import CAPTURE_FORMATS
from mavrik.jobs.catalogue import catalogue
from mavrik.jobs.tasks.running import kind_of
from mavrik.store.models import Task
from mavrik.standin.meters import METERS
from mavrik.web.app import create_app
from mavrik.web.settings import Settings

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.catalogue.units import UnitList
from mavrik.core.planning.changes import Situation
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.rules import RULES
from mavrik.core.isolation.topologies import topology_of, usual_switching
from mavrik.core.planning.guided import guided
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.planning.use import usual_use
from mavrik.core.planning.worth import WorthRequest, worth

car = build_layout("front_battery", 12)
at = Situation(car, usual_use(car), None, SizingTarget(target_current_a=90), UnitList(), usual_prices())
document = build_layout("front_battery", 12).model_dump(mode="json")
document["branches"] = [
    {"kind": "busbar", "id": b["id"], "label": "Bar", "from_node": b["from_node"], "to_node": b["to_node"]} if b["id"] == "mount" else b
    for b in document["branches"]
]
circuit = Circuit.model_validate(document)
meter = Instrument(id="h", label="H", kind="hygrometer", percent_of_reading=1, digits=1, resolution=0.1)
run = Run(procedure="damp", readings=(Reading(point="damp", value=55.0, instrument="h"),), instruments=(meter,))
assert not check_run(circuit, run), check_run(circuit, run)
found = judge(circuit, [complete_run(circuit, run)])
app = create_app(Settings(database_url="postgresql://nowhere/none"))
print(json.dumps({
    "blank": [b.kind for b in blank_branches()],
    "part": next(b.kind for b in found.branches if b.branch_id == "mount"),
    "quantity": "humidity" in QUANTITIES,
    "test": [(t.title, t.readings[0].shown_unit) for t in found.tests],
    "check": [f.code for f in found.parts if f.code == "old_fuse"],
    "review": "age" in [c.name for c in review_protection(circuit).protectors[0].checks],
    "file": "labels.txt" in [f.name for f in catalogue().files],
    "capture": [f.name for f in CAPTURE_FORMATS],
    "stage": [s.stage for s in progress(JobFacts(frozenset())).stages],
    "client": "hygrometer" in CLIENTS,
    "standin": "hygrometer" in METERS,
    "task": kind_of(Task(kind="weigh")).name,
    "change": next(w.cost for w in worth(at, WorthRequest()).singles if w.id == "charm:rabbit"),
    "guide": guided(car, "tow_bar", {}).to_do,
    "way": topology_of("spanner").build(car).moves,
    "rule": RULES["lucky"].ask(Case(*usual_switching(car)[:2])).words,
    "route": app.test_client().get("/api/weather").json,
}))
"""


def test_one_file_adds_a_part_of_any_kind(tmp_path: Path) -> None:
    source = tmp_path / "src" / "mavrik"
    shutil.copytree(ROOT / "src" / "mavrik", source, ignore=shutil.ignore_patterns("__pycache__", "app"))
    for name, text in NEW.items():
        (source / name).write_text(text.lstrip(), encoding="utf-8")
    environment = {**os.environ, "PYTHONPATH": str(tmp_path / "src")}
    done = subprocess.run([sys.executable, "-c", ASK], capture_output=True, text=True, check=False, env=environment, cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    answer = json.loads(done.stdout)
    assert "busbar" in answer["blank"] and answer["part"] == "busbar"
    assert answer["quantity"] and answer["client"] and answer["standin"] and "paint" in answer["stage"]
    assert answer["task"] == "weigh"
    assert answer["way"] == ["The lead, by hand."] and answer["rule"] == "0 of luck."
    assert answer["change"] == 0.0 and answer["guide"] == ["3.0 m of it."]
    assert answer["check"] == ["old_fuse"] and answer["review"] and answer["file"]
    # The format that takes everything stays the last one asked.
    assert "morse" in answer["capture"][:-1]
    assert answer["test"] == [["Damp", "%"]] and answer["route"] == {"rain": True}


def test_two_parts_in_one_place_are_refused() -> None:
    with pytest.raises(ValueError, match="same place"):
        parts_of("mavrik.core.procedures.bench", Procedure, lambda p: 1)

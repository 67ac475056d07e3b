"""Captures over the API: read in the background, seen from afar and near, judged, stopped, and closed to others."""

from __future__ import annotations

import base64
import io
import json
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from pyarrow import parquet
from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.domain.roles import Who
from mavrik.exchange.captures import CaptureOptions
from mavrik.exchange.files import job_file
from mavrik.jobs import captures, carrying
from mavrik.jobs.people import Role
from mavrik.standin.vehicle import VEHICLES
from mavrik.store.database import Database
from mavrik.store.models import Person
from tests.api.conftest import Caller, begin_tasks, do_tasks, job_body
from tests.build import simple_document
from tests.reference.test_waveform import CASES, PAIR_HZ, RATE, cranked
from tests.standin import meters_on


@pytest.fixture
def job(tech: Caller) -> int:
    made: Any = tech.post("/api/jobs", job_body(complaint="Ripple")).json
    return int(made["id"])


def table(volts: Any, interval: float) -> bytes:
    """A capture as a table with a heading."""
    rows = (f"{k * interval:.9g},{v:.5f}" for k, v in enumerate(volts))
    return ("Time (s),Stud (V)\n" + "\n".join(rows) + "\n").encode()


def settled(caller: Caller, job: int, capture_id: int) -> dict[str, Any]:
    """A capture once it is read or refused."""
    do_tasks(caller)
    capture = next(c for c in caller.get(f"/api/jobs/{job}/captures").json["captures"] if c["id"] == capture_id)  # type: ignore[index]
    assert capture["state"] != "reading"
    return dict(capture)


def load(caller: Caller, job: int, raw: bytes, query: str = "name=ripple.csv") -> dict[str, Any]:
    """Load a file and wait until it is read or refused."""
    begun = caller.client.post(
        f"/api/jobs/{job}/captures?{query}",
        data=raw,
        content_type="application/octet-stream",
        headers={"X-CSRFToken": caller.token},
    )
    assert begun.status_code == 202, begun.text
    return settled(caller, job, begun.json["id"])  # type: ignore[index]


@pytest.mark.long
def test_a_capture_is_read_drawn_and_judged(tech: Caller, job: int) -> None:
    """A diode is open; a spike of one sample lies among 250 000."""
    volts = np.tile(CASES["upper diode open"][0], 5) + 13
    volts[123_456] = 40.0
    capture = load(tech, job, table(volts, 1 / RATE))
    assert (capture["state"], capture["samples"], capture["channel"]) == ("ready", 250_000, "Stud (V)")
    at = f"/api/jobs/{job}/captures/{capture['id']}"
    far: Any = tech.get(f"{at}/view?points=200").json
    assert len(far["most_v"]) == 200 and max(far["most_v"]) == pytest.approx(40) and far["to_s"] == pytest.approx(5)
    spike = 123_456 / RATE
    near: Any = tech.get(f"{at}/view?from_s={spike - 0.0005}&to_s={spike + 0.0005}&points=400").json
    assert len(near["most_v"]) < 60 and near["least_v"] == near["most_v"] and max(near["most_v"]) == pytest.approx(40)
    answer: Any = tech.get(f"{at}/ripple?engine_rpm={PAIR_HZ * 60 / 6 / 2.4}&pulley_ratio=2.4&pole_pairs=6").json
    assert (
        answer["pulses"] == "diode"
        and "diode" in answer["words"]
        and len(answer["frequency_hz"]) == len(answer["amplitude_v"]) > 100
    )
    table_out = parquet.read_table(io.BytesIO(tech.get(f"{at}/samples.parquet").data))
    assert table_out["volts"].to_numpy() == pytest.approx(volts, abs=1e-5)
    assert float(table_out.schema.metadata[b"interval_s"]) == pytest.approx(1 / RATE)


def test_a_capture_may_be_larger_than_any_other_body(tech: Caller, job: int) -> None:
    raw = table(np.tile(cranked(1000.0), 70), 1e-3)
    assert len(raw) > 5_500_000
    assert load(tech, job, raw)["state"] == "ready"
    assert tech.post("/api/solve", raw=raw).status_code == 413


def test_a_cranking_capture_says_how_far_the_battery_fell(tech: Caller, job: int) -> None:
    capture = load(tech, job, table(cranked(1000.0), 1e-3))
    at = f"/api/jobs/{job}/captures/{capture['id']}"
    cranking_view: Any = tech.get(f"{at}/cranking").json
    assert cranking_view["least_v"] == pytest.approx(9.4, abs=0.02) and cranking_view["onset_s"] == pytest.approx(0.5, abs=0.05)
    refused = load(tech, job, table(np.full(20_000, 12.6), 1e-4))
    answer = tech.get(f"/api/jobs/{job}/captures/{refused['id']}/cranking")
    assert answer.status_code == 422 and "never falls" in answer.json["problems"][0]["message"]  # type: ignore[index]


def test_a_file_that_is_no_capture_says_why_and_harms_nothing(tech: Caller, job: int) -> None:
    for raw, word in (
        (b"hello\nworld\n", "no table"),
        (b"PK\x03\x04junk", "no session"),
        (b"RIFF\x10\x00\x00\x00WAVEjunk", "largest number"),
    ):
        capture = load(tech, job, raw)
        assert capture["state"] == "failed" and word in capture["problem"]
        assert tech.get(f"/api/jobs/{job}/captures/{capture['id']}/view").status_code == 422
    empty = tech.client.post(
        f"/api/jobs/{job}/captures", data=b"", content_type="application/octet-stream", headers={"X-CSRFToken": tech.token}
    )
    assert empty.status_code == 422
    assert load(tech, job, b"hello\n" * 50)["state"] == "failed"


def technician(session: Session) -> Who:
    """The account the tests work under, whatever number this worker's database gave it."""
    row = session.scalars(select(Person).where(Person.login == "tech")).one()
    return Who(row.id, row.login, row.name, Role(row.role))


def test_deleting_a_capture_before_it_is_read_takes_it_out_of_the_queue(
    tech: Caller, job: int, database_url: str, tmp_path: Path
) -> None:
    """And its file off the disk."""
    database = Database(database_url)
    path = tmp_path / "held.csv"
    path.write_bytes(table(np.full(3_000, 14.2), 1e-5))
    with database.session() as session:
        begun = captures.read_later(session, job, "held.csv", str(path), CaptureOptions(), technician(session))
    assert tech.client.delete(f"/api/jobs/{job}/captures/{begun.id}", headers={"X-CSRFToken": tech.token}).status_code == 204
    assert not path.exists()
    do_tasks(tech)
    assert tech.get(f"/api/jobs/{job}/captures").json == {"captures": []}
    (task,) = [t for t in tech.get("/api/tasks").json["tasks"] if t["job_id"] == job]  # type: ignore[index]
    assert task["state"] == "cancelled"
    database.dispose()


def test_others_cannot_reach_a_capture(tech: Caller, reader: Caller, job: int) -> None:
    capture = load(tech, job, table(cranked(1000.0), 1e-3))
    at = f"/api/jobs/{job}/captures/{capture['id']}"
    assert reader.get(f"{at}/view").status_code == 200
    refused = reader.client.post(
        f"/api/jobs/{job}/captures", data=b"x", content_type="application/octet-stream", headers={"X-CSRFToken": reader.token}
    )
    assert refused.status_code == 403
    assert reader.client.delete(at, headers={"X-CSRFToken": reader.token}).status_code == 403
    forged = tech.client.post(f"/api/jobs/{job}/captures", data=b"x", content_type="application/octet-stream")
    assert forged.status_code == 400
    other: Any = tech.post("/api/jobs", job_body(complaint="Another")).json
    assert tech.get(f"/api/jobs/{other['id']}/captures/{capture['id']}/view").status_code == 404
    tech.client.delete(at, headers={"X-CSRFToken": tech.token})
    assert tech.get(f"{at}/view").status_code == 404


def test_readings_as_parquet_hold_what_the_csv_holds(tech: Caller, job: int) -> None:
    empty = parquet.read_table(io.BytesIO(tech.get(f"/api/jobs/{job}/readings.parquet").data))
    assert empty.num_rows == 0 and empty.schema.field("value").type == "double"


def test_nobody_reaches_captures_signed_out(stranger: Caller) -> None:
    assert stranger.get("/api/jobs/1/captures").status_code == 401
    assert stranger.get("/api/jobs/1/captures/1/samples.parquet").status_code == 401


def import_of(caller: Caller, bundle: bytes) -> tuple[int, dict[str, Any]]:
    """The job made of a bundle, and its only capture."""
    made: Any = caller.post("/api/jobs/import", raw=bundle)
    assert made.status_code == 201, made.text
    (carried,) = caller.get(f"/api/jobs/{made.json['id']}/captures").json["captures"]  # type: ignore[index]
    return int(made.json["id"]), dict(carried)


def test_a_capture_goes_with_the_job_and_onto_the_sheet(tech: Caller, job: int) -> None:
    """Samples and all: in the new place it answers as it did in the old."""
    document = simple_document()
    assert tech.put(f"/api/jobs/{job}/circuit", {"document": document, "lock": None}).status_code == 200
    capture = load(tech, job, table(np.tile(cranked(1000.0), 4), 1e-3), "name=start%3Cb%3E.csv")
    bundle = tech.get(f"/api/jobs/{job}/bundle").data
    sheet = tech.get(f"/api/jobs/{job}/sheet").text
    assert "Captured waveforms" in sheet and "24,000 samples" in sheet and "start&lt;b&gt;.csv" in sheet and "9.40 V" in sheet
    there, carried = import_of(tech, bundle)
    assert (carried["samples"], carried["state"], carried["made_by"]) == (capture["samples"], "ready", "Tech")
    for view in ("view?points=300", "cranking", "view?from_s=1&to_s=1.01&points=300"):
        here = tech.get(f"/api/jobs/{job}/captures/{capture['id']}/{view}").json
        assert tech.get(f"/api/jobs/{there}/captures/{carried['id']}/{view}").json == here


def test_a_capture_too_large_to_travel_goes_as_its_picture(tech: Caller, job: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Asked for ripple in the new place, it says that the samples stayed behind."""
    capture = load(tech, job, table(np.tile(cranked(1000.0), 4), 1e-3))
    small = replace(job_file("bundle"), sample_bytes=2_000)
    monkeypatch.setattr(carrying, "job_file", lambda name: small)
    there, carried = import_of(tech, tech.get(f"/api/jobs/{job}/bundle").data)
    assert carried["samples"] == capture["samples"]
    far: Any = tech.get(f"/api/jobs/{there}/captures/{carried['id']}/view?points=300").json
    here: Any = tech.get(f"/api/jobs/{job}/captures/{capture['id']}/view?points=300").json
    assert min(far["least_v"]) == pytest.approx(min(here["least_v"])) and far["to_s"] == pytest.approx(here["to_s"])
    refused = tech.get(f"/api/jobs/{there}/captures/{carried['id']}/ripple")
    assert refused.status_code == 422 and "where it was loaded" in refused.json["detail"]  # type: ignore[index]


def test_samples_of_a_bundle_that_are_none_are_refused_and_nothing_is_kept(tech: Caller, job: int) -> None:
    load(tech, job, table(cranked(1000.0), 1e-3))
    bundle = json.loads(tech.get(f"/api/jobs/{job}/bundle").data)
    before = tech.get("/api/jobs").json
    capture = bundle["captures"][0]
    other = io.BytesIO()
    parquet.write_table(pa.table({"volts": ["a"] * capture["samples"]}), other)
    sound = base64.urlsafe_b64decode(capture["samples_parquet"])
    for data in (b"PAR1 nothing PAR1", b"", sound[:-40], other.getvalue()):
        capture["samples_parquet"] = base64.urlsafe_b64encode(data).decode()
        refused: Any = tech.post("/api/jobs/import", raw=json.dumps(bundle).encode())
        assert refused.status_code == 422 and refused.json["problems"][0]["element"] == "captures", refused.text
    capture["samples_parquet"], capture["samples"] = base64.urlsafe_b64encode(sound).decode(), 7
    assert tech.post("/api/jobs/import", raw=json.dumps(bundle).encode()).status_code == 422
    assert tech.get("/api/jobs").json == before


def test_a_job_keeps_only_so_many_captures(tech: Caller, job: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(captures.records, "MOST_CAPTURES", 1)
    assert load(tech, job, table(cranked(1000.0), 1e-3))["state"] == "ready"
    refused = tech.client.post(
        f"/api/jobs/{job}/captures", data=b"1\n2\n", content_type="application/octet-stream", headers={"X-CSRFToken": tech.token}
    )
    assert refused.status_code == 422 and "delete one first" in refused.json["detail"]  # type: ignore[index]


@pytest.mark.parametrize("query", ["factor=0", "interval_s=-1", "full_scale_v=1e9", "name=" + "x" * 200])
def test_impossible_particulars_of_a_file_are_refused(tech: Caller, job: int, query: str) -> None:
    answer = tech.client.post(
        f"/api/jobs/{job}/captures?{query}",
        data=b"1\n2\n",
        content_type="application/octet-stream",
        headers={"X-CSRFToken": tech.token},
    )
    assert answer.status_code == 422
    assert tech.get(f"/api/jobs/{job}/captures").json == {"captures": []}


@pytest.fixture
def scope(boss: Caller) -> Iterator[str]:
    """A connected oscilloscope on a car that has lost a phase."""
    with meters_on("phase_lost:alternator") as servers:
        assert boss.put("/api/instruments/scope/address", {"address": servers["oscilloscope"].address}).status_code == 200
        yield "scope"
        boss.put("/api/instruments/scope/address", {"address": None})


def test_a_connected_oscilloscope_captures_and_the_lost_phase_is_told(tech: Caller, job: int, scope: str) -> None:
    begun: Any = tech.post(f"/api/jobs/{job}/captures/fetched", {"instrument": scope, "seconds": 0.2, "state": "fast_loaded"})
    assert begun.status_code == 202, begun.text
    capture = settled(tech, job, begun.json["id"])
    assert (capture["state"], capture["name"], capture["samples"]) == ("ready", "Bench oscilloscope, 0.2 s", 10_000)
    at = f"/api/jobs/{job}/captures/{capture['id']}/ripple?engine_rpm=2000&pulley_ratio={VEHICLES['front'].alternator.pulley_ratio}"
    assert tech.get(at).json["pulses"] == "phase"  # type: ignore[index]


def test_what_cannot_capture_is_refused_and_a_lost_scope_is_said(
    tech: Caller, reader: Caller, boss: Caller, job: int, scope: str
) -> None:
    at = f"/api/jobs/{job}/captures/fetched"
    assert reader.post(at, {"instrument": scope, "seconds": 1}).status_code == 403
    for body in (
        {"instrument": scope, "seconds": 0},
        {"instrument": scope, "seconds": 3600},
        {"instrument": scope, "seconds": 1, "red": "a;b"},
    ):
        assert tech.post(at, body).status_code == 422
    assert tech.post(at, {"instrument": "dmm", "seconds": 1}).status_code == 404  # not connected
    with meters_on("none:") as servers:
        assert boss.put("/api/instruments/dmm/address", {"address": servers["multimeter"].address}).status_code == 200
        refused: Any = tech.post(at, {"instrument": "dmm", "seconds": 1})
        assert refused.status_code == 422 and "no oscilloscope" in refused.json["detail"]
        boss.put("/api/instruments/dmm/address", {"address": None})
        boss.put("/api/instruments/scope/address", {"address": servers["oscilloscope"].address})
        servers["oscilloscope"].unplugged.set()
        begun: Any = tech.post(at, {"instrument": scope, "seconds": 0.2})
        capture = settled(tech, job, begun.json["id"])
    assert capture["state"] == "failed" and "Typed readings go on" in capture["problem"]


def test_a_capture_by_an_oscilloscope_is_stopped_by_deleting_it(tech: Caller, job: int, scope: str, database_url: str) -> None:
    begun: Any = tech.post(f"/api/jobs/{job}/captures/fetched", {"instrument": scope, "seconds": 30})
    at = f"/api/jobs/{job}/captures/{begun.json['id']}"
    worker = begin_tasks(database_url)
    while not any(t["state"] == "running" for t in tech.get("/api/tasks").json["tasks"]):  # type: ignore[index]
        time.sleep(0.05)
    assert tech.client.delete(at, headers={"X-CSRFToken": tech.token}).status_code == 204
    worker.join(60)
    assert not worker.is_alive(), "it goes on capturing for nobody"

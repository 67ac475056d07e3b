"""Bench tests over the API: kept for good, judged, repeated, carried, and added up to a cause."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import numpy as np
import pytest

from mavrik.core.operating.prediction import at_output, predict
from mavrik.core.procedures import PROCEDURES
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults
from tests.api.conftest import Caller, describe, drops, findings, job_body, keep
from tests.api.conftest import run_body as run
from tests.standin import CONNECTED, REGISTERED, every_case, meters_on, read_by_meters


@pytest.fixture
def vehicle_job(tech: Caller) -> dict[str, Any]:
    """A job with the invented car that has a starter and a load."""
    made: Any = tech.post("/api/jobs", job_body(complaint="Eats batteries")).json
    document = VEHICLES["front"].model_dump(mode="json")
    assert tech.put(f"/api/jobs/{made['id']}/circuit", {"document": document, "lock": None}).status_code == 200
    job: Any = tech.get(f"/api/jobs/{made['id']}").json
    return job


def test_a_hidden_fault_is_found_through_the_api(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    """Always the test that tells most, read off a vehicle that hides a corroded engine ground, until it is as good as sure."""
    car = VEHICLES["front"]
    hidden = next(h for h in hidden_faults(car) if h.causes == ("resistance:block_ground",))
    bench = HiddenVehicle(car, hidden, np.random.default_rng(4))
    made = 0
    while (judgement := findings(tech, vehicle_job))["causes"][0]["probability"] < 0.9 or not made:
        following = judgement["next_tests"][0]["procedure"]
        seen = {a: t.value for a, t in bench.read(next(p for p in PROCEDURES if p.name == following)).items()}
        more = bench.conditions if following == "charging_drops" else {}
        assert keep(tech, vehicle_job, run(following, seen, **more)).status_code == 201
        made += 1
        assert made < 6
    best = judgement["causes"][0]
    assert best["cause"] == "resistance:block_ground" and best["evidence"] and "Clean both ends" in best["advice"]


def test_the_end_of_a_sense_wire_is_no_node_and_said_in_words(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    describe(tech, vehicle_job["id"], "boat_isolator")
    tests: Any = tech.get(f"/api/jobs/{vehicle_job['id']}/bench").json
    points = {p["point"]["id"]: p for t in tests["procedures"] for p in t["points"]}
    sense, stud = points["key_sense_v:alternator"], points["key_battery_v"]
    assert sense["point"]["red"] == stud["point"]["red"] == stud["red"], "drawn to the battery's post"
    assert sense["red"] == "" and sense["black"] == "alt_case"
    assert "where it ends at" in sense["how"] and "plug" in sense["how"]


@pytest.mark.long(but=1)
@pytest.mark.parametrize("name", list(VEHICLES))
def test_a_hidden_fault_is_found_with_connected_meters(boss: Caller, tech: Caller, name: str) -> None:
    """Every vehicle, a fault each: the test that tells most, every value read off a meter by the program, until it is sure."""
    cases = [
        h
        for h in every_case(name)
        if h.causes[0].split(":")[0] in ("resistance", "open", "diode_shorted", "sense_open", "weak_battery")
    ]
    hidden = cases[sum(name.encode()) % len(cases)]
    made: Any = tech.post("/api/jobs", job_body(complaint="Hidden")).json
    document = VEHICLES[name].model_dump(mode="json")
    assert tech.put(f"/api/jobs/{made['id']}/circuit", {"document": document, "lock": None}).status_code == 200
    job: Any = tech.get(f"/api/jobs/{made['id']}").json
    with meters_on(hidden.causes[0], name) as servers:
        for kind, instrument in REGISTERED.items():
            address = servers[CONNECTED[kind]].address
            assert boss.put(f"/api/instruments/{instrument}/address", {"address": address}).status_code == 200

        def show(kind: str) -> float | None:
            return tech.get(f"/api/instruments/{REGISTERED[kind]}/reading").json["value"]  # type: ignore[index,no-any-return]

        for k in range(len(PROCEDURES)):
            judgement = findings(tech, job)
            if (k and judgement["causes"][0]["probability"] >= 0.9) or not judgement["next_tests"]:
                break
            following = next(p for p in PROCEDURES if p.name == judgement["next_tests"][0]["procedure"])
            conditions = servers["multimeter"].hands.vehicle.conditions if following.name == "charging_drops" else {}
            kept = keep(tech, job, run(following.name, read_by_meters(servers, following, show), **conditions))
            assert kept.status_code == 201, kept.text
        for instrument in REGISTERED.values():
            boss.put(f"/api/instruments/{instrument}/address", {"address": None})
    assert judgement["causes"][0]["cause"] == hidden.causes[0], (hidden.causes, judgement["headline"])


@pytest.mark.long
def test_a_slip_of_the_decimal_point_is_asked_to_be_read_again(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    car = VEHICLES["front"]
    bench = HiddenVehicle(car, hidden_faults(car)[0], np.random.default_rng(4))
    for procedure in PROCEDURES:
        seen = {a: t.value for a, t in bench.read(procedure).items()}
        if "output_a:alternator" in seen:
            seen["output_a:alternator"] *= 10
        if seen:
            assert keep(tech, vehicle_job, run(procedure.name, seen)).status_code == 201
    judgement = findings(tech, vehicle_job)
    assert judgement["causes"][0]["cause"] == "none:" and [d["point"] for d in judgement["doubtful"]] == ["output_a:alternator"]
    assert "To be read again: Alternator" in tech.get(f"/api/jobs/{vehicle_job['id']}/sheet").text


def test_a_clamped_load_dump_can_be_entered_and_no_more_than_that(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    """36 V at a stud that has lost its sense wire are a reading; 60 V on a 12 V system are not."""
    assert keep(tech, vehicle_job, run("regulated", {"regulated_stud_v": 36.6})).status_code == 201
    refused: Any = keep(tech, vehicle_job, run("regulated", {"regulated_stud_v": 60.0}))
    assert refused.status_code == 422 and refused.json["problems"][0]["element"] == "regulated_stud_v"


def said_of(caller: Caller, job: dict[str, Any], procedure: str) -> dict[str, Any]:
    """What is said of one test of a job."""
    return next(t for t in findings(caller, job)["tests"] if t["procedure"] == procedure)


def test_a_run_is_judged_repeated_and_kept(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    first = run("rest", {"rest_v:battery": 12.05})
    first["readings"][0]["instrument"] = "dmm"
    kept = keep(tech, vehicle_job, first).json
    assert kept and kept["run"]["measured_by"] == "Tech" and kept["run"]["measured_at"]
    assert kept["run"]["instruments"][0]["id"] == "dmm", "as it is in the register today"
    keep(tech, vehicle_job, run("rest", {"rest_v:battery": 12.66}))
    test = said_of(tech, vehicle_job, "rest")
    assert test["judgements"][0]["verdict"] == "pass"
    assert test["repeats"] == [{"point": "rest_v:battery", "before": 12.05, "after": 12.66}]
    job: Any = tech.get(f"/api/jobs/{vehicle_job['id']}").json
    assert [r["run"]["readings"][0]["value"] for r in job["runs"]] == [12.05, 12.66]
    assert job["circuits"][-1]["frozen"] and job["changes"][0]["what"] == "measured: battery at rest"


def test_a_correction_is_a_run_that_supersedes(tech: Caller, other: Caller, vehicle_job: dict[str, Any]) -> None:
    """Nothing is edited in place: the first stays, does not count, and the change says both values."""
    first: Any = keep(tech, vehicle_job, run("rest", {"rest_v:battery": 1.26})).json
    second: Any = keep(other, vehicle_job, run("rest", {"rest_v:battery": 12.6}, supersedes=first["id"]))
    assert second.status_code == 201
    job: Any = tech.get(f"/api/jobs/{vehicle_job['id']}").json
    assert [(r["stands"], r["run"]["readings"][0]["value"]) for r in job["runs"]] == [(False, 1.26), (True, 12.6)]
    assert (job["changes"][0]["kind"], job["changes"][0]["person"]) == ("corrected", "Other")
    assert job["changes"][0]["before"] == {"rest_v:battery": 1.26} and job["changes"][0]["after"] == {"rest_v:battery": 12.6}
    assert said_of(tech, vehicle_job, "rest")["repeats"] == []
    refused = keep(tech, vehicle_job, run("rest", {"rest_v:battery": 12.5}, supersedes=first["id"]))
    assert refused.status_code == 409 and refused.json["theirs"]["run"]["readings"][0]["value"] == 12.6  # type: ignore[index]
    assert keep(tech, vehicle_job, run("drain", {"drain_a:battery": 0.1}, supersedes=second.json["id"])).status_code == 422
    assert keep(tech, vehicle_job, run("rest", {"rest_v:battery": 12.5}, supersedes=999_999)).status_code == 404


def test_a_value_off_a_meter_is_rounded_to_what_it_earns_and_knows_its_spread(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    """12.6128 V off a meter of 0.5 % and 2 counts of 1 mV: two places are earned; typed it stays as it was typed."""
    body = run("rest", {"rest_v:battery": 12.61284})
    body["readings"][0] |= {"instrument": "dmm", "source": "meter", "spread": 0.05}
    reading = keep(tech, vehicle_job, body).json["run"]["readings"][0]  # type: ignore[index]
    assert (reading["value"], reading["source"], reading["spread"]) == (12.61, "meter", 0.05)
    typed = run("rest", {"rest_v:battery": 12.61284})
    typed["readings"][0]["instrument"] = "dmm"
    as_typed = keep(tech, vehicle_job, typed).json["run"]["readings"][0]  # type: ignore[index]
    assert as_typed["value"] == 12.61284 and as_typed["uncertainty"] < reading["uncertainty"]


def test_a_skipped_test_says_why(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    assert keep(tech, vehicle_job, run("drain", {}, skipped="no time for the modules to sleep")).status_code == 201
    test = said_of(tech, vehicle_job, "drain")
    assert test["skipped"] and not test["judgements"]


@pytest.mark.parametrize(
    ("made", "element", "word"),
    [
        (run("rest", {"ghost": 12.0}), "ghost", "no measuring point"),
        (run("rest", {"rest_v:battery": 126.0}), "rest_v:battery", "volts"),
        (run("key_on", {"lamp:alternator": 0.5}), "lamp:alternator", "yes or a no"),
        (run("rest", {}), "readings", "Nothing was read"),
        (run("magic", {"x": 1.0}), "procedure", "no procedure"),
        (run("rest", {"rest_v:battery": 12.0}, measured_at="yesterday"), "run.measured_at", ""),
        ({"procedure": "rest", "readings": [{"point": "rest_v:battery", "value": 12.0}] * 2}, "rest_v:battery", "twice"),
        (run("rest", {"rest_v:battery": 12.0}, loads_on=["ghost"]), "loads_on", "no load"),
        (run("rest", {"rest_v:battery": 12.0}, bank_on="ghost"), "bank_on", "no battery"),
        (
            {"procedure": "rest", "readings": [{"point": "rest_v:battery", "value": 12.0, "instrument": "lost"}]},
            "rest_v:battery",
            "instrument",
        ),
    ],
)
def test_what_cannot_be_is_refused_at_its_place(
    tech: Caller, vehicle_job: dict[str, Any], made: Any, element: str, word: str
) -> None:
    refused = keep(tech, vehicle_job, made)
    assert refused.status_code == 422, refused.text
    problems = refused.json["problems"]
    assert problems[0]["element"] == element and word in problems[0]["message"]
    assert tech.get(f"/api/jobs/{vehicle_job['id']}").json["runs"] == []  # type: ignore[index]


def test_readers_look_and_do_not_touch(tech: Caller, reader: Caller, vehicle_job: dict[str, Any]) -> None:
    assert reader.get(f"/api/jobs/{vehicle_job['id']}/bench").status_code == 200
    assert keep(reader, vehicle_job, run("rest", {"rest_v:battery": 12.6})).status_code == 403
    assert tech.get("/api/jobs/999999/bench").status_code == 404
    other: Any = tech.post("/api/jobs", job_body()).json
    assert (
        tech.post(
            f"/api/jobs/{other['id']}/runs",
            {"circuit_id": vehicle_job["circuits"][-1]["id"], "run": run("rest", {"rest_v:battery": 12.6})},
        ).status_code
        == 404
    )
    assert tech.get(f"/api/jobs/{other['id']}/bench").status_code == 404


def test_runs_go_out_and_in_with_the_bundle(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    keep(tech, vehicle_job, run("rest", {"rest_v:battery": 12.6}, measured_at="2026-11-20T10:00:00+00:00", note="cold"))
    out = tech.get(f"/api/jobs/{vehicle_job['id']}/bundle")
    assert out.status_code == 200
    back: Any = tech.post("/api/jobs/import", raw=out.data).json
    assert back["runs"][0]["run"] == json.loads(out.data)["runs"][0]["run"]
    assert back["runs"][0]["run"]["note"] == "cold" and back["runs"][0]["measured_at"].startswith("2026-11-20")
    bad = json.loads(out.data)
    bad["runs"][0]["run"]["readings"][0] = {"point": "ghost", "value": 1}
    assert tech.post("/api/jobs/import", raw=json.dumps(bad).encode()).status_code == 422


def test_a_drop_test_counts_as_evidence(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    seen = predict(VEHICLES["front"], at_output(VEHICLES["front"], 80, 14.4), {"block_ground": 0.006})
    values = {b: round(seen.drop_v[b], 3) for b in (*seen.ring.feed, *seen.ring.return_side)}
    kept = keep(tech, vehicle_job, drops(80, "alternator", **values))
    assert kept.status_code == 201, kept.text
    judgement = findings(tech, vehicle_job)
    assert judgement["causes"][0]["cause"] == "resistance:block_ground" and judgement["readings"] == len(values)


@pytest.mark.parametrize(("stud_v", "asked"), [(None, False), (12.55, False), (0.1, True)])
def test_the_joints_of_a_feed_are_asked_for_once_its_stud_is_dead(
    tech: Caller, vehicle_job: dict[str, Any], stud_v: float | None, asked: bool
) -> None:
    """Where the voltage appears says what is open; with a live stud it would say nothing."""
    values = {"key_battery_v": 12.6, **({} if stud_v is None else {"key_stud_v:alternator": stud_v})}
    body = {"circuit_id": vehicle_job["circuits"][-1]["id"], "run": run("key_on", values)}
    answer: Any = tech.post(f"/api/jobs/{vehicle_job['id']}/runs/judge", body)
    assert answer.status_code == 200, answer.text
    points = {p["point"]: p["asked"] for p in answer.json["points"]}
    joints = [p for p in points if p.startswith("key_way_v:")]
    assert len(joints) == 2 and {points[p] for p in joints} == {asked} and all(points[p] for p in points if p not in joints)


def test_paper_and_csv_have_the_bench_tests(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    keep(tech, vehicle_job, run("rest", {"rest_v:battery": 12.05}))
    keep(tech, vehicle_job, run("rest", {"rest_v:battery": 12.66}))
    keep(tech, vehicle_job, run("key_on", {"key_battery_v": 12.6, "key_stud_v:alternator": 0.1, "lamp:alternator": 1.0}))
    keep(tech, vehicle_job, run("drain", {}, skipped="=no time"))
    path = f"/api/jobs/{vehicle_job['id']}"
    page = tech.get(f"{path}/sheet").text
    for words in (
        "12.66 V",
        "12.05 V",
        "skipped: =no time",
        "The way from the battery is open",
        "lamp lit",
        ">yes ",
    ):
        assert words in page, words
    assert tech.get(f"{path}/sheet.pdf").data.startswith(b"%PDF-")
    rows = list(csv.DictReader(io.StringIO(tech.get(f"{path}/readings.csv").text)))
    assert [(r["run"], r["procedure"], r["point"], r["value"], r["unit"]) for r in rows] == [
        ("1", "rest", "rest_v:battery", "12.05", "V"), ("2", "rest", "rest_v:battery", "12.66", "V"), ("3", "key_on", "key_battery_v", "12.6", "V"),
        ("3", "key_on", "key_stud_v:alternator", "0.1", "V"), ("3", "key_on", "lamp:alternator", "1.0", ""),
    ]  # fmt: skip
    assert rows[0]["element"] == "Battery" and rows[3]["red_probe"] == "Alternator stud" and rows[4]["quantity"] == "yes_no"


def test_measured_resistances_go_into_the_circuit_as_a_revision(
    tech: Caller, reader: Caller, vehicle_job: dict[str, Any]
) -> None:
    """60 mV across the mount at 100 A by hand is 0.6 mohm; the state then starts from it and says so."""
    path = f"/api/jobs/{vehicle_job['id']}/resistances"
    assert tech.post(path, {}).status_code in (404, 422), "nothing was read yet"
    assert keep(tech, vehicle_job, drops(100, "alternator", mount=0.06)).status_code == 201
    assert reader.post(path, {}).status_code == 403
    made: Any = tech.post(path, {}).json
    assert made["revision"] == 2
    assert tech.post(path, {}).json["revision"] == 2  # type: ignore[index]  # twice is once
    measured = {b["id"]: b["measured_mohm"] for b in made["document"]["branches"] if b["measured_mohm"] is not None}
    assert measured == {"mount": pytest.approx(0.6, rel=0.03)}
    point: Any = tech.post("/api/solve", {"circuit": made["document"], "state": {}}).json
    assert any("as measured" in n for n in point["point"]["notes"])


def test_the_makers_window_of_a_job_wins_and_is_carried(tech: Caller, vehicle_job: dict[str, Any]) -> None:
    job: Any = tech.get(f"/api/jobs/{vehicle_job['id']}").json
    particulars = {k: job[k] for k in ("customer", "vehicle", "complaint", "loads_to_add", "promised", "state", "limit_profile")}
    windows = {"regulated": {"least": 14.3, "most": 14.5}}
    saved = tech.put(f"/api/jobs/{job['id']}", {**particulars, "maker_limits": windows, "lock": job["lock"]})
    assert saved.status_code == 200, saved.text
    keep(tech, vehicle_job, run("regulated", {"regulated_v:fast": 14.1}))
    judged = next(j for j in said_of(tech, job, "regulated")["judgements"] if j["point"] == "regulated_v:fast")
    assert judged["verdict"] == "fail" and judged["source"] == "The maker's figures" and "without it: 13.9" in judged["limit"]
    bundle: Any = json.loads(tech.get(f"/api/jobs/{job['id']}/bundle").data)
    assert bundle["job"]["maker_limits"]["regulated"]["least"] == 14.3
    wrong = tech.put(
        f"/api/jobs/{job['id']}", {**particulars, "maker_limits": {"hat_size": {"least": 7}}, "lock": job["lock"] + 1}
    )
    assert wrong.status_code == 422 and "hat_size" in wrong.text

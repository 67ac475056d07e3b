"""The path of a job through the API, over a real database."""

import json
from typing import Any

import pytest
from sqlalchemy.exc import OperationalError

from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from tests.api.conftest import Caller, job_body
from tests.build import drop_test, simple_document, with_branch


def readings(**values: float) -> dict[str, Any]:
    body: dict[str, Any] = drop_test(100, **values).model_dump(mode="json")
    return body


def as_found(job: dict[str, Any]) -> dict[str, Any]:
    found: dict[str, Any] = [c for c in job["circuits"] if c["role"] == "as_found"][-1]
    return found


def test_from_complaint_to_sheet(tech: Caller) -> None:
    made = tech.post("/api/jobs", job_body(loads_to_add=[{"label": "fridge", "current_a": 6}], promised="2026-12-01")).json
    assert made and made["progress"]["next_stage"] == "circuit"
    path = f"/api/jobs/{made['id']}"
    document = tech.get("/api/layouts/front_battery?system_voltage_v=12").json
    saved = tech.put(f"{path}/circuit", {"document": document, "lock": None}).json
    assert saved and saved["revision"] == 1
    test = readings(charge_cable=0.12, charge_fuse=0.064, battery_lead=0.03, block_ground=0.21, mount=0.011)
    kept = tech.post(f"{path}/tests", {"circuit_id": saved["id"], "test": test}).json
    assert kept and kept["test"]["measured_by"] == "Tech"
    judged = tech.get(f"{path}/judged").json
    assert judged and judged["assessment"]["headline"]["branch_id"] == "block_ground"
    preview = tech.post(f"{path}/proposal/preview", {"target_current_a": 150}).json
    assert preview and {c["branch_id"] for c in preview["proposal"]["choices"]} >= {
        "charge_cable",
        "charge_fuse",
        "block_ground",
        "body_ground",
    }
    assert tech.post(f"{path}/proposal", {"target_current_a": 150}).status_code == 201
    job = tech.get(path).json
    assert job and [c["role"] for c in job["circuits"]] == ["as_found", "proposal"]
    assert job["progress"]["next_stage"] == "sheet"
    assert [c["person"] for c in job["changes"]] == ["Tech"] * 4
    assert tech.get(f"{path}/comparison").json["current_a"] == 150  # type: ignore[index]
    page = tech.get(f"{path}/sheet")
    assert "Proposed for 150 A" in page.text and "Test shop" in page.text
    assert tech.get(f"{path}/sheet.pdf").data.startswith(b"%PDF-")


def test_jobs_are_found_by_any_of_their_words(tech: Caller) -> None:
    tech.post("/api/jobs", job_body(customer={"name": "Quillon Dray"}, complaint="Hums at 100%_idle"))
    for words in ("quillon", "handcart quillon", "100%_idle"):
        found = tech.get("/api/jobs", query_string={"search": words}).json["jobs"]  # type: ignore[index]
        assert [j["customer"] for j in found] == ["Quillon Dray"], words
    assert tech.get("/api/jobs", query_string={"search": "nothing like it"}).json == {"jobs": []}
    assert tech.get("/api/jobs", query_string={"state": "lost"}).status_code == 422


def test_numbers_count_up(tech: Caller) -> None:
    numbers = [tech.post("/api/jobs", job_body()).json["number"] for _ in range(3)]  # type: ignore[index]
    assert len({*numbers}) == 3 and numbers == sorted(numbers)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"complaint": ""}, "complaint"),
        ({"vehicle": {"description": "x", "kind": "car", "system_voltage_v": 48}}, "vehicle.system_voltage_v"),
        ({"loads_to_add": [{"label": "fan", "current_a": -3}]}, "loads_to_add.0.current_a"),
        ({"promised": "yesterday"}, "promised"),
        ({"customer": {}}, "customer.name"),
    ],
)
def test_a_bad_field_is_named(tech: Caller, change: dict[str, Any], field: str) -> None:
    answer = tech.post("/api/jobs", job_body(**change))
    assert answer.status_code == 422
    assert answer.mimetype == "application/problem+json"
    assert field in [p["element"] for p in answer.json["problems"]]  # type: ignore[index]


@pytest.mark.parametrize(
    ("branch", "change", "field"),
    [
        ("feed", {"length_m": -1}, "length_m"),
        ("feed", {"size": "34 mm2"}, "size"),
        ("fuse", {"rating_a": 151}, "fuse"),
        ("home", {"length_m": "1,5"}, "length_m"),
    ],
)
def test_a_bad_branch_is_named_with_its_field_and_nothing_is_saved(
    tech: Caller, job: dict[str, Any], branch: str, change: dict[str, Any], field: str
) -> None:
    found = as_found(job)
    body = {"document": with_branch(simple_document(), branch, **change), "lock": found["lock"]}
    answer = tech.put(f"/api/jobs/{job['id']}/circuit", body)
    assert answer.status_code == 422
    assert (branch, field) in [(p["element"], p["field"]) for p in answer.json["problems"]]  # type: ignore[index]
    assert tech.get(f"/api/jobs/{job['id']}").json["circuits"] == job["circuits"]  # type: ignore[index]


def test_a_circuit_that_does_not_close_is_kept_and_what_it_cannot_do_is_said(tech: Caller, job: dict[str, Any]) -> None:
    document = simple_document()
    document["branches"] = document["branches"][:2]
    answer = tech.put(f"/api/jobs/{job['id']}/circuit", {"document": document, "lock": as_found(job)["lock"]})
    assert answer.status_code == 200
    said = tech.get(f"/api/jobs/{job['id']}/judged").json["assessment"]  # type: ignore[index]
    assert "No way back from Battery -" in said["headline"]["text"]
    assert any(f["code"] == "cannot_charge" for f in said["findings"])
    assert tech.get(f"/api/jobs/{job['id']}/sheet.pdf").status_code == 200
    assert tech.get("/api/jobs").status_code == 200


def test_the_second_save_is_refused_and_both_can_be_kept(tech: Caller, other: Caller, job: dict[str, Any]) -> None:
    path, lock = f"/api/jobs/{job['id']}/circuit", as_found(job)["lock"]
    mine, theirs = (with_branch(simple_document(), "feed", length_m=m) for m in (1.5, 1.7))
    assert other.put(path, {"document": theirs, "lock": lock}).status_code == 200
    refused = tech.put(path, {"document": mine, "lock": lock})
    assert refused.status_code == 409
    assert "Other" in refused.json["detail"]  # type: ignore[index]
    assert refused.json["theirs"]["document"]["branches"][0]["length_m"] == 1.7  # type: ignore[index]
    assert tech.put(path, {"document": mine, "lock": lock, "as_new_revision": True}).json["revision"] == 2  # type: ignore[index]
    lengths = [c["document"]["branches"][0]["length_m"] for c in tech.get(f"/api/jobs/{job['id']}").json["circuits"]]  # type: ignore[index]
    assert lengths == [1.7, 1.5]
    # An editor of the first revision cannot overwrite the second unseen.
    assert other.put(path, {"document": theirs, "lock": lock + 1}).status_code == 409


def test_particulars_conflict_too(tech: Caller, other: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}"
    assert other.put(path, {**job_body(complaint="theirs"), "lock": job["lock"]}).status_code == 200
    refused = tech.put(path, {**job_body(complaint="mine"), "lock": job["lock"]})
    assert refused.status_code == 409 and refused.json["theirs"]["complaint"] == "theirs"  # type: ignore[index]
    assert tech.get(path).json["complaint"] == "theirs"  # type: ignore[index]


def test_a_measured_circuit_is_never_changed(tech: Caller, job: dict[str, Any]) -> None:
    path, found = f"/api/jobs/{job['id']}", as_found(job)
    tech.post(f"{path}/tests", {"circuit_id": found["id"], "test": readings(feed=0.12)})
    longer = with_branch(simple_document(), "feed", length_m=2.5)
    saved = tech.put(f"{path}/circuit", {"document": longer, "lock": found["lock"]}).json
    assert saved and saved["revision"] == 2
    after = tech.get(path).json
    assert after and after["circuits"][0]["document"] == found["document"] and after["circuits"][0]["frozen"]
    # The readings are judged against the newest revision.
    judged = tech.get(f"{path}/judged").json
    feed = next(b for b in judged["assessment"]["branches"] if b["branch_id"] == "feed")  # type: ignore[index]
    assert feed["measured_drop_v"] == 0.12 and feed["length_m"] == 2.5


def test_a_test_is_changed_in_place_and_conflicts_are_told(tech: Caller, other: Caller, job: dict[str, Any]) -> None:
    path, circuit = f"/api/jobs/{job['id']}/tests", as_found(job)["id"]
    kept = tech.post(path, {"circuit_id": circuit, "test": readings(feed=0.12, home=0.06)}).json
    assert kept
    one = f"{path}/{kept['id']}"
    changed = tech.put(one, {"circuit_id": circuit, "test": readings(feed=0.13, fuse=0.05), "lock": kept["lock"]}).json
    assert changed and {r["branch_id"]: r["value"] for r in changed["test"]["readings"]} == {"feed": 0.13, "fuse": 0.05}
    refused = other.put(one, {"circuit_id": circuit, "test": readings(feed=0.5), "lock": kept["lock"]})
    assert refused.status_code == 409
    assert refused.json["theirs"]["test"]["readings"][0]["value"] == 0.13  # type: ignore[index]


def test_readings_that_cannot_be_are_refused_by_name(tech: Caller, job: dict[str, Any]) -> None:
    path, circuit = f"/api/jobs/{job['id']}/tests", as_found(job)["id"]
    answer = tech.post(path, {"circuit_id": circuit, "test": readings(feed=121, home=0.06)})
    assert answer.status_code == 422
    assert answer.json["problems"][0]["element"] == "branch_drop:feed"  # type: ignore[index]
    assert "millivolts" in answer.json["problems"][0]["message"]  # type: ignore[index]
    assert tech.post(path, {"circuit_id": 999_999, "test": readings(feed=0.1)}).status_code == 404
    assert tech.get(f"/api/jobs/{job['id']}").json["tests"] == []  # type: ignore[index]


def test_a_draft_is_judged_without_being_saved(reader: Caller, job: dict[str, Any]) -> None:
    body = {"circuit": simple_document(), "test": readings(home=0.15), "limit_profile": "strict"}
    said = reader.post("/api/assess", body).json
    assert said and said["assessment"]["branches"][-1]["limit_v"] == 0.05
    assert reader.get(f"/api/jobs/{job['id']}").json == job


def test_a_bundle_goes_out_and_comes_in_as_a_new_job(tech: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}"
    tech.post(f"{path}/tests", {"circuit_id": as_found(job)["id"], "test": readings(feed=0.12, home=0.15)})
    tech.post(f"{path}/proposal", {"target_current_a": 120})
    out = tech.get(f"{path}/bundle")
    assert out.headers["Content-Disposition"] == f'attachment; filename="{job["number"]}.mavrik.json"'
    came = tech.post("/api/jobs/import", raw=out.data)
    assert came.status_code == 201
    new, old = came.json, tech.get(path).json
    assert new and old and new["id"] != old["id"] and new["number"] != old["number"]
    for what in ("customer", "vehicle", "complaint", "limit_profile"):
        assert new[what] == old[what]
    assert [c["document"] for c in new["circuits"]] == [c["document"] for c in old["circuits"]]
    assert [t["test"] for t in new["tests"]] == [t["test"] for t in old["tests"]]
    again = tech.get(f"/api/jobs/{new['id']}/bundle").json
    assert again and again["tests"][0]["test"] == json.loads(out.data)["tests"][0]["test"]


@pytest.mark.parametrize("raw", [b"", b"\x00\xff", b"{}", b'{"format":"mavrik-job","version":1}'])
def test_a_bad_bundle_leaves_nothing_behind(tech: Caller, raw: bytes) -> None:
    before = len(tech.get("/api/jobs").json["jobs"])  # type: ignore[index]
    answer = tech.post("/api/jobs/import", raw=raw)
    assert answer.status_code == 422 and answer.json["detail"]  # type: ignore[index]
    assert len(tech.get("/api/jobs").json["jobs"]) == before  # type: ignore[index]


def test_an_upload_beyond_the_limit_is_refused(tech: Caller) -> None:
    assert tech.post("/api/jobs/import", raw=b" " * 12_100_000).status_code == 413


def test_readings_go_out_as_csv(tech: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}"
    tech.post(f"{path}/tests", {"circuit_id": as_found(job)["id"], "test": readings(home=0.15)})
    answer = tech.get(f"{path}/readings.csv")
    assert answer.mimetype == "text/csv"
    assert "branch_drop,home,Home" in answer.text and ",0.15,V," in answer.text


def test_a_proposal_that_cannot_be_says_why(tech: Caller, job: dict[str, Any]) -> None:
    answer = tech.post(f"/api/jobs/{job['id']}/proposal", {"target_current_a": 1900})
    assert answer.status_code == 422 and "Nothing up to" in answer.json["detail"]  # type: ignore[index]
    assert tech.get(f"/api/jobs/{job['id']}/comparison").status_code == 404


def test_the_voltage_is_fixed_once_there_is_a_circuit(tech: Caller, job: dict[str, Any]) -> None:
    vehicle = {"description": "x", "kind": "van", "system_voltage_v": 24}
    assert tech.put(f"/api/jobs/{job['id']}", {**job_body(vehicle=vehicle), "lock": job["lock"]}).status_code == 422
    wrong = build_layout("front_battery", 24).model_dump(mode="json")
    assert tech.put(f"/api/jobs/{job['id']}/circuit", {"document": wrong, "lock": as_found(job)["lock"]}).status_code == 422


def test_the_catalogue_offers_what_the_core_knows(reader: Caller) -> None:
    offered = reader.get("/api/catalogue").json
    assert offered
    assert {"25 mm2", "2 AWG", "4/0 AWG"} <= {s["label"] for s in offered["sizes"]}
    assert {layout["name"] for layout in offered["layouts"]} == {x.name for x in LAYOUTS}
    assert any(c["confirm"] for c in offered["cautions"])
    assert reader.get("/api/layouts/underwater").status_code == 422


def test_what_is_not_there_is_not_found(tech: Caller) -> None:
    for path in ("/api/jobs/999999", "/api/jobs/999999/judged", "/api/jobs/999999/sheet", "/api/jobs/999999/bundle"):
        answer = tech.get(path)
        assert answer.status_code == 404 and answer.mimetype == "application/problem+json"
    assert tech.get("/api/jobs/99999999999999").status_code in (404, 422)


def test_a_database_that_is_away_is_said_in_words(app: Any, tech: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    def away(*_: object, **__: object) -> None:
        raise OperationalError("SELECT 1", {}, Exception("connection refused"))

    monkeypatch.setattr("mavrik.jobs.work.list_jobs", away)
    answer = tech.get("/api/jobs")
    assert answer.status_code == 503
    assert answer.json["type"].endswith("database-away")  # type: ignore[index]
    assert "refused" not in answer.text


def test_an_accident_tells_no_secrets(tech: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    def fall(*_: object, **__: object) -> None:
        raise RuntimeError("secret path /somewhere")

    monkeypatch.setattr("mavrik.jobs.work.list_jobs", fall)
    answer = tech.get("/api/jobs")
    assert answer.status_code == 500 and "secret" not in answer.text


def test_a_circuit_is_solved_at_a_state_without_saving_it(reader: Caller) -> None:
    body = {"circuit": simple_document(), "state": {"engine_rpm": 2000}}
    answer = reader.post("/api/solve", body)
    assert answer.status_code == 200
    point, stairs = answer.json["point"], answer.json["staircase"]  # type: ignore[index]
    assert point["given_w"] == pytest.approx(point["taken_w"] + point["lost_w"], abs=0.01)
    assert stairs["stud_v"] == pytest.approx(14.4, abs=1e-3)
    lost = sum(s["predicted_from_v"] - s["predicted_to_v"] for s in (*stairs["feed"], *stairs["home"]))
    assert stairs["battery_positive_v"] - stairs["battery_negative_v"] == pytest.approx(stairs["stud_v"] - lost)


@pytest.mark.parametrize(
    ("state", "element"),
    [({"engine_rpm": -1}, "engine_rpm"), ({"contacts": {"ghost": True}}, "ghost"), ({"speed": 1}, "speed")],
)
def test_a_state_that_cannot_be_is_refused_at_its_place(reader: Caller, state: dict[str, Any], element: str) -> None:
    answer = reader.post("/api/solve", {"circuit": simple_document(), "state": state})
    assert answer.status_code == 422
    assert element in str(answer.json["problems"])  # type: ignore[index]

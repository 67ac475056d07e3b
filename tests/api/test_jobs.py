"""The path of a job through the API, over a real database."""

import json
from typing import Any

import pytest
from sqlalchemy.exc import OperationalError

from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.exchange.bundle import LARGEST_BUNDLE_BYTES
from tests.api.conftest import Caller, drops, findings, job_body, keep
from tests.build import simple_document, with_branch


def as_found(job: dict[str, Any]) -> dict[str, Any]:
    circuit: dict[str, Any] = [c for c in job["circuits"] if c["role"] == "as_found"][-1]
    return circuit


def test_from_complaint_to_sheet(tech: Caller) -> None:
    made = tech.post("/api/jobs", job_body(loads_to_add=[{"label": "fridge", "current_a": 6}], promised="2026-12-01")).json
    assert made and made["progress"]["next_stage"] == "circuit"
    path = f"/api/jobs/{made['id']}"
    document = tech.get("/api/layouts/front_battery?system_voltage_v=12").json
    saved = tech.put(f"{path}/circuit", {"document": document, "lock": None}).json
    assert saved and saved["revision"] == 1
    run = drops(100, "alternator", charge_cable=0.108, charge_fuse=0.064, battery_lead=0.022, block_ground=0.210, mount=0.010)
    kept = keep(tech, made, run, saved["id"]).json
    assert kept and kept["run"]["measured_by"] == "Tech"
    assert findings(tech, made)["headline"]["element"] == "block_ground"
    assert tech.get(f"{path}/plan/target").json["target_current_a"] > 90  # type: ignore[index]
    preview = tech.post(f"{path}/plan/preview", {"target_current_a": 150}).json
    assert preview and {c["branch_id"] for c in preview["proposal"]["choices"]} >= {
        "charge_cable",
        "charge_fuse",
        "block_ground",
        "body_ground",
    }
    assert tech.post(f"{path}/plan", {"target_current_a": 150}).status_code == 201
    job = tech.get(path).json
    assert job and [c["role"] for c in job["circuits"]] == ["as_found", "proposal"]
    assert job["progress"]["next_stage"] in ("measure", "build")
    assert {c["person"] for c in job["changes"]} == {"Tech"}
    assert [c["kind"] for c in reversed(job["changes"])][:3] == ["made", "made", "measured"]
    assert tech.get(f"{path}/comparison").json["current_a"] == 150  # type: ignore[index]
    page = tech.get(f"{path}/sheet")
    assert "Planned for 150 A" in page.text and "Test shop" in page.text
    assert tech.get(f"{path}/sheet.pdf").data.startswith(b"%PDF-")


def test_every_file_that_is_offered_is_written(tech: Caller, job: dict[str, Any]) -> None:
    offered = tech.get("/api/catalogue").json["files"]  # type: ignore[index]
    starts = {
        "sheet.pdf": b"%PDF-",
        "schematic.pdf": b"%PDF-",
        "schematic.svg": b"<svg",
        "bundle": b"{",
        "readings.csv": b"run,",
        "readings.parquet": b"PAR1",
        "netlist.cir": b"*",
    }
    # The label is for a job in which a disconnect was decided on, the sheet for the bench for one whose book is kept.
    needs = {
        "label.pdf": "isolation",
        "quotation.pdf": "quotation",
        "bench.pdf": "build",
        "lead-labels.pdf": "build",
        "plates.pdf": "build",
        "harness.yaml": "build",
    }
    assert {f["name"]: f["needs"] for f in offered if f["needs"]} == needs
    assert {f["name"] for f in offered if not f["needs"]} == set(starts)
    for f in (f for f in offered if not f["needs"]):
        answer = tech.get(f"/api/jobs/{job['id']}/files/{f['name']}")
        assert answer.data.startswith(starts[f["name"]]), f["name"]
        assert f'filename="{job["number"]}' in answer.headers["Content-Disposition"]
    assert tech.get(f"/api/jobs/{job['id']}/files/spell.txt").status_code == 404
    bare = tech.post("/api/jobs", job_body()).json
    assert bare and tech.get(f"/api/jobs/{bare['id']}/files/netlist.cir").status_code == 422


def test_a_ready_layout_shows_how_it_is_drawn(tech: Caller) -> None:
    for layout in tech.get("/api/layouts").json["layouts"]:  # type: ignore[index]
        ready = tech.get(f"/api/layouts/{layout['name']}").json
        assert ready and {b["branch_id"] for b in layout["loop"]["branches"]} == {b["id"] for b in ready["branches"]}


def test_jobs_are_found_by_any_of_their_words(tech: Caller) -> None:
    tech.post("/api/jobs", job_body(customer={"name": "Quillon Dray"}, complaint="Hums at 100%_idle"))
    for words in ("quillon", "handcart quillon", "100%_idle"):
        answer = tech.get("/api/jobs", query_string={"search": words}).json["jobs"]  # type: ignore[index]
        assert [j["customer"] for j in answer] == ["Quillon Dray"], words
    assert tech.get("/api/jobs", query_string={"search": "nothing like it"}).json["jobs"] == []  # type: ignore[index]
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
    circuit = as_found(job)
    body = {"document": with_branch(simple_document(), branch, **change), "lock": circuit["lock"]}
    answer = tech.put(f"/api/jobs/{job['id']}/circuit", body)
    assert answer.status_code == 422
    assert (branch, field) in [(p["element"], p["field"]) for p in answer.json["problems"]]  # type: ignore[index]
    assert tech.get(f"/api/jobs/{job['id']}").json["circuits"] == job["circuits"]  # type: ignore[index]


def test_a_circuit_that_does_not_close_is_kept_and_what_it_cannot_do_is_said(tech: Caller, job: dict[str, Any]) -> None:
    document = simple_document()
    document["branches"] = document["branches"][:2]
    answer = tech.put(f"/api/jobs/{job['id']}/circuit", {"document": document, "lock": as_found(job)["lock"]})
    assert answer.status_code == 200
    judgement = findings(tech, job)
    assert "No way back from Battery -" in judgement["headline"]["text"]
    assert any(f["code"] == "cannot_charge" for f in judgement["parts"])
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
    path, circuit = f"/api/jobs/{job['id']}", as_found(job)
    keep(tech, job, drops(feed=0.12))
    longer = with_branch(simple_document(), "feed", length_m=2.5)
    saved = tech.put(f"{path}/circuit", {"document": longer, "lock": circuit["lock"]}).json
    assert saved and saved["revision"] == 2
    after = tech.get(path).json
    assert after and after["circuits"][0]["document"] == circuit["document"] and after["circuits"][0]["frozen"]
    # The readings are judged against the newest revision.
    feed = next(b for b in findings(tech, job)["branches"] if b["branch_id"] == "feed")
    assert feed["measured_drop_v"] == 0.12 and feed["length_m"] == 2.5


def test_editing_the_details_leaves_the_makers_limits_alone(tech: Caller, job: dict[str, Any]) -> None:
    """A form that does not show them sends them as they were; what was entered elsewhere is never erased."""
    path = f"/api/jobs/{job['id']}"
    windows = {"regulated": {"least": 14.3, "most": 14.5}}
    details = {
        k: job[k] for k in ("customer", "vehicle", "complaint", "purposes", "loads_to_add", "promised", "state", "limit_profile")
    }
    assert tech.put(path, {**details, "maker_limits": windows, "lock": job["lock"]}).status_code == 200
    after: Any = tech.put(path, {**details, "complaint": "Another", "lock": job["lock"] + 1}).json
    assert after["complaint"] == "Another" and after["maker_limits"]["regulated"] == {"least": 14.3, "most": 14.5}
    cleared: Any = tech.put(path, {**details, "maker_limits": {}, "lock": after["lock"]}).json
    assert cleared["maker_limits"] == {}, "who says that there are none is heard"


def test_changes_say_who_what_before_and_after(tech: Caller, other: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}"
    body = job_body(complaint="Goes flat overnight")
    assert other.put(path, {**body, "lock": job["lock"]}).status_code == 200
    change = tech.get(path).json["changes"][0]  # type: ignore[index]
    assert (change["person"], change["kind"]) == ("Other", "changed")
    assert change["before"]["complaint"] == "Lamp glows" and change["after"]["complaint"] == "Goes flat overnight"


def test_readings_that_cannot_be_are_refused_by_name(tech: Caller, job: dict[str, Any]) -> None:
    answer = keep(tech, job, drops(feed=121, home=0.06))
    assert answer.status_code == 422
    assert answer.json["problems"][0]["element"] == "drop_v:feed"  # type: ignore[index]
    assert "volts" in answer.json["problems"][0]["message"]  # type: ignore[index]
    assert keep(tech, job, drops(feed=0.1), 999_999).status_code == 404
    assert tech.get(f"/api/jobs/{job['id']}").json["runs"] == []  # type: ignore[index]


def test_a_draft_is_judged_without_being_saved(reader: Caller, job: dict[str, Any]) -> None:
    details = {"complaint": "x", "purposes": ["find_fault"], "limit_profile": "strict"}
    body = {"circuit": simple_document(), "run": drops(home=0.15), "details": details}
    answer = reader.post(f"/api/jobs/{job['id']}/findings/draft", body).json
    assert answer and answer["findings"]["branches"][-1]["limit_v"] == 0.05
    assert reader.get(f"/api/jobs/{job['id']}").json == job


def test_the_list_of_jobs_says_what_the_job_itself_says(tech: Caller, job: dict[str, Any]) -> None:
    keep(tech, job, drops(feed=0.121, fuse=0.053, home=0.15))
    row = next(j for j in tech.get("/api/jobs").json["jobs"] if j["id"] == job["id"])  # type: ignore[index]
    assert row["headline"] == findings(tech, job)["headline"] and row["headline"]["element"] == "home"
    assert row["purposes"] == ["find_fault"] and row["progress"]["missing"] == "print and sign"


def test_a_bundle_goes_out_and_comes_in_as_a_new_job(tech: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}"
    first: Any = keep(tech, job, drops(feed=0.12, home=0.65)).json
    keep(tech, job, drops(feed=0.12, home=0.15) | {"supersedes": first["id"]})
    tech.post(f"{path}/plan", {"target_current_a": 120})
    out = tech.get(f"{path}/bundle")
    assert out.headers["Content-Disposition"] == f'attachment; filename="{job["number"]}.mavrik.json"'
    came = tech.post("/api/jobs/import", raw=out.data)
    assert came.status_code == 201
    new, old = came.json, tech.get(path).json
    assert new and old and new["id"] != old["id"] and new["number"] != old["number"]
    for what in ("customer", "vehicle", "complaint", "limit_profile"):
        assert new[what] == old[what]
    assert [c["document"] for c in new["circuits"]] == [c["document"] for c in old["circuits"]]
    assert [(r["run"], r["stands"]) for r in new["runs"]] == [(r["run"], r["stands"]) for r in old["runs"]]
    assert [d["document"] for d in new["documents"]] == [d["document"] for d in old["documents"]]
    assert findings(tech, new) == findings(tech, old)
    again = tech.get(f"/api/jobs/{new['id']}/bundle").json
    assert again and again["runs"][1]["run"] == json.loads(out.data)["runs"][1]["run"] and again["runs"][1]["supersedes"] == 1


@pytest.mark.parametrize("raw", [b"", b"\x00\xff", b"{}", b'{"format":"mavrik-job","version":1}'])
def test_a_bad_bundle_leaves_nothing_behind(tech: Caller, raw: bytes) -> None:
    before = len(tech.get("/api/jobs").json["jobs"])  # type: ignore[index]
    answer = tech.post("/api/jobs/import", raw=raw)
    assert answer.status_code == 422 and answer.json["detail"]  # type: ignore[index]
    assert len(tech.get("/api/jobs").json["jobs"]) == before  # type: ignore[index]


def test_an_upload_beyond_the_limit_is_refused(tech: Caller) -> None:
    assert tech.post("/api/jobs/import", raw=b" " * (LARGEST_BUNDLE_BYTES + 100_000)).status_code == 413


def test_readings_go_out_as_csv(tech: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}"
    keep(tech, job, drops(home=0.15))
    answer = tech.get(f"{path}/readings.csv")
    assert answer.mimetype == "text/csv"
    assert "drop_v:home,voltage_drop,Home,home,Home" in answer.text and ",0.15,V," in answer.text


def test_a_proposal_that_cannot_be_says_why(tech: Caller, job: dict[str, Any]) -> None:
    answer = tech.post(f"/api/jobs/{job['id']}/plan", {"target_current_a": 1900})
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
    assert {x["name"] for x in reader.get("/api/layouts").json["layouts"]} == {x.name for x in LAYOUTS}  # type: ignore[index]
    assert any(c["confirm"] for c in offered["cautions"])
    assert reader.get("/api/layouts/underwater").status_code == 422


def test_what_is_not_there_is_not_found(tech: Caller) -> None:
    for path in ("/api/jobs/999999", "/api/jobs/999999/findings", "/api/jobs/999999/sheet", "/api/jobs/999999/bundle"):
        answer = tech.get(path)
        assert answer.status_code == 404 and answer.mimetype == "application/problem+json"
    assert tech.get("/api/jobs/99999999999999").status_code in (404, 422)


def test_a_database_that_is_away_is_said_in_words(app: Any, tech: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    def away(*_: object, **__: object) -> None:
        raise OperationalError("SELECT 1", {}, Exception("connection refused"))

    monkeypatch.setattr("mavrik.jobs.listing.list_jobs", away)
    answer = tech.get("/api/jobs")
    assert answer.status_code == 503
    assert answer.json["type"].endswith("database-away")  # type: ignore[index]
    assert "refused" not in answer.text


def test_an_accident_tells_no_secrets(tech: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    def fall(*_: object, **__: object) -> None:
        raise RuntimeError("secret path /somewhere")

    monkeypatch.setattr("mavrik.jobs.listing.list_jobs", fall)
    answer = tech.get("/api/jobs")
    assert answer.status_code == 500 and "secret" not in answer.text


def test_a_circuit_is_solved_at_a_state_without_saving_it(reader: Caller) -> None:
    body = {"circuit": simple_document(), "state": {"engine_rpm": 2000}}
    answer = reader.post("/api/solve", body)
    assert answer.status_code == 200
    point, stairs = answer.json["point"], answer.json["staircase"]  # type: ignore[index]
    assert point["given_w"] == pytest.approx(point["taken_w"] + point["lost_w"], abs=0.01)
    assert stairs["stud_v"] == pytest.approx(14.4, abs=1e-3)
    lost = sum(s["predicted_from_v"] - s["predicted_to_v"] for s in (*stairs["feed"], *stairs["return_side"]))
    assert stairs["battery_positive_v"] - stairs["battery_negative_v"] == pytest.approx(stairs["stud_v"] - lost)


@pytest.mark.parametrize(
    ("state", "element"),
    [({"engine_rpm": -1}, "engine_rpm"), ({"contacts": {"ghost": True}}, "ghost"), ({"speed": 1}, "speed")],
)
def test_a_state_that_cannot_be_is_refused_at_its_place(reader: Caller, state: dict[str, Any], element: str) -> None:
    answer = reader.post("/api/solve", {"circuit": simple_document(), "state": state})
    assert answer.status_code == 422
    assert element in str(answer.json["problems"])  # type: ignore[index]

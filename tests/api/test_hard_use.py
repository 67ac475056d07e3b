"""The API under junk, races and odd orders."""

from __future__ import annotations

import json
import threading
from copy import deepcopy
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from tests.api.conftest import PASSWORD, Caller, _signed_in, drops, findings, job_body, keep
from tests.api.test_jobs import as_found
from tests.build import simple_document, with_branch

JUNK = (
    st.none()
    | st.booleans()
    | st.integers()
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(max_size=12)
    | st.just([])
    | st.just({})
)
QUIET = settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])


def places(value: Any) -> list[tuple[Any, Any]]:
    """Every place in a JSON document, as its holder and key."""
    spots: list[tuple[Any, Any]] = []
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        spots.append((value, key))
        spots += places(inner)
    return spots


@given(data=st.data())
@QUIET
def test_a_draft_with_one_value_replaced_is_judged_or_refused(reader: Caller, job: dict[str, Any], data: st.DataObject) -> None:
    body = deepcopy({"circuit": simple_document(), "run": drops(feed=0.12, home=0.06), "details": None})
    holder, key = data.draw(st.sampled_from(places(body)))
    holder[key] = data.draw(JUNK)
    answer = reader.post(f"/api/jobs/{job['id']}/findings/draft", body)
    assert answer.status_code in (200, 422), answer.text
    if answer.status_code == 422:
        problem = answer.json
        assert problem and problem["detail"] and problem["status"] == 422


@given(data=st.data())
@QUIET
def test_a_job_with_one_value_replaced_is_taken_or_refused(tech: Caller, data: st.DataObject) -> None:
    body = deepcopy(job_body(loads_to_add=[{"label": "fan", "current_a": 4}], promised="2026-12-24"))
    holder, key = data.draw(st.sampled_from(places(body)))
    holder[key] = data.draw(JUNK)
    assert tech.post("/api/jobs", body).status_code in (201, 422)


@pytest.mark.parametrize("raw", [b"", b"{", b"null", b"[]", b'"x"', b"\xff", b'{"circuit": 1e999}', b'{"circuit": NaN}'])
def test_a_body_that_is_no_request_is_refused(tech: Caller, raw: bytes) -> None:
    for method, path in (("POST", "/api/solve"), ("POST", "/api/jobs"), ("PUT", "/api/jobs/1/circuit")):
        answer = tech.send(method, path, raw=raw)
        assert answer.status_code in (400, 415, 422), (path, answer.status_code)
        assert answer.mimetype == "application/problem+json"


@pytest.mark.parametrize("words", ["%", "_", "\\", "'; drop table jobs; --", "\x00", "a" * 200])
def test_a_search_for_odd_words_is_only_a_search(reader: Caller, words: str) -> None:
    answer = reader.get("/api/jobs", query_string={"search": words})
    assert answer.status_code in (200, 422)
    assert reader.get("/api/jobs").status_code == 200


def test_a_zero_byte_is_refused_wherever_it_stands(tech: Caller, job: dict[str, Any]) -> None:
    assert tech.post("/api/jobs", job_body(complaint="a\x00b")).status_code == 422
    document = with_branch(simple_document(), "feed", label="a\x00b")
    answer = tech.put(f"/api/jobs/{job['id']}/circuit", {"document": document, "lock": as_found(job)["lock"]})
    assert answer.status_code == 422
    assert tech.get(f"/api/jobs/{job['id']}").json == job


def test_text_beyond_what_the_database_takes_is_refused_not_cut(tech: Caller) -> None:
    assert tech.post("/api/jobs", job_body(complaint="x" * 4001)).status_code == 422
    kept = tech.post("/api/jobs", job_body(complaint="ü" * 4000)).json
    assert kept and kept["complaint"] == "ü" * 4000


def test_of_many_saves_at_once_one_wins_and_all_others_are_told(app: Any, tech: Caller, job: dict[str, Any]) -> None:
    path, lock = f"/api/jobs/{job['id']}/circuit", as_found(job)["lock"]
    callers = [_signed_in(app, "tech") for _ in range(6)]
    start = threading.Barrier(len(callers))
    answers: list[int] = []

    def save(caller: Caller, length: float) -> None:
        start.wait()
        answers.append(
            caller.put(path, {"document": with_branch(simple_document(), "feed", length_m=length), "lock": lock}).status_code
        )

    threads = [threading.Thread(target=save, args=(c, 1 + k / 10)) for k, c in enumerate(callers)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(answers) == [200] + [409] * 5
    assert len(tech.get(f"/api/jobs/{job['id']}").json["circuits"]) == 1  # type: ignore[index]


def test_jobs_opened_at_once_get_numbers_of_their_own(app: Any) -> None:
    callers = [_signed_in(app, "tech") for _ in range(5)]
    numbers: list[str] = []

    def make(caller: Caller) -> None:
        numbers.append(caller.post("/api/jobs", job_body()).json["number"])  # type: ignore[index]

    threads = [threading.Thread(target=make, args=(c,)) for c in callers]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(set(numbers)) == 5


@pytest.mark.long(but=4)
@pytest.mark.parametrize(
    ("layout", "volts"), [(x, 12 if k % 2 else 24) for k, x in enumerate(LAYOUTS)], ids=lambda x: getattr(x, "name", x)
)
def test_every_layout_walks_the_whole_path(tech: Caller, layout: Any, volts: int) -> None:
    vehicle = {"description": "Odd one", "kind": "other", "system_voltage_v": volts}
    made = tech.post("/api/jobs", job_body(vehicle=vehicle)).json
    assert made
    path = f"/api/jobs/{made['id']}"
    document = tech.get(f"/api/layouts/{layout.name}", query_string={"system_voltage_v": volts}).json
    assert document and document == build_layout(layout.name, volts).model_dump(mode="json")
    saved = tech.put(f"{path}/circuit", {"document": document, "lock": None}).json
    assert saved
    judgement = findings(tech, made)
    assert judgement["headline"]["verdict"] == "not_measured"
    values = {b["branch_id"]: b["predicted_drop_v"] for b in judgement["branches"]}
    body = drops(judgement["output_current_a"], document["alternators"][0]["id"], **values) | {"engine_space_c": 40}
    assert keep(tech, made, body, saved["id"]).status_code == 201
    assert tech.post(f"{path}/plan", {"target_current_a": 100}).status_code == 201
    page = tech.get(f"{path}/sheet").text
    assert f"{volts} V, negative earth" in page and "Planned for 100 A" in page
    out = json.loads(tech.get(f"{path}/bundle").data)
    assert [c["role"] for c in out["circuits"]] == ["as_found", "proposal"]


def test_a_kept_proposal_never_replaces_the_one_before(tech: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}"
    for amperes in (110, 130):
        assert tech.post(f"{path}/plan", {"target_current_a": amperes}).status_code == 201
    after: Any = tech.get(path).json
    assert [c["revision"] for c in after["circuits"] if c["role"] == "proposal"] == [1, 2]
    assert [(d["revision"], d["document"]["target"]["target_current_a"]) for d in after["documents"]] == [(1, 110), (2, 130)]
    assert tech.get(f"{path}/comparison").json["current_a"] == 130  # type: ignore[index]
    # What was found is as it was.
    assert as_found(tech.get(path).json) == as_found(job)  # type: ignore[arg-type]


def test_a_run_belongs_to_the_job_it_was_made_on(tech: Caller, job: dict[str, Any]) -> None:
    other_job: Any = tech.post("/api/jobs", job_body()).json
    circuit = as_found(job)["id"]
    assert keep(tech, other_job, drops(feed=0.1), circuit).status_code == 404
    kept: Any = keep(tech, job, drops(feed=0.1)).json
    assert kept
    assert tech.put(f"/api/jobs/{other_job['id']}/circuit", {"document": simple_document(), "lock": None}).status_code == 200
    mine: Any = tech.get(f"/api/jobs/{other_job['id']}").json
    assert keep(tech, mine, drops(feed=0.2) | {"supersedes": kept["id"]}).status_code == 404


def test_the_same_instrument_keeps_the_accuracy_of_its_day(tech: Caller, boss: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}"
    meter = {
        "id": "dated",
        "label": "Dated",
        "kind": "voltmeter",
        "percent_of_reading": 0.5,
        "digits": 2,
        "resolution": 0.001,
        "calibration_due": None,
    }
    assert tech.post("/api/instruments", meter).status_code == 201
    body = drops(home=0.06)
    body["readings"][1]["instrument"] = "dated"
    before: Any = keep(tech, job, body).json
    assert tech.put("/api/instruments/dated", {"instrument": {**meter, "percent_of_reading": 9}, "lock": 1}).status_code == 200
    after: Any = tech.get(path).json["runs"][0]  # type: ignore[index]
    assert after["run"] == before["run"] and meter in after["run"]["instruments"]


def test_a_password_is_never_answered(boss: Caller) -> None:
    body = {"login": "quiet", "name": "Quiet One", "role": "read_only", "password": PASSWORD}
    made = boss.post("/api/people", body)
    assert PASSWORD not in made.text and "argon2" not in made.text
    assert "argon2" not in boss.get("/api/people").text
    assert PASSWORD not in boss.get("/api/session").text


def test_the_description_of_the_api_is_that_of_the_server(app: Any) -> None:
    described = {(path, method) for path, item in app.api_doc["paths"].items() for method in item}
    assert ("/api/jobs/{job_id}/findings", "get") in described
    for rule in app.url_map.iter_rules():
        # What an operator reads is no part of what programs are written against.
        if rule.rule.startswith("/api/") and rule.endpoint != "metrics":
            path = rule.rule.replace("<int:", "{").replace("<string:", "{").replace(">", "}")
            for method in rule.methods - {"HEAD", "OPTIONS"}:
                assert (path, method.lower()) in described, rule.rule

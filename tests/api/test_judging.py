"""Readings that take long to be judged: kept at once, judged in the queue, told as such meanwhile."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest

from mavrik.jobs import finding
from mavrik.jobs.tasks.kinds import judge
from tests.api.conftest import Caller, do_tasks, drops, findings, keep
from tests.build import simple_document


@pytest.fixture
def little_patience(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """What judging a small circuit takes is more than anybody waits for."""
    monkeypatch.setattr(finding, "AT_ONCE_WORK", 100.0)
    yield


def of(caller: Caller, job: dict[str, Any]) -> dict[str, Any]:
    return dict(caller.get(f"/api/jobs/{job['id']}").json)  # type: ignore[arg-type]


def waiting(caller: Caller, job: dict[str, Any]) -> list[dict[str, Any]]:
    tasks = caller.get("/api/tasks").json["tasks"]  # type: ignore[index]
    return [t for t in tasks if t["kind"] == "judge" and t["job_id"] == job["id"] and t["ended_at"] is None]


def busy(caller: Caller, path: str) -> dict[str, Any]:
    answer = caller.get(path)
    assert (answer.status_code, answer.headers["Retry-After"]) == (503, "3"), answer.text
    return dict(answer.json)  # type: ignore[arg-type]


def test_a_reading_that_takes_long_to_judge_is_kept_at_once_and_judged_in_the_queue(
    tech: Caller, job: dict[str, Any], little_patience: None
) -> None:
    path = f"/api/jobs/{job['id']}"
    assert keep(tech, job, drops(feed=0.121, fuse=0.053, home=0.15)).status_code == 201
    now = of(tech, job)
    assert (len(now["runs"]), now["being_judged"]) == (1, True)
    stages = {s["stage"]: s["missing"] for s in now["progress"]["stages"]}
    assert (stages["measure"], stages["findings"]) == ("being worked out", "being worked out")
    assert "being worked out" in busy(tech, f"{path}/findings")["detail"]
    for file in ("sheet", "files/sheet.pdf"):
        assert busy(tech, f"{path}/{file}")["type"] == "urn:mavrik:problem:busy"
    assert len(waiting(tech, job)) == 1
    do_tasks(tech)
    assert of(tech, job)["being_judged"] is False
    assert findings(tech, job)["headline"]["text"] != "Nothing measured yet."
    listed = tech.get(f"/api/jobs?search={job['number']}").json["jobs"][0]  # type: ignore[index]
    assert listed["headline"]["text"] == findings(tech, job)["headline"]["text"]


def test_what_is_judged_in_the_queue_is_what_would_have_been_judged_at_once(
    tech: Caller, job: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    assert keep(tech, job, drops(feed=0.121, fuse=0.053, home=0.15)).status_code == 201
    at_once = findings(tech, job)
    monkeypatch.setattr(finding, "AT_ONCE_WORK", 100.0)
    # Of another reasoning: what was found before counts no more.
    monkeypatch.setattr(finding, "REASONING", finding.REASONING + 1)
    lock = of(tech, job)["lock"]
    details = {k: v for k, v in of(tech, job).items() if k in ("customer", "vehicle", "complaint")}
    assert tech.put(f"/api/jobs/{job['id']}", {**details, "lock": lock}).status_code == 200
    assert of(tech, job)["being_judged"] is True
    do_tasks(tech)
    assert findings(tech, job) == at_once


def test_what_is_read_meanwhile_is_judged_too_and_once(
    tech: Caller, job: dict[str, Any], little_patience: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert keep(tech, job, drops(feed=0.121)).status_code == 201
    judged: list[int] = []
    really = judge._judged

    def slowly(of: Any) -> Any:
        judged.append(len(of.runs))
        if len(judged) == 1:
            assert keep(tech, job, drops(feed=0.121, home=0.4)).status_code == 201
        return really(of)

    monkeypatch.setattr(judge, "_judged", slowly)
    do_tasks(tech)
    assert (judged, waiting(tech, job)) == ([1, 2], [])
    assert findings(tech, job)["tests"][0]["repeats"] == [] and findings(tech, job)["headline"]["element"] == "home"


def test_a_job_whose_findings_are_outdated_is_judged_when_it_is_looked_at(
    tech: Caller, job: dict[str, Any], little_patience: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As after an update of the program: the page that asks first has it put into the queue, though it is told to come again."""
    monkeypatch.setattr(finding, "REASONING", finding.REASONING + 1)
    busy(tech, f"/api/jobs/{job['id']}/findings")
    assert len(waiting(tech, job)) == 1
    busy(tech, f"/api/jobs/{job['id']}/findings")
    assert len(waiting(tech, job)) == 1
    do_tasks(tech)
    assert findings(tech, job)["headline"]["text"] == "Nothing measured yet."


def test_a_circuit_without_an_operating_point_ends_in_words_from_the_queue_too(
    tech: Caller, job: dict[str, Any], little_patience: None
) -> None:
    document = simple_document()
    document["loads"] = [
        {"id": "winch", "label": "Winch", "from_node": "plus", "to_node": "minus", "current_a": 1900, "law": "power"}
    ]
    version = of(tech, job)["circuits"][-1]
    sent = {"document": document, "lock": version["lock"], "circuit_id": version["id"]}
    assert tech.put(f"/api/jobs/{job['id']}/circuit", sent).status_code == 200
    do_tasks(tech)
    assert (of(tech, job)["being_judged"], waiting(tech, job)) == (False, [])


def test_a_draft_that_takes_too_long_is_refused_in_words(tech: Caller, job: dict[str, Any], little_patience: None) -> None:
    sent = {"circuit": simple_document(), "run": drops(feed=0.121, fuse=0.053, home=0.15)}
    answer = tech.post(f"/api/jobs/{job['id']}/findings/draft", sent)
    assert (answer.status_code, answer.json["type"]) == (422, "urn:mavrik:problem:too-large")  # type: ignore[index]


def test_what_was_judged_before_is_not_judged_again(tech: Caller, job: dict[str, Any], monkeypatch: pytest.MonkeyPatch) -> None:
    """Ticking a step or correcting a name at the bench waits for no judgement; a reading, a limit or another circuit does."""
    judged: list[int] = []
    real = finding.judge
    monkeypatch.setattr(finding, "judge", lambda circuit, runs, *more: judged.append(len(runs)) or real(circuit, runs, *more))
    path = f"/api/jobs/{job['id']}"
    assert keep(tech, job, drops(feed=0.121, fuse=0.053, home=0.15)).status_code == 201
    assert judged == [1]
    first = findings(tech, job)
    details = {
        "customer": {"name": "A"},
        "vehicle": {"description": "B", "kind": "van", "system_voltage_v": 12},
        "complaint": "C",
    }
    saved = tech.put(path, {**details, "lock": of(tech, job)["lock"]})
    assert saved.status_code == 200, saved.text
    book = tech.get(f"{path}/build").json["document"]  # type: ignore[index]
    ticked = {**book, "anew": ["feed"], "ticks": [{"step": "make:feed"}]}
    assert tech.post(f"{path}/build?revision=0", ticked).status_code == 201
    assert judged == [1] and findings(tech, job) == first
    # What is the same in another job is found there; a limit changes what is judged.
    other = tech.post("/api/jobs", details).json
    assert other is not None
    assert tech.put(f"/api/jobs/{other['id']}/circuit", {"document": simple_document(), "lock": None}).status_code == 200
    assert judged == [1] and findings(tech, other)["headline"]["text"] == "Nothing measured yet."
    strict = tech.put(path, {**details, "limit_profile": "strict", "lock": of(tech, job)["lock"]})
    assert strict.status_code == 200 and judged == [1, 1] and findings(tech, job)["limit_profile"] == "strict"

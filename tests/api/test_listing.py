"""The list of jobs: every job once, page by page, in every order; what it shows is what the job itself says."""

from __future__ import annotations

import uuid
from datetime import UTC, date, datetime, timedelta
from typing import Any
from urllib.parse import urlencode

import pytest
from sqlalchemy import event, text

from mavrik.jobs.listing import MOST_PAGE
from mavrik.store.database import Database
from tests.api.conftest import Caller, drops, job_body, keep
from tests.build import simple_document


def today() -> date:
    """As the server has it, when it is asked: a suite that runs over midnight has two."""
    return datetime.now(UTC).date()


def listed(caller: Caller, **query: Any) -> dict[str, Any]:
    answer = caller.get(f"/api/jobs?{urlencode(query)}")
    assert answer.status_code == 200, answer.text
    page: dict[str, Any] = answer.json  # type: ignore[assignment]
    return page


def all_pages(caller: Caller, **query: Any) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = []
    after = ""
    while True:
        page = listed(caller, **query, after=after)
        rows += page["jobs"]
        after = page["next"]
        if not after:
            assert len(rows) == page["total"]
            return rows


@pytest.fixture(scope="module")
def word() -> str:
    """What the jobs of this file have in their complaint and no other has."""
    return f"word{uuid.uuid4().hex[:8]}"


@pytest.fixture
def seven(tech: Caller, word: str) -> list[dict[str, Any]]:
    """Jobs of all states and dates."""
    if rows := all_pages(tech, search=word):
        return rows
    dates = [None, today(), today() + timedelta(3), today() - timedelta(1), today() + timedelta(30), today(), None]
    for k, day in enumerate(dates):
        body = job_body(
            complaint=f"{word} number {k}",
            promised=day.isoformat() if day else None,
            purposes=["isolate", "find_fault"] if k % 2 else ["find_fault"],
            vehicle={"description": f"Sledge {k}", "kind": "boat" if k < 3 else "car", "system_voltage_v": 12},
        )
        made = tech.post("/api/jobs", body).json
        assert made is not None
        if k in (3, 6):
            done = {**body, "lock": made["lock"], "state": "done" if k == 6 else "waiting"}
            assert tech.put(f"/api/jobs/{made['id']}", done).status_code == 200
    return all_pages(tech, search=word)


@pytest.mark.parametrize("order", ["due", "newest", "touched"])
@pytest.mark.parametrize("limit", [1, 2, 3, 7, 50])
def test_pages_hold_every_job_once_in_the_order_that_is_asked(
    tech: Caller, word: str, seven: list[dict[str, Any]], order: str, limit: int
) -> None:
    rows = all_pages(tech, search=word, order=order, limit=limit)
    ids = [row["id"] for row in rows]
    assert len(ids) == len(set(ids)) == 7
    if order == "due":
        keys = [(row["state"] == "done", row["promised"] or "9999", -row["id"]) for row in rows]
        assert keys == sorted(keys)
    elif order == "newest":
        assert ids == sorted(ids, reverse=True)
    else:
        assert ids == [row["id"] for row in all_pages(tech, search=word, order=order)]


def test_a_job_that_comes_in_meanwhile_moves_no_other_between_pages(
    tech: Caller, boss: Caller, word: str, seven: list[dict[str, Any]]
) -> None:
    first = listed(tech, search=word, limit=3)
    assert tech.post("/api/jobs", job_body(complaint=f"{word} late", promised=str(today() - timedelta(9)))).status_code == 201
    rest = listed(tech, search=word, after=first["next"])
    assert [r["id"] for r in first["jobs"] + rest["jobs"]] == [r["id"] for r in seven]
    (late,) = all_pages(tech, search=f"{word} late")
    assert boss.put(f"/api/jobs/{late['id']}/shelf", {"shelf": "basket"}).status_code == 200


@pytest.mark.parametrize(
    ("filters", "numbers"),
    [
        ({"state": "waiting"}, {3}),
        ({"state": "done"}, {6}),
        ({"purpose": "isolate"}, {1, 3, 5}),
        ({"vehicle_kind": "boat"}, {0, 1, 2}),
        ({"due": "overdue"}, {3}),
        ({"due": "week"}, {1, 2, 5}),
        ({"due": "never"}, {0}),
        ({"due": "week", "purpose": "isolate", "vehicle_kind": "car"}, {5}),
    ],
)
def test_filters_leave_what_they_say(
    tech: Caller, word: str, seven: list[dict[str, Any]], filters: dict[str, str], numbers: set[int]
) -> None:
    rows = all_pages(tech, search=f"{word} number", limit=2, **filters)
    assert {int(row["complaint"][-1]) for row in rows} == numbers


def test_who_worked_on_it(tech: Caller, other: Caller, word: str, seven: list[dict[str, Any]]) -> None:
    names = {p["name"]: p["id"] for p in tech.get("/api/people/names").json["people"]}  # type: ignore[index]
    assert len(all_pages(tech, search=f"{word} number", who=names["Tech"])) == 7
    assert not all_pages(tech, search=f"{word} number", who=names["Other"])
    body = job_body(complaint=seven[0]["complaint"] + " touched")
    full = other.get(f"/api/jobs/{seven[0]['id']}").json
    assert full is not None
    assert other.put(f"/api/jobs/{full['id']}", {**body, "lock": full["lock"]}).status_code == 200
    assert [r["id"] for r in all_pages(tech, search=f"{word} number", who=names["Other"])] == [full["id"]]
    assert listed(tech, search=word, order="touched")["jobs"][0]["id"] == full["id"]
    assert (
        other.put(f"/api/jobs/{full['id']}", {**job_body(complaint=seven[0]["complaint"]), "lock": full["lock"] + 1}).status_code
        == 200
    )


def test_words_are_found_in_every_place_whatever_their_letters(tech: Caller) -> None:
    mark = uuid.uuid4().hex[:10]
    made = tech.post("/api/jobs", job_body(customer={"name": f"Öl & 100%_{mark} Söhne"}, complaint="hums\\buzzes")).json
    assert made is not None
    for search in (f"öL {mark.upper()}", f"100%_{mark}", f"{mark} hums\\buzzes", f"{mark} handcart", f"{mark} {made['number']}"):
        assert [r["id"] for r in all_pages(tech, search=search)] == [made["id"]], search
    assert not all_pages(tech, search=f"{mark} 100x{mark}")


@pytest.mark.parametrize(
    "after", ["x", "W10", "WyJkdWUiXQ", "WyJuZXdlc3QiLCAiMSJd", "WyJkdWUiLCJtYXliZSIsIngiLCJ5Il0", "WyJkdWUiLCJmYWxzZSIsIjIwMjYtMDEtMDEiLCI5OTk5OTk5OTk5OTk5OTkiXQ", "=" * 200]
)  # fmt: skip
def test_a_place_that_no_page_ended_at_is_refused(tech: Caller, after: str) -> None:
    answer = tech.get(f"/api/jobs?after={after}")
    assert answer.status_code == 422 and "go on from there" in answer.text
    assert tech.get("/api/jobs").status_code == 200


@pytest.mark.parametrize(
    "query", ["limit=0", f"limit={MOST_PAGE + 1}", "order=odd", "state=lost", "due=soon", "who=0", "shelf=attic", "odd=1"]
)
def test_what_no_list_knows_is_refused(tech: Caller, query: str) -> None:
    assert tech.get(f"/api/jobs?{query}").status_code == 422


def test_what_the_list_says_of_a_job_is_what_the_job_says(tech: Caller, database_url: str) -> None:
    """After every use case that changes a job, the row kept for the list is the one that would be made now."""
    mark = f"same{uuid.uuid4().hex[:8]}"
    made: dict[str, Any] = tech.post(
        "/api/jobs", job_body(complaint=mark, loads_to_add=[{"label": "Winch", "current_a": 40}])
    ).json  # type: ignore[assignment]
    where = f"/api/jobs/{made['id']}"

    def same() -> dict[str, Any]:
        job: dict[str, Any] = tech.get(where).json  # type: ignore[assignment]
        row: dict[str, Any] = listed(tech, search=mark)["jobs"][0]
        assert row["progress"] == job["progress"]
        answer = tech.get(f"{where}/findings")
        assert row["headline"] == (answer.json["findings"]["headline"] if answer.status_code == 200 else None)  # type: ignore[index]
        for name in ("number", "complaint", "state", "promised", "purposes"):
            assert row[name] == job[name]
        return job

    same()
    assert tech.put(f"{where}/circuit", {"document": simple_document(), "lock": None}).status_code == 200
    job = same()
    assert keep(tech, job, drops(100, home=0.05)).status_code == 201
    job = same()
    assert "to carry 40 A more, plan the change" in listed(tech, search=mark)["jobs"][0]["headline"]["text"]
    assert tech.post(f"{where}/plan", {"target_current_a": 150}).status_code == 201
    job = same()
    # What is planned is not to be planned once more, on the sheet and from a bundle as little as in the list.
    assert "to carry 40 A more, see the plan" in listed(tech, search=mark)["jobs"][0]["headline"]["text"]
    assert "see the plan" in tech.get(f"{where}/sheet").text
    details = {**job_body(complaint=f"{mark} more"), "lock": job["lock"], "purposes": ["more_load"]}
    assert tech.put(where, details).status_code == 200
    job = same()
    assert tech.put(where, {**details, "lock": job["lock"], "state": "done"}).status_code == 200
    same()
    assert tech.post(f"{where}/reopen", {"reason": "forgot the strap"}).status_code == 200
    same()


def test_rows_that_an_earlier_program_kept_are_made_anew_and_searched_all_the_while(tech: Caller, database_url: str) -> None:
    mark = f"old{uuid.uuid4().hex[:8]}"
    made: dict[str, Any] = tech.post("/api/jobs", job_body(complaint=mark)).json  # type: ignore[assignment]
    database = Database(database_url)
    with database.engine.begin() as connection:
        connection.execute(
            text("UPDATE job_summaries SET made_by = '', progress = '{}', touched_at = '2020-01-01' WHERE job_id = :job"),
            {"job": made["id"]},
        )
    database.dispose()
    (row,) = listed(tech, search=mark)["jobs"]
    assert row["progress"]["missing"] == "the circuit" and not row["damaged"]
    newest = listed(tech, order="touched")["jobs"]
    assert made["id"] not in [r["id"] for r in newest[:1]], "that somebody looked at it is no change"


def test_the_list_reads_no_revision_and_asks_the_database_a_few_times_only(
    tech: Caller, seven: list[dict[str, Any]], app: Any
) -> None:
    listed(tech)
    requests: list[str] = []

    def note(connection: Any, cursor: Any, statement: str, *rest: Any) -> None:
        requests.append(statement)

    engine = app.extensions["mavrik_database"].engine
    event.listen(engine, "before_cursor_execute", note)
    try:
        listed(tech, limit=49)  # not what was kept of the one before
    finally:
        event.remove(engine, "before_cursor_execute", note)
    assert not any("circuit_versions" in s or "job_findings" in s or "FROM runs" in s for s in requests)
    assert 2 <= len(requests) <= 6

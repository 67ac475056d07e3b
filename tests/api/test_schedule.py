"""The schedule by the API: what jobs ask, kept and lost to somebody else, laid out by the queue, and calendars under secret addresses."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import Any

import pytest
from flask import Flask

from mavrik.store.database import Database
from mavrik.store.models import CalendarFeed
from tests.api.conftest import Caller, describe, do_tasks, job_body, made_app
from tests.api.test_people import as_kept, make, signed_in
from tests.conftest import fresh_database


@pytest.fixture(scope="module")
def database_url(admin_url: str) -> Iterator[str]:
    """A workshop with no other test's jobs in it: work that has to be laid out beside a hundred of them is not weighed to the end."""
    with fresh_database(admin_url) as url:
        yield url


@pytest.fixture(scope="module")
def app(database_url: str, tmp_path_factory: pytest.TempPathFactory, quick_hashes: object) -> Flask:
    made: Flask = made_app(database_url, tmp_path_factory.mktemp("static"))
    return made


def answered(response: Any, status: int = 200) -> Any:
    assert response.status_code == status, response.text
    return response.json


def kept(who: Caller, document: dict[str, Any]) -> Any:
    revision = answered(who.get("/api/schedule"))["revision"]
    return answered(who.put("/api/schedule", {"document": document, "revision": revision}))


def blocks_of(view: dict[str, Any], job: dict[str, Any]) -> dict[str, Any]:
    return {b["kind"]: b for b in view["blocks"] if b["job_id"] == job["id"]}


def first_hour(record: dict[str, Any]) -> str:
    """The second morning from now on: no clock that moves on makes it the past."""
    now = record["view"]["now"]
    return str(sorted({o["begins"] for o in record["view"]["open"] if o["begins"][:10] > now[:10]})[1])


@pytest.fixture
def leads(tech: Caller) -> dict[str, Any]:
    """A job of which two leads are to be made."""
    made: dict[str, Any] = answered(tech.post("/api/jobs", job_body(purposes=["make_leads"])), 201)
    path = describe(tech, made["id"])
    answered(tech.post(f"{path}/build", {"anew": ["charge_cable"]}), 201)
    return made


def test_a_job_asks_for_what_is_left_of_it(tech: Caller, leads: dict[str, Any], job: dict[str, Any]) -> None:
    waiting = {w["job_id"]: w for w in answered(tech.get("/api/schedule"))["view"]["waiting"]}
    assert waiting[leads["id"]]["kinds"] == ["make", "fit"]
    assert waiting[job["id"]]["kinds"] == ["measure"]
    # A lead that is made asks for no bench any more.
    book = answered(tech.get(f"/api/jobs/{leads['id']}/build"))["document"]
    answered(tech.post(f"/api/jobs/{leads['id']}/build", {**book, "ticks": [{"step": "make:charge_cable"}]}), 201)
    after = {w["job_id"]: w for w in answered(tech.get("/api/schedule"))["view"]["waiting"]}
    assert after[leads["id"]]["kinds"] == ["fit"]
    assert after[leads["id"]]["minutes"] < waiting[leads["id"]]["minutes"]


def test_a_job_says_when_it_is_worked_on(tech: Caller, leads: dict[str, Any]) -> None:
    path = f"/api/jobs/{leads['id']}"
    assert answered(tech.get(path))["planned"] == []
    now = answered(tech.get("/api/schedule"))
    begins, bay, worker = first_hour(now), now["workshop"]["bays"][0], now["workshop"]["people"][0]
    places = [
        {"job_id": leads["id"], "kind": "fit", "begins": f"{begins[:11]}14:00:00", "bay": bay["id"], "people": [worker["id"]]},
        {"job_id": leads["id"], "kind": "make", "begins": begins, "people": [worker["id"]]},
        # Long over: nobody looks for it on a job's page.
        {"job_id": leads["id"], "kind": "measure", "begins": "2020-01-06T08:00:00", "bay": bay["id"]},
    ]
    others = [p for p in now["document"]["placed"] if p["job_id"] != leads["id"]]
    kept(tech, {**now["document"], "placed": [*others, *places]})
    works = answered(tech.get(path))["planned"]
    assert [(w["label"], w["begins"][:13], w["bay"], w["people"]) for w in works] == [
        ("Make leads", begins[:13], "", [worker["label"]]),
        ("Work on the vehicle", f"{begins[:11]}14", bay["label"], [worker["label"]]),
    ]
    kept(tech, {**now["document"], "placed": others})


def test_what_was_moved_on_a_telephone_is_read_and_not_kept(tech: Caller, leads: dict[str, Any]) -> None:
    now = answered(tech.get("/api/schedule"))
    begins = first_hour(now)
    place = {"job_id": leads["id"], "kind": "make", "begins": begins, "people": [now["workshop"]["people"][0]["id"]]}
    mine = {**now["document"], "placed": [*now["document"]["placed"], place]}
    later = f"{begins[:11]}14:15:00"
    entry = f"UID:job-{leads['id']}-make-0@mavrik\nDTSTART:{later.replace('-', '').replace(':', '')}"
    text = f"BEGIN:VCALENDAR\nBEGIN:VEVENT\n{entry}\nEND:VEVENT\nEND:VCALENDAR\n"
    read = answered(tech.post("/api/schedule/moves/read", {"text": text, "document": mine}))
    assert [p["begins"] for p in read["document"]["placed"] if p["job_id"] == leads["id"]] == [later]
    assert len(read["messages"]) == 1 and read["messages"][0].endswith("14:15.")
    assert answered(tech.get("/api/schedule"))["revision"] == now["revision"]
    wrong = tech.post("/api/schedule/moves/read", {"text": "moved", "document": mine})
    assert wrong.status_code == 422 and wrong.json["problems"][0]["field"] == "text"


def test_what_a_job_asks_follows_prices_stock_and_its_own_book(tech: Caller, boss: Caller, leads: dict[str, Any]) -> None:
    """It is worked out once and kept: whatever it comes from makes it anew."""

    def waits() -> dict[str, Any]:
        view = answered(tech.get("/api/schedule"))["view"]
        return next(w for w in view["waiting"] if w["job_id"] == leads["id"])

    before = waits()
    assert waits() == before
    prices = answered(boss.get("/api/prices"))
    slow = {**prices["document"], "lead_h": prices["document"]["lead_h"] + 4}
    now = answered(boss.put("/api/prices", {"document": slow, "revision": prices["revision"]}))["revision"]
    assert waits()["minutes"] > before["minutes"]
    answered(boss.put("/api/prices", {"document": prices["document"], "revision": now}))
    assert waits()["minutes"] == before["minutes"]
    book = answered(tech.get(f"/api/jobs/{leads['id']}/build"))["document"]
    bill = answered(tech.post(f"/api/jobs/{leads['id']}/build/bill", book))
    held = answered(tech.get("/api/stock"))["on_hand"]["quantity"]
    for line in bill["lines"]:
        if not line["by_length"]:
            answered(tech.post("/api/stock/received", {"number": line["number"], "quantity": 100}), 201)
        else:
            answered(tech.post("/api/stock/received", {"number": line["number"], "quantity": 10_000}), 201)
    assert before["parts_on"] is not None and waits()["parts_on"] is None
    stock = answered(boss.get("/api/stock"))
    counts = [
        {
            "number": x["number"],
            **({"reels_mm": []} if x["number"].startswith("CB") else {"quantity": max(held.get(x["number"], 0), 0)}),
        }
        for x in bill["lines"]
    ]
    answered(boss.put("/api/stock", {"document": stock["document"], "revision": stock["revision"], "counts": counts}))
    assert waits()["parts_on"] is not None
    answered(tech.post(f"/api/jobs/{leads['id']}/build", {**book, "anew": ["charge_cable", "battery_lead"]}), 201)
    assert waits()["minutes"] > before["minutes"]


def test_a_place_is_looked_at_kept_and_lost_to_who_was_first(
    tech: Caller, other: Caller, reader: Caller, job: dict[str, Any]
) -> None:
    now = answered(tech.get("/api/schedule"))
    at = first_hour(now)
    place = {"job_id": job["id"], "kind": "measure", "begins": at, "bay": "bay_1", "people": ["first"]}
    mine = {**now["document"], "placed": [*now["document"]["placed"], place]}
    seen = answered(tech.post("/api/schedule/preview", mine))
    assert blocks_of(seen, job)["measure"]["begins"] == at
    assert not blocks_of(answered(tech.get("/api/schedule"))["view"], job)
    saved = answered(tech.put("/api/schedule", {"document": mine, "revision": now["revision"]}))
    assert saved["revision"] == now["revision"] + 1 and blocks_of(saved["view"], job)["measure"]["bay"] == "bay_1"
    late = other.put("/api/schedule", {"document": now["document"], "revision": now["revision"]})
    assert late.status_code == 409
    assert late.json and late.json["theirs"]["revision"] == saved["revision"]
    assert reader.put("/api/schedule", {"document": mine, "revision": saved["revision"]}).status_code == 403
    # What cannot be is kept all the same, and said.
    clash = {**place, "bay": "bay_9"}
    odd = kept(tech, {**mine, "placed": [*now["document"]["placed"], clash]})
    assert any(job["id"] in c["job_ids"] and "has no bay" in c["text"] for c in odd["view"]["conflicts"])
    kept(tech, now["document"])


def test_two_who_keep_at_one_moment_do_not_both_win(tech: Caller, other: Caller) -> None:
    jobs = [answered(tech.post("/api/jobs", job_body()), 201)["id"] for _ in range(2)]
    now = answered(tech.get("/api/schedule"))
    start, codes = threading.Barrier(2), list[int]()

    def save(caller: Caller, job_id: int) -> None:
        body = {**now["document"], "wishes": [{"job_id": job_id, "left_out": True}]}
        start.wait()
        codes.append(caller.put("/api/schedule", {"document": body, "revision": now["revision"]}).status_code)

    threads = [threading.Thread(target=save, args=(c, jobs[k])) for k, c in enumerate((tech, other))]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(codes) == [200, 409]
    kept(tech, now["document"])


def test_bad_input_is_told_at_its_place(tech: Caller, boss: Caller) -> None:
    place = {"job_id": 3, "kind": "fit", "begins": "2026-12-01T08:00", "bay": "bay_1", "people": []}
    twice = tech.post("/api/schedule/preview", {"placed": [place, place]})
    assert twice.status_code == 422 and twice.json and twice.json["problems"][0]["field"] == "placed"
    for wrong in ({"begins": "2026-12-01T08:07"}, {"begins": "soon"}, {"job_id": 0}, {"kind": "sleep"}, {"people": ["p"] * 9}):
        assert tech.post("/api/schedule/preview", {"placed": [{**place, **wrong}]}).status_code == 422
    means = answered(boss.get("/api/workshop"))
    for change in ({"bays": []}, {"shifts": [{"weekday": 0, "begins": "17:00", "ends": "08:00"}]}, {"measure_min": 0}):
        body = {"document": {**means["document"], **change}, "revision": means["revision"]}
        assert boss.put("/api/workshop", body).status_code == 422
    assert tech.put("/api/workshop", {"document": means["document"], "revision": means["revision"]}).status_code == 403
    assert tech.post("/api/workshop/closed/read", {"text": "no calendar"}).status_code == 422


def test_means_are_kept_and_a_workshop_that_never_opens_says_so(tech: Caller, boss: Caller) -> None:
    means = answered(boss.get("/api/workshop"))
    shut = {**means["document"], "closed": [{"first": "2000-01-01", "last": "2099-12-31", "label": "Given up"}]}
    saved = answered(boss.put("/api/workshop", {"document": shut, "revision": means["revision"]}))
    answer = tech.get("/api/schedule")
    assert answer.status_code == 422 and "closed on every day" in answer.text
    assert tech.get("/api/schedule.ics").status_code == 422
    answered(boss.put("/api/workshop", {"document": means["document"], "revision": saved["revision"]}))
    assert tech.get("/api/schedule").status_code == 200
    days = "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nDTSTART;VALUE=DATE:20261224\nEND:VEVENT\nEND:VCALENDAR\n"
    read = answered(tech.post("/api/workshop/closed/read", {"text": days}))
    assert read["closed"] == [{"first": "2026-12-24", "last": "2026-12-24", "label": ""}]


def test_pinned_work_in_its_own_way_is_named_by_the_task(tech: Caller, job: dict[str, Any]) -> None:
    second = answered(tech.post("/api/jobs", job_body()), 201)
    now = answered(tech.get("/api/schedule"))
    place = {"kind": "measure", "begins": first_hour(now), "bay": "bay_1", "people": ["first"], "pinned": True}
    both = [{**place, "job_id": job["id"]}, {**place, "job_id": second["id"], "people": ["second"]}]
    task = answered(tech.post("/api/schedule/layouts", {"placed": both}), 201)
    do_tasks(tech)
    ended = answered(tech.get(f"/api/tasks/{task['id']}"))
    assert ended["state"] == "failed" and "Bay 1 has two vehicles" in ended["problem"]
    assert tech.get(f"/api/schedule/layouts/{task['id']}").status_code == 404


def fetch(app: Flask, path: str) -> Any:
    """As a calendar program does it: without a cookie."""
    return app.test_client().get(path)


def test_a_calendar_address_is_read_without_signing_in_until_it_is_revoked(
    app: Flask, tech: Caller, other: Caller, job: dict[str, Any], database_url: str
) -> None:
    now = answered(tech.get("/api/schedule"))
    place = {"job_id": job["id"], "kind": "measure", "begins": first_hour(now), "bay": "bay_1", "people": ["first"]}
    kept(tech, {"placed": [place]})
    made = answered(tech.post("/api/calendar-feeds", {"label": "My telephone"}), 201)
    theirs = answered(tech.post("/api/calendar-feeds", {"label": "Second's", "worker": "second"}), 201)
    got = fetch(app, made["path"])
    assert got.status_code == 200 and got.mimetype == "text/calendar"
    assert f"UID:job-{job['id']}-measure-0@mavrik" in got.text
    assert "BEGIN:VEVENT" not in fetch(app, theirs["path"]).text
    assert tech.get("/api/schedule.ics").text.count("BEGIN:VEVENT") == got.text.count("BEGIN:VEVENT")
    assert app.test_client().get("/api/schedule.ics").status_code == 401
    feeds = {f["id"]: f for f in answered(tech.get("/api/calendar-feeds"))["feeds"]}
    assert feeds[made["feed"]["id"]]["fetched_at"] is not None
    # The address is nowhere: neither in what is listed nor in the database.
    token = made["path"].split("/")[-1].removesuffix(".ics")
    assert token not in tech.get("/api/calendar-feeds").text
    database = Database(database_url)
    with database.session() as session:
        assert all(token not in f.token_hash for f in session.query(CalendarFeed))
    database.dispose()
    # Nobody else's to revoke.
    assert other.send("DELETE", f"/api/calendar-feeds/{made['feed']['id']}").status_code == 404
    answered(tech.send("DELETE", f"/api/calendar-feeds/{made['feed']['id']}"))
    assert fetch(app, made["path"]).status_code == 404
    assert fetch(app, theirs["path"]).status_code == 200
    assert fetch(app, "/api/calendar/guessed.ics").status_code == 404
    answered(tech.send("DELETE", f"/api/calendar-feeds/{theirs['feed']['id']}"))
    kept(tech, now["document"])


def test_a_closed_account_has_no_calendar_and_nobody_has_hundreds(app: Flask, boss: Caller) -> None:
    person = make(boss, "subscriber")
    leaver = signed_in(app, "subscriber")
    paths = [answered(leaver.post("/api/calendar-feeds", {"label": f"Feed {k}"}), 201)["path"] for k in range(10)]
    assert leaver.post("/api/calendar-feeds", {"label": "One more"}).status_code == 429
    assert fetch(app, paths[0]).status_code == 200
    answered(boss.put(f"/api/people/{person['id']}", as_kept(person, active=False)))
    assert fetch(app, paths[0]).status_code == 404


def test_a_job_finds_the_first_free_place_and_moves_nobody(tech: Caller, leads: dict[str, Any], job: dict[str, Any]) -> None:
    now = answered(tech.get("/api/schedule"))
    at = first_hour(now)
    place = {"job_id": job["id"], "kind": "measure", "begins": at, "bay": "bay_1", "people": ["first"]}
    mine = {"placed": [place], "wishes": [{"job_id": leads["id"], "left_out": True}]}
    made = answered(tech.post("/api/schedule/place", {"document": mine, "job_id": leads["id"]}))
    assert {p["kind"] for p in made["placed"] if p["job_id"] == leads["id"]} == {"make", "fit"}
    assert [p["begins"][:16] for p in made["placed"] if p["job_id"] == job["id"]] == [at[:16]]
    assert answered(tech.post("/api/schedule/preview", made))["conflicts"] == []

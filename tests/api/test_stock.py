"""The stock by the API: counted, taken in, taken out by a tick and put back, and two who take the last of it."""

from __future__ import annotations

import threading
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from mavrik.jobs.shelving import BASKET_KEEPS, empty_basket
from mavrik.store.database import Database
from tests.api.conftest import Caller, describe, job_body


def answered(response: Any, status: int = 200) -> Any:
    assert response.status_code == status, response.text
    return response.json


@pytest.fixture
def path(tech: Caller, job: dict[str, Any]) -> str:
    """A job whose circuit is described, and nothing planned."""
    return describe(tech, job["id"])


def there(who: Caller, number: str) -> Any:
    known = answered(who.get("/api/stock"))["on_hand"]
    return [r["mm"] for r in known["reels"][number]] if number in known["reels"] else known["quantity"].get(number, 0)


def counted(boss: Caller, *counts: dict[str, Any]) -> Any:
    now = answered(boss.get("/api/stock"))
    return answered(boss.put("/api/stock", {"document": now["document"], "revision": now["revision"], "counts": counts}))


BOOK = {"anew": ["charge_cable"], "leads": [{"branch_id": "charge_cable", "route_mm": 1200}]}


def test_what_is_made_is_taken_out_and_put_back_when_it_was_not(tech: Caller, boss: Caller, path: str) -> None:
    counted(
        boss,
        {"number": "CB-25", "reels_mm": [20_000, 3000]},
        {"number": "LG-25-M8", "quantity": 12},
        {"number": "SH-12", "quantity": 900},
    )
    bill = answered(tech.post(f"{path}/build/bill", BOOK))
    cable, lug, sleeve = bill["lines"]
    assert (cable["number"], lug["number"], sleeve["number"]) == ("CB-25", "LG-25-M8", "SH-12")
    assert cable["buy"] == lug["buy"] == sleeve["buy"] == 0 and bill["days"] == 0
    cut = cable["takes"][0]["quantity"]
    # The bill is looked at, nothing is taken yet.
    assert there(tech, "CB-25") == [20_000, 3000] and there(tech, "LG-25-M8") == 12
    kept = answered(tech.post(f"{path}/build", {**BOOK, "ticks": [{"step": "make:charge_cable"}]}), 201)
    assert there(tech, "CB-25") == [20_000, pytest.approx(3000 - cut)]
    assert there(tech, "LG-25-M8") == 10 and there(tech, "SH-12") < 900
    after = answered(tech.post(f"{path}/build/bill", kept["document"]))
    assert after["total"] == bill["total"] and after["lines"][0]["used"] == pytest.approx(cut / 1000)
    # Kept again it takes nothing again; not made after all, it is put back.
    answered(tech.post(f"{path}/build", {**kept["document"], "ticks": [*kept["document"]["ticks"], {"step": "safe"}]}), 201)
    assert there(tech, "LG-25-M8") == 10
    answered(tech.post(f"{path}/build", {**BOOK, "ticks": [{"step": "safe"}]}), 201)
    assert there(tech, "CB-25") == [20_000, 3000] and there(tech, "LG-25-M8") == 12 and there(tech, "SH-12") == 900


def test_a_book_that_is_refused_takes_nothing(tech: Caller, boss: Caller, path: str) -> None:
    counted(boss, {"number": "LG-25-M8", "quantity": 8})
    early = tech.post(f"{path}/build", {**BOOK, "ticks": [{"step": "make:charge_cable"}, {"step": "off:battery:positive"}]})
    assert early.status_code == 422
    answered(tech.post(f"{path}/build?revision=0", {**BOOK, "ticks": [{"step": "safe"}]}), 201)
    late = boss.post(f"{path}/build?revision=0", {**BOOK, "ticks": [{"step": "make:charge_cable"}]})
    assert late.status_code == 409 and there(tech, "LG-25-M8") == 8


def test_a_part_that_was_not_there_goes_below_none_and_a_receipt_mends_it(
    tech: Caller, boss: Caller, reader: Caller, path: str
) -> None:
    counted(boss, {"number": "LG-25-M8", "quantity": 1}, {"number": "CB-25", "reels_mm": []})
    bill = answered(tech.post(f"{path}/build/bill", BOOK))
    assert (bill["lines"][1]["from_stock"], bill["lines"][1]["buy"]) == (1, 5)
    answered(tech.post(f"{path}/build", {**BOOK, "ticks": [{"step": "make:charge_cable"}]}), 201)
    assert there(tech, "LG-25-M8") == -1
    came = answered(tech.post("/api/stock/received", {"number": "LG-25-M8", "quantity": 5}), 201)
    assert came["on_hand"]["quantity"]["LG-25-M8"] == 4
    reel = answered(tech.post("/api/stock/received", {"number": "CB-25", "quantity": 5000}), 201)
    assert [r["mm"] for r in reel["on_hand"]["reels"]["CB-25"]] == [5000]
    assert reader.post("/api/stock/received", {"number": "LG-25-M8", "quantity": 5}).status_code == 403
    assert tech.post("/api/stock/received", {"number": "NO-SUCH", "quantity": 5}).status_code == 404
    assert tech.post("/api/stock/received", {"number": "LG-25-M8", "quantity": 0}).status_code == 422


def test_a_mark_that_was_used_up_is_no_other_reels(tech: Caller, boss: Caller) -> None:
    counted(boss, {"number": "CB-95", "reels_mm": [9000]})
    first = answered(tech.get("/api/stock"))["on_hand"]["reels"]["CB-95"][0]["piece"]
    counted(boss, {"number": "CB-95", "reels_mm": []})
    answered(tech.post("/api/stock/received", {"number": "CB-95", "quantity": 8000}), 201)
    assert answered(tech.get("/api/stock"))["on_hand"]["reels"]["CB-95"][0]["piece"] != first


def test_a_count_of_the_wrong_kind_is_refused_whole(boss: Caller, tech: Caller) -> None:
    now = answered(boss.get("/api/stock"))
    for count, field in (
        ({"number": "CB-25", "quantity": 5}, "quantity"),
        ({"number": "LG-25-M8", "reels_mm": [500]}, "quantity"),
        ({"number": "NO-SUCH", "quantity": 5}, "number"),
    ):
        body = {"document": {"items": now["document"]["items"][1:]}, "revision": now["revision"], "counts": [count]}
        refused = boss.put("/api/stock", body)
        assert refused.status_code == 422 and refused.json["problems"][0]["field"] == field
        assert refused.json["problems"][0]["element"] == count["number"]
    assert answered(boss.get("/api/stock")) == now
    assert tech.put("/api/stock", {"document": now["document"], "revision": now["revision"]}).status_code == 403
    stale = boss.put("/api/stock", {"document": {"items": []}, "revision": now["revision"] + 7})
    assert stale.status_code == 409 and stale.json["theirs"]["revision"] == now["revision"]


def test_the_csv_is_what_the_list_is(boss: Caller, tech: Caller) -> None:
    counted(boss, {"number": "CB-50", "reels_mm": [7000]})
    text = tech.get("/api/stock.csv").text
    read = answered(tech.post("/api/stock/read", {"text": text}))
    now = answered(tech.get("/api/stock"))
    assert read["document"] == now["document"] and read["counted"]["reels"]["CB-50"] == now["on_hand"]["reels"]["CB-50"]
    wrong = tech.post("/api/stock/read", {"text": "number,label\n1,2"})
    assert wrong.status_code == 422 and "'kind' is missing" in wrong.json["detail"]


def test_of_two_who_cut_at_one_moment_neither_cuts_what_the_other_has(tech: Caller, boss: Caller) -> None:
    """Two jobs, one reel that is long enough for one of them: the second is told to buy, or cuts another."""
    counted(boss, {"number": "CB-25", "reels_mm": [2000, 2000]})
    paths = [describe(tech, answered(tech.post("/api/jobs", job_body()), 201)["id"]) for _ in range(2)]
    start = threading.Barrier(2)
    statuses: list[int] = []

    def make(who: Caller, at: str) -> None:
        start.wait()
        statuses.append(who.post(f"{at}/build", {**BOOK, "ticks": [{"step": "make:charge_cable"}]}).status_code)

    both = [threading.Thread(target=make, args=(who, at)) for who, at in zip((tech, boss), paths, strict=True)]
    for t in both:
        t.start()
    for t in both:
        t.join()
    assert statuses == [201, 201]
    left = there(tech, "CB-25")
    assert all(mm > 0 for mm in left) and len(left) == 2 and left[0] == pytest.approx(left[1])


def test_what_a_deleted_job_took_stays_taken(tech: Caller, boss: Caller, path: str, database_url: str) -> None:
    counted(boss, {"number": "LG-25-M8", "quantity": 6})
    answered(tech.post(f"{path}/build", {**BOOK, "ticks": [{"step": "make:charge_cable"}]}), 201)
    answered(boss.put(f"{path}/shelf", {"shelf": "basket"}))
    database = Database(database_url)
    with database.session() as session:
        assert empty_basket(session, datetime.now(UTC) + BASKET_KEEPS + timedelta(hours=1))
    database.dispose()
    assert tech.get(path).status_code == 404 and there(tech, "LG-25-M8") == 4


def test_what_was_made_elsewhere_or_before_the_stock_was_counted_takes_nothing(tech: Caller, boss: Caller, path: str) -> None:
    """A job taken in with its ticks has used its own workshop's parts; kept again here, only what is ticked here takes any."""
    counted(boss, {"number": "LG-25-M8", "quantity": 20})
    both = {**BOOK, "anew": ["charge_cable", "engine_strap"], "ticks": [{"step": "make:charge_cable"}]}
    answered(tech.post(f"{path}/build", both), 201)
    counted(boss, {"number": "LG-25-M8", "quantity": 20})
    read = answered(tech.post("/api/jobs/import", raw=tech.get(f"{path}/bundle").data), 201)
    other = f"/api/jobs/{read['id']}"
    kept = answered(tech.get(f"{other}/build"))["document"]
    answered(tech.post(f"{other}/build", {**kept, "leads": []}), 201)
    assert there(tech, "LG-25-M8") == 20
    bill = answered(tech.post(f"{other}/build/bill", kept))
    lines = {x["id"]: x for x in bill["lines"]}
    lugs = (
        sum(t["quantity"] for t in lines["lug:25 mm2:M8"]["takes"] if t["step"] == "make:engine_strap")
        if "lug:25 mm2:M8" in lines
        else 0
    )
    answered(tech.post(f"{other}/build", {**kept, "ticks": [*kept["ticks"], {"step": "make:engine_strap"}]}), 201)
    assert there(tech, "LG-25-M8") == 20 - lugs


def test_what_all_open_jobs_are_short_of_is_listed_once_and_written_out(tech: Caller, boss: Caller) -> None:
    first, second = (
        describe(tech, answered(tech.post("/api/jobs", job_body(purposes=["make_leads"])), 201)["id"]) for _ in range(2)
    )
    for path in (first, second):
        answered(tech.post(f"{path}/build", {"anew": ["engine_strap"]}), 201)
    alone = [
        x
        for x in answered(tech.post(f"{first}/build/bill", {"anew": ["engine_strap"]}))["lines"]
        if x["id"].startswith("lug:16 mm2")
    ]
    seen = answered(tech.get("/api/orders"))
    both = {int(path.rsplit("/", 1)[1]) for path in (first, second)}
    (lugs,) = (x for x in seen["lines"] if x["number"] == alone[0]["number"])
    assert both <= {j["job_id"] for j in lugs["jobs"]} and lugs["buy"] >= alone[0]["buy"]
    assert sum(j["quantity"] for j in lugs["jobs"]) == lugs["required"]
    written = tech.get("/api/orders.csv")
    assert written.mimetype == "text/csv" and f"\r\n{lugs['number']},".encode() in written.data
    # A job that is done asks for nothing.
    for path in (first, second):
        now = answered(tech.get(path))
        answered(
            tech.put(path, {k: now[k] for k in ("customer", "vehicle", "complaint", "purposes", "lock")} | {"state": "done"})
        )
    left = {j["job_id"] for x in answered(tech.get("/api/orders"))["lines"] for j in x["jobs"]}
    assert not both & left

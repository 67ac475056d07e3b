"""A quotation by the API: its figures stay, what changed since is said, and it is accepted under its number by name."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

import pytest

from tests.api.conftest import Caller, describe
from tests.api.test_stock import BOOK, answered

TODAY = datetime.now(UTC).date()
UNTIL = str(TODAY + timedelta(days=20))


@pytest.fixture
def path(tech: Caller, job: dict[str, Any]) -> str:
    return describe(tech, job["id"])


def test_what_was_offered_stays_as_it_was_and_what_changed_is_said(tech: Caller, boss: Caller, path: str) -> None:
    nothing = answered(tech.get(f"{path}/quotation"))
    assert nothing["revision"] == nothing["number"] == 0 and nothing["usual_until"] > str(TODAY)
    refused = tech.post(f"{path}/quotation", {"valid_until": UNTIL})
    assert refused.status_code == 422 and "nothing to offer" in refused.json["detail"]
    answered(tech.post(f"{path}/build", BOOK), 201)
    bill = answered(tech.post(f"{path}/build/bill", BOOK))
    made = answered(tech.post(f"{path}/quotation", {"valid_until": UNTIL, "note": "Parts on the shelf."}), 201)
    offered = made["document"]
    assert made["number"] == 1 and made["changed"] == "" and offered["total"] == bill["total"]
    assert sum(Decimal(x["amount"]) for x in offered["lines"]) + Decimal(offered["labour"]) == Decimal(offered["net"])
    # The labour gets dearer: the offer stays, and it is said.
    prices = answered(boss.get("/api/prices"))
    dearer = {**prices["document"], "labour_per_h": prices["document"]["labour_per_h"] * 2}
    kept = answered(boss.put("/api/prices", {"document": dearer, "revision": prices["revision"]}))
    try:
        later = answered(tech.get(f"{path}/quotation"))
        assert later["document"] == offered and later["changed"].startswith("The work has changed since: it comes to")
    finally:
        answered(boss.put("/api/prices", {"document": prices["document"], "revision": kept["revision"]}))
    pdf = tech.get(f"{path}/files/quotation.pdf")
    assert pdf.status_code == 200 and pdf.data.startswith(b"%PDF")


def test_it_is_accepted_once_by_name_and_keeps_its_number(tech: Caller, reader: Caller, path: str) -> None:
    answered(tech.post(f"{path}/build", BOOK), 201)
    first = answered(tech.post(f"{path}/quotation", {"valid_until": UNTIL}), 201)
    second = answered(tech.post(f"{path}/quotation", {"valid_until": UNTIL, "note": "By Friday."}), 201)
    assert (first["number"], second["number"]) == (1, 2)
    late = tech.post(f"{path}/quotation/accepted?revision={first['revision']}", {"by": "The owner"})
    assert late.status_code == 409 and "look at it" in late.json["detail"]
    assert reader.post(f"{path}/quotation/accepted?revision={second['revision']}", {"by": "The owner"}).status_code == 403
    forged = {"by": "The owner", "recorded_by": "Somebody else", "at": "2001-01-01T00:00:00Z"}
    yes = answered(tech.post(f"{path}/quotation/accepted?revision={second['revision']}", forged), 201)
    accepted = yes["document"]["accepted"]
    assert accepted["by"] == "The owner" and accepted["recorded_by"] == answered(tech.get("/api/session"))["name"]
    assert not accepted["at"].startswith("2001") and yes["number"] == 2 and yes["changed"] == ""
    again = answered(tech.post(f"{path}/quotation/accepted?revision={yes['revision']}", {"by": "Another"}), 201)
    assert again["document"] == yes["document"]


def test_what_nobody_has_priced_is_not_offered_and_a_day_that_is_past_is_none(tech: Caller, boss: Caller, path: str) -> None:
    answered(tech.post(f"{path}/build", BOOK), 201)
    past = tech.post(f"{path}/quotation", {"valid_until": str(TODAY - timedelta(days=1))})
    assert past.status_code == 422 and past.json["problems"][0]["field"] == "valid_until"
    stock = answered(boss.get("/api/stock"))
    bare = {"items": [i for i in stock["document"]["items"] if i["kind"] != "sleeve"]}
    kept = answered(boss.put("/api/stock", {"document": bare, "revision": stock["revision"]}))
    try:
        refused = tech.post(f"{path}/quotation", {"valid_until": UNTIL})
        assert refused.status_code == 422 and "Nobody has said what it costs: Shrink" in refused.json["detail"]
    finally:
        answered(boss.put("/api/stock", {"document": stock["document"], "revision": kept["revision"]}))
    assert tech.post(f"{path}/quotation/accepted?revision=0", {"by": "The owner"}).status_code == 404
    assert tech.get(f"{path}/files/quotation.pdf").status_code == 422


def test_it_travels_with_the_job(tech: Caller, path: str) -> None:
    answered(tech.post(f"{path}/build", BOOK), 201)
    made = answered(tech.post(f"{path}/quotation", {"valid_until": UNTIL}), 201)
    bundle = tech.get(f"{path}/bundle")
    read = answered(tech.post("/api/jobs/import", raw=bundle.data), 201)
    carried = answered(tech.get(f"/api/jobs/{read['id']}/quotation"))
    assert carried["document"] == made["document"] and carried["number"] == 1

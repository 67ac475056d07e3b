"""The work at the bench by the API: who ticked what, what is refused, and two people at it."""

from __future__ import annotations

import io
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from PIL import Image

from tests.api.conftest import Caller, describe


def answered(response: Any, status: int = 200) -> Any:
    assert response.status_code == status, response.text
    return response.json


@pytest.fixture
def path(tech: Caller, job: dict[str, Any]) -> str:
    """A job whose circuit is described, and nothing planned."""
    return describe(tech, job["id"])


def ticking(book: dict[str, Any], *steps: str) -> dict[str, Any]:
    return {**book, "ticks": [*book["ticks"], *({"step": s} for s in steps)]}


def test_a_book_is_begun_looked_at_kept_and_ticked_by_whoever_keeps_it(tech: Caller, boss: Caller, path: str) -> None:
    begun = answered(tech.get(f"{path}/build"))
    assert begun["revision"] == 0 and begun["view"]["cards"] == [] and len(begun["view"]["stays"]) > 3
    request = {**begun["document"], "anew": ["charge_cable"], "leads": [{"branch_id": "charge_cable", "route_mm": 1400}]}
    assert answered(tech.post(f"{path}/build/preview", request))["cards"][0]["finished_mm"] == pytest.approx(1400 * 1.03)
    assert answered(tech.get(f"{path}/build"))["revision"] == 0
    # Whoever sends it has done it, whatever the document says.
    forged = {**request, "ticks": [{"step": "make:charge_cable", "by": "Somebody else", "at": "2001-01-01T00:00:00Z"}]}
    kept = answered(tech.post(f"{path}/build?revision=0", forged), 201)
    (mine,) = kept["document"]["ticks"]
    me = answered(tech.get("/api/session"))["name"]
    assert mine["by"] == me and not mine["at"].startswith("2001") and kept["view"]["done"] == 1
    next_one = answered(boss.post(f"{path}/build?revision=1", ticking(kept["document"], "safe")), 201)
    first, second = next_one["document"]["ticks"]
    assert first == mine and second["by"] == answered(boss.get("/api/session"))["name"] != me
    stage = next(s for s in answered(tech.get(path))["progress"]["stages"] if s["stage"] == "build")
    assert stage["state"] == "partly" and "steps" in stage["missing"]


def test_a_tick_that_comes_late_says_when_it_was_and_none_lies_outside(tech: Caller, path: str) -> None:
    """A telephone that was out of reach sends its ticks later; a clock that is wrong, or has no zone, is not believed."""
    begun = {**answered(tech.get(f"{path}/build"))["document"], "anew": ["charge_cable", "block_ground"]}
    then = datetime.now(UTC)
    ahead, bare = (then + timedelta(hours=3)).isoformat(), then.replace(tzinfo=None).isoformat()
    ticks = [("make:charge_cable", then.isoformat()), ("safe", ahead), ("make:block_ground", bare)]
    kept = answered(tech.post(f"{path}/build", {**begun, "ticks": [{"step": s, "at": at} for s, at in ticks]}), 201)
    at = {t["step"]: datetime.fromisoformat(t["at"]) for t in kept["document"]["ticks"]}
    assert at["make:charge_cable"] == then
    assert all(then < at[s] <= datetime.now(UTC) for s in ("safe", "make:block_ground"))
    # Nothing was done before the book was kept last.
    more = ticking(kept["document"])
    more["ticks"].append({"step": "off:battery:negative", "at": then.isoformat()})
    again = answered(tech.post(f"{path}/build?revision=1", more), 201)
    assert datetime.fromisoformat(again["document"]["ticks"][-1]["at"]) > then


def test_a_lead_signs_what_is_all_done_and_it_lapses_when_it_changes(tech: Caller, boss: Caller, path: str) -> None:
    request = {**answered(tech.get(f"{path}/build"))["document"], "anew": ["charge_cable"]}
    book = answered(tech.post(f"{path}/build", request), 201)
    early = boss.post(f"{path}/build/signature?revision=1")
    assert early.status_code == 422 and "steps are not done" in early.json["detail"]
    # Whatever a person sends of a signature is not one.
    forged = {**request, "signed": {"by": "Somebody", "at": "2026-01-01T00:00:00Z", "mark": "0" * 64}}
    done = answered(tech.post(f"{path}/build", ticking(forged, *(s["id"] for s in book["view"]["steps"]))), 201)
    assert done["document"]["signed"] is None and done["view"]["signature"] is None
    assert tech.post(f"{path}/build/signature?revision=2").status_code == 403
    assert boss.post(f"{path}/build/signature?revision=1").status_code == 409
    signed = answered(boss.post(f"{path}/build/signature?revision=2"), 201)
    assert signed["revision"] == 3 and signed["view"]["signature"]["stands"]
    assert signed["view"]["signature"]["by"] == answered(boss.get("/api/session"))["name"]
    # A note that changes nothing of the work leaves it, a lead that is longer does not.
    same = {**signed["document"], "old": [{"part_id": "charge_cable", "fate": "scrap"}]}
    assert answered(tech.post(f"{path}/build?revision=3", same), 201)["view"]["signature"]["stands"]
    longer = {**same, "leads": [{"branch_id": "charge_cable", "route_mm": 1900}]}
    kept = answered(tech.post(f"{path}/build?revision=4", longer), 201)["view"]["signature"]
    assert not kept["stands"] and kept["at"] == signed["view"]["signature"]["at"]
    bundle = answered(tech.get(f"{path}/bundle"))
    answer = answered(tech.post("/api/jobs/import", bundle), 201)
    assert answered(tech.get(f"/api/jobs/{answer['id']}/build"))["view"]["signature"]["by"] == kept["by"]


def test_what_comes_too_early_and_what_cannot_be_is_said_at_its_field(tech: Caller, reader: Caller, path: str) -> None:
    book = {"anew": ["charge_cable"], "leads": [], "ticks": [{"step": "off:battery:positive"}]}
    early = tech.post(f"{path}/build", book)
    assert early.status_code == 422 and "comes after" in early.json["detail"]
    assert early.json["problems"][0]["field"] == "ticks" and "negative clamp off" in early.json["problems"][0]["message"]
    stud = {"leads": [{"branch_id": "charge_cable", "to_end": {"stud": "M7"}}], "anew": ["charge_cable"]}
    wrong = tech.post(f"{path}/build/preview", stud)
    assert wrong.status_code == 422 and wrong.json["problems"][0]["field"] == "to_end"
    assert reader.post(f"{path}/build", {"anew": ["charge_cable"]}).status_code == 403
    assert answered(tech.get(f"{path}/build"))["revision"] == 0


def test_of_two_at_the_bench_the_second_is_told_and_loses_nothing(tech: Caller, boss: Caller, path: str) -> None:
    begun = answered(tech.get(f"{path}/build"))["document"]
    request = {**begun, "anew": ["charge_cable"]}
    answered(tech.post(f"{path}/build?revision=0", ticking(request, "safe")), 201)
    late = boss.post(f"{path}/build?revision=0", ticking(request, "make:charge_cable"))
    assert late.status_code == 409 and late.json["theirs"]["revision"] == 1
    theirs = late.json["theirs"]["document"]
    assert [t["step"] for t in theirs["ticks"]] == ["safe"]
    answered(boss.post(f"{path}/build?revision=1", ticking(theirs, "make:charge_cable")), 201)
    assert answered(tech.get(f"{path}/build"))["view"]["done"] == 2


def test_leads_alone_begin_with_every_lead_and_the_book_travels(tech: Caller, path: str) -> None:
    job = answered(tech.get(path))
    names = ("customer", "vehicle", "complaint", "loads_to_add", "promised", "state", "limit_profile", "lock")
    answered(tech.put(path, {**{n: job[n] for n in names}, "purposes": ["make_leads"]}))
    begun = answered(tech.get(f"{path}/build"))
    assert {c["branch_id"] for c in begun["view"]["cards"]} == set(begun["document"]["anew"]) and not begun["view"]["stays"]
    stage = next(s for s in answered(tech.get(path))["progress"]["stages"] if s["stage"] == "build")
    assert (
        stage["on_path"]
        and stage["state"] == "open"
        and stage["missing"] == f"{len(begun['view']['steps'])} of {len(begun['view']['steps'])} steps"
    )
    kept = answered(tech.post(f"{path}/build", {"anew": ["charge_cable"], "ticks": [{"step": "make:charge_cable"}]}), 201)
    bundle = answered(tech.get(f"{path}/bundle"))
    answer = answered(tech.post("/api/jobs/import", bundle), 201)
    there = answered(tech.get(f"/api/jobs/{answer['id']}/build"))
    assert there["document"] == kept["document"] and there["view"]["done"] == 1


def test_a_photo_stands_at_its_step_and_travels_and_no_other_jobs_does(tech: Caller, path: str) -> None:
    drawn = io.BytesIO()
    Image.new("RGB", (40, 30), "#774422").save(drawn, "PNG")
    photo = answered(tech.post(f"{path}/photos", raw=drawn.getvalue()), 201)["key"]
    book = {"anew": ["charge_cable"], "photos": [{"step": "make:charge_cable", "photo": photo}]}
    kept = answered(tech.post(f"{path}/build", book), 201)
    assert next(s["photo"] for s in kept["view"]["steps"] if s["id"] == "make:charge_cable") == photo
    other = tech.post(f"{path}/build", {**book, "photos": [{"step": "safe", "photo": "0" * 64}]})
    assert other.status_code == 422 and "not there any more" in other.json["detail"]
    read = answered(tech.post("/api/jobs/import", raw=tech.get(f"{path}/bundle").data), 201)
    carried = answered(tech.get(f"/api/jobs/{read['id']}/build"))
    assert next(s["photo"] for s in carried["view"]["steps"] if s["id"] == "make:charge_cable") == photo
    assert tech.get(f"/api/jobs/{read['id']}/photos/{photo}").status_code == 200


def test_the_printed_sheet_takes_as_long_as_the_screen_says(
    tech: Caller, boss: Caller, path: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The workshop's own hours count on both."""
    monkeypatch.setattr("mavrik.exchange.files.bench_sheet.render_pdf", str.encode)
    answered(tech.post(f"{path}/build", {"anew": ["charge_cable"]}), 201)
    kept = answered(boss.get("/api/prices"))
    slower = {**kept["document"], "lead_h": kept["document"]["lead_h"] + 2}
    now = answered(boss.put("/api/prices", {"document": slower, "revision": kept["revision"]}))
    try:
        left = answered(tech.get(f"{path}/build"))["view"]["minutes_left"]
        assert left > 120 and f"About {left:.0f} min left" in tech.get(f"{path}/files/bench.pdf").text
    finally:
        answered(boss.put("/api/prices", {"document": kept["document"], "revision": now["revision"]}))


def test_a_harness_goes_out_as_yaml_and_comes_back_measured(tech: Caller, job: dict[str, Any]) -> None:
    path = describe(tech, job["id"])
    book = {"anew": ["charge_cable"]}
    assert tech.post(f"{path}/build", book).status_code == 201
    text = tech.get(f"{path}/files/harness.yaml").text
    assert "format: mavrik-harness" in text and "id: charge_cable" in text
    kept = tech.get(f"{path}/build").json["document"]  # type: ignore[index]
    measured = text.replace("slack: 0.03", "slack: 0.03\n  route_mm: 1730")
    read = tech.post(f"{path}/build/harness", {"text": measured, "document": kept})
    assert read.status_code == 200, read.text
    (lead,) = read.json["document"]["leads"]  # type: ignore[index]
    assert lead["route_mm"] == 1730 and read.json["messages"] == []  # type: ignore[index]
    # Nothing is kept by reading; a file that is not of this job is refused at its lead.
    assert tech.get(f"{path}/build").json["document"] == kept  # type: ignore[index]
    wrong = tech.post(f"{path}/build/harness", {"text": text.replace("charge_cable", "tow_bar"), "document": kept})
    assert wrong.status_code == 422
    assert wrong.json["problems"][0]["element"] == "tow_bar"  # type: ignore[index]


def test_what_lands_on_each_point_is_said_of_a_book_and_nothing_is_kept(tech: Caller, job: dict[str, Any]) -> None:
    path = describe(tech, job["id"])
    short = {"threads": [{"node_id": "block", "thread_mm": 12}]}
    points = answered(tech.post(f"{path}/build/points", short))["points"]
    (block,) = (p for p in points if p["node_id"] == "block")
    assert block["stud"] == "M10" and block["thread_mm"] == 12 and "too short" in block["problems"][0]
    assert answered(tech.get(f"{path}/build"))["revision"] == 0
    twice = {"threads": [*short["threads"], {"node_id": "block", "thread_mm": 20}]}
    refused = tech.post(f"{path}/build/points", twice)
    assert refused.status_code == 422
    assert refused.json["problems"][0]["element"] == "block"  # type: ignore[index]
    # The drawing numbers its points alike.
    drawn = tech.get(f"{path}/files/schematic.svg")
    assert drawn.mimetype == "image/svg+xml" and f">{block['number']}<" in drawn.text
    printed = tech.get(f"{path}/files/schematic.pdf")
    assert printed.status_code == 200 and printed.data.startswith(b"%PDF")

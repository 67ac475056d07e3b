"""What a disconnect must do, kept by the workshop over the API, and what follows of it in jobs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest

from tests.api.conftest import Caller
from tests.api.test_isolation import answered, for_purpose, tried
from tests.api.test_trace import log


def without(purposes: dict[str, Any], purpose: str, rule: str) -> dict[str, Any]:
    profile = purposes["purposes"][purpose]
    rules = {n: [r for r in profile[n] if r != rule] for n in ("requires", "forbids", "advises")}
    return {"purposes": {**purposes["purposes"], purpose: {**profile, **rules, "rulebook": "Club rules of 2026"}}}


@pytest.fixture
def purposes(boss: Caller) -> Iterator[dict[str, Any]]:
    """What is kept; afterwards all is as it was, for the workshop of these tests has one list."""
    begun = answered(boss.get("/api/purposes"))
    yield begun
    now = answered(boss.get("/api/purposes"))["revision"]
    answered(boss.put("/api/purposes", {"document": begun["document"], "revision": now}))


def test_a_lead_changes_what_a_purpose_asks_and_every_job_is_held_against_it(
    boss: Caller, tech: Caller, reader: Caller, job: dict[str, Any], purposes: dict[str, Any]
) -> None:
    at = f"/api/jobs/{job['id']}"
    circuit = answered(tech.get("/api/layouts/competition_car"))
    lock = answered(tech.get(at))["circuits"][-1]["lock"]
    answered(tech.put(f"{at}/circuit", {"document": circuit, "lock": lock}))
    usual, revision = answered(reader.get("/api/purposes")), purposes["revision"]
    assert usual == purposes and {r["name"] for r in usual["rules"] if "emergency" in r["stays"]} >= {"engine_stops"}
    assert for_purpose(tried(tech, at, "multi_pole"), "emergency")["verdict"]["does"] is False
    kept_before = answered(tech.post(f"{at}/isolation", {"purpose": "emergency", "way": "two_controls"}), 201)["kept"]

    # Somebody's rulebook asks for one control that the driver reaches.
    easier = without(without(usual["document"], "emergency", "two_controls"), "emergency", "reach_outside")
    assert tech.put("/api/purposes", {"document": easier, "revision": revision}).status_code == 403
    made = answered(boss.put("/api/purposes", {"document": easier, "revision": revision}))
    assert made["revision"] == revision + 1 and answered(reader.get("/api/purposes"))["document"] == easier
    after = answered(tech.get(f"{at}/isolation"))
    verdict = for_purpose(tried(reader, at, "multi_pole"), "emergency")["verdict"]
    assert verdict["does"] is True and verdict["source"].startswith("Rulebook named by the workshop: Club rules of 2026.")
    assert next(p for p in after["purposes"] if p["name"] == "emergency")["rulebook"] == "Club rules of 2026"
    # The guided change asks the same.
    target = {"target_current_a": 90}
    request = {"name": "disconnect", "answers": {"purpose": "emergency", "way": "multi_pole"}, "target": target}
    assert answered(tech.post(f"{at}/guided/comparison", request))["does"] is True
    # What was decided keeps what was asked then, on the sheet and in a bundle, too.
    assert after["kept"] == kept_before and "two_controls" in kept_before["profile"]["requires"]
    decided = answered(tech.post(f"{at}/isolation", {"purpose": "emergency", "way": "multi_pole"}), 201)
    assert decided["kept"]["profile"]["rulebook"] == "Club rules of 2026"
    assert "Club rules of 2026" in tech.get(f"{at}/sheet").text
    answer = answered(tech.post("/api/jobs/import", tech.get(f"{at}/bundle").json), 201)
    assert answered(tech.get(f"/api/jobs/{answer['id']}/isolation"))["kept"] == decided["kept"]

    # Two at once: the loser is told what is kept now.
    lost = boss.put("/api/purposes", {"document": usual["document"], "revision": revision})
    assert lost.status_code == 409 and lost.json["theirs"]["document"] == easier
    entry = next(e for e in log(boss) if e["thing"] == "purposes")
    assert entry["kind"] == "changed" and "emergency" in str(entry["after"])


def test_what_makes_a_purpose_what_it_is_cannot_be_taken_out_and_no_rule_is_made_up(
    boss: Caller, purposes: dict[str, Any]
) -> None:
    usual, revision = purposes["document"], purposes["revision"]
    harmless = without(usual, "emergency", "engine_stops")
    refused = boss.put("/api/purposes", {"document": harmless, "revision": revision})
    assert refused.status_code == 422
    assert [(p["element"], p["field"]) for p in refused.json["problems"]] == [("emergency", "engine_stops")]
    made_up = {"purposes": {**usual["purposes"], "drain": {**usual["purposes"]["drain"], "advises": ["levitates"]}}}
    assert "levitates" in boss.put("/api/purposes", {"document": made_up, "revision": revision}).text
    missing = {"purposes": {n: p for n, p in usual["purposes"].items() if n != "winch"}}
    for wrong in (missing, {"purposes": {}}, {"purposes": {**usual["purposes"], "levitation": usual["purposes"]["drain"]}}):
        assert boss.put("/api/purposes", {"document": wrong, "revision": revision}).status_code == 422
    assert answered(boss.get("/api/purposes"))["revision"] == revision

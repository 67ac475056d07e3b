"""Guided changes over the API: asked, previewed, kept, printed, refused at the question."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.api.conftest import Caller

TARGET = {"target_current_a": 100}
REAR = {"name": "rear_battery", "answers": {"feed_m": 4.5, "ground": "direct"}, "target": TARGET}


def answered(response: Any, status: int = 200) -> Any:
    assert response.status_code == status, response.text
    return response.json


@pytest.fixture
def path(tech: Caller, job: dict[str, Any]) -> str:
    at = f"/api/jobs/{job['id']}"
    circuit = answered(tech.get("/api/layouts/front_battery"))
    lock = answered(tech.get(at))["circuits"][-1]["lock"]
    answered(tech.put(f"{at}/circuit", {"document": circuit, "lock": lock}))
    return at


def test_guides_say_what_they_ask_or_why_they_have_no_place(reader: Caller, path: str) -> None:
    guides = {g["name"]: g for g in answered(reader.get(f"{path}/guided"))["guides"]}
    assert [q["name"] for q in guides["rear_battery"]["questions"]] == ["feed_m", "ground"]
    assert guides["split"]["not_here"] and guides["split"]["questions"] == []


def test_a_guided_change_is_previewed_kept_and_printed(tech: Caller, reader: Caller, path: str) -> None:
    seen = answered(reader.post(f"{path}/guided/preview", REAR))
    assert seen["guided"]["label"] == "Move the battery to the rear" and len(seen["guided"]["to_do"]) > 2
    assert any(r["change"] == "removed" for r in seen["comparison"]["branches"])
    assert reader.post(f"{path}/guided", REAR).status_code == 403
    kept = answered(tech.post(f"{path}/guided", REAR), 201)
    assert kept["role"] == "proposal" and kept["document"] == seen["proposal"]["circuit"]
    plan = next(d for d in answered(tech.get(path))["documents"] if d["kind"] == "plan")["document"]
    assert plan["guided"] == seen["guided"] and plan["accepted"] is None
    # What the cables pane shows is what was kept, not the same target on the circuit as found.
    again = answered(tech.post(f"{path}/plan/preview", plan["target"]))
    assert again["proposal"]["circuit"] == kept["document"] and again["guided"] == plan["guided"]
    assert "Its fuse sits at the battery" in tech.get(f"{path}/sheet").text
    bundle = json.loads(tech.get(f"{path}/bundle").text)
    answer = answered(tech.post("/api/jobs/import", bundle), 201)
    carried = next(d for d in answered(tech.get(f"/api/jobs/{answer['id']}"))["documents"] if d["kind"] == "plan")
    assert carried["document"] == plan


@pytest.mark.parametrize(
    ("change", "field"),
    [({"answers": {"feed_m": 99}}, "feed_m"), ({"name": "levitate"}, "guide"), ({"name": "split", "answers": {}}, "guide")],
)
def test_what_cannot_be_is_refused_at_its_question_and_not_kept(
    tech: Caller, path: str, change: dict[str, Any], field: str
) -> None:
    for to in (f"{path}/guided/preview", f"{path}/guided"):
        refused = answered(tech.post(to, {**REAR, **change}), 422)
        assert [p["field"] for p in refused["problems"]] == [field]
    assert not [d for d in answered(tech.get(path))["documents"] if d["kind"] == "plan"]


def test_the_answers_of_one_question_are_set_side_by_side(tech: Caller, reader: Caller, path: str) -> None:
    request = {"name": "grounds", "answers": {"engine_m": 0.7}, "target": TARGET}
    rows = [
        answered(reader.post(f"{path}/guided/comparison", {**request, "answers": {**request["answers"], "school": s}}))
        for s in ("direct", "chain", "direct_case")
    ]
    assert [r["name"] for r in rows] == ["direct", "chain", "direct_case"] and all(r["cost"] > 0 for r in rows)
    # Nobody has said which: as is usual.
    assert answered(reader.post(f"{path}/guided/comparison", request)) == rows[0]
    # What a row says is what its plan comes to.
    seen = answered(reader.post(f"{path}/guided/preview", {**request, "answers": {**request["answers"], "school": "chain"}}))
    assert {b["label"] for b in seen["proposal"]["circuit"]["branches"]} >= {"Battery to body", "Engine strap"}
    nothing = answered(reader.post(f"{path}/guided/comparison", {**request, "name": "winch", "answers": {}}), 422)
    assert [p["field"] for p in nothing["problems"]] == ["guide"]
    refused = tech.post(f"{path}/guided/comparison", {**request, "answers": {"engine_m": 99}})
    assert refused.status_code == 422 and refused.json["problems"][0]["field"] == "engine_m"  # type: ignore[index]

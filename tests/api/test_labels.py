"""Leads by their labels over the API: who may ask, what is not there, and what is no label."""

from __future__ import annotations

from typing import Any

from tests.api.conftest import Caller, describe
from tests.api.test_stock import BOOK, answered
from tests.exchange.test_lead_labels import photographed


def test_a_label_leads_to_its_job_wherever_it_was_printed(tech: Caller, reader: Caller, job: dict[str, Any]) -> None:
    path = describe(tech, job["id"])
    answered(tech.post(f"{path}/build", BOOK), 201)
    expected = {"job_id": job["id"], "job_number": job["number"], "branch_id": "charge_cable"}
    assert answered(reader.get(f"/api/leads/{job['number']}/charge_cable")) == expected
    photo = photographed(f"https://another.example/lead/{job['number']}/charge_cable", 12)
    assert answered(reader.post("/api/leads/photo", raw=photo)) == expected
    gone = tech.post("/api/leads/photo", raw=photographed("/lead/00-0000/charge_cable"))
    assert gone.status_code == 404 and "00-0000" in gone.json["detail"]
    for message, raw in (("No label", photographed("something else")), ("no photo", b"GIF89a")):
        refused = tech.post("/api/leads/photo", raw=raw)
        assert (
            refused.status_code == 422 and message in refused.json["detail"] and refused.json["problems"][0]["field"] == "photo"
        )


def test_a_label_is_drawn_of_what_is_made_alone(tech: Caller, job: dict[str, Any]) -> None:
    path = describe(tech, job["id"])
    assert tech.get(f"{path}/files/lead-labels.pdf").status_code == 422
    answered(tech.post(f"{path}/build", BOOK), 201)
    drawn = tech.get(f"{path}/leads/charge_cable/label.svg")
    assert drawn.status_code == 200 and drawn.mimetype == "image/svg+xml" and "Charge fuse" in drawn.text
    assert tech.get(f"{path}/leads/engine_strap/label.svg").status_code == 404
    assert tech.get(f"{path}/files/lead-labels.pdf").data.startswith(b"%PDF")


def test_nobody_finds_a_lead_who_is_not_signed_in(stranger: Caller) -> None:
    for answer in (
        stranger.get("/api/leads/26-0001/charge_cable"),
        stranger.get("/api/jobs/1/leads/charge_cable/label.svg"),
        stranger.post("/api/leads/photo", raw=photographed("/lead/26-0001/charge_cable")),
    ):
        assert answer.status_code == 401

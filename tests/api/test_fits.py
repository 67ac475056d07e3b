"""The list of what has to fit through the API: begun, kept as it is gone down, carried, refused."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.api.conftest import Caller


def answered(response: Any, status: int = 200) -> Any:
    assert response.status_code == status, response.text
    return response.json


@pytest.fixture
def path(job: dict[str, Any]) -> str:
    return f"/api/jobs/{job['id']}/fit"


def test_a_list_is_begun_gone_down_and_kept(tech: Caller, reader: Caller, job: dict[str, Any], path: str) -> None:
    first = answered(reader.get(path))
    assert first["revision"] == 0 and first["document"] == {"unit": None, "items": []} and len(first["view"]["rows"]) > 8
    unit = next(u for u in answered(reader.get("/api/units"))["document"]["units"] if u["foot_mm"])
    request = {
        "unit": unit["name"],
        "items": [{"point": "foot", "figure": unit["foot_mm"] + 5, "state": "adapter", "note": "bushings"}],
    }
    seen = answered(reader.post(f"{path}/preview", request))
    foot = next(r for r in seen["rows"] if r["name"] == "foot")
    assert foot["says"] == "5 mm of spacers" and foot["has"] == f"{unit['foot_mm']:g} mm" and seen["settled"] == 1
    assert reader.post(path, request).status_code == 403
    kept = answered(tech.post(path, request), 201)
    assert kept["revision"] == 1 and kept["view"] == seen and answered(reader.get(path)) == kept
    record = answered(tech.get(f"/api/jobs/{job['id']}"))
    assert any(c["thing"] == "fit 1" for c in record["changes"])
    # It goes out and in with the job.
    answer = answered(tech.post("/api/jobs/import", json.loads(tech.get(f"/api/jobs/{job['id']}/bundle").text)), 201)
    (carried,) = answered(tech.get(f"/api/jobs/{answer['id']}"))["documents"]
    assert carried["kind"] == "fit" and carried["document"] == kept["document"]


def test_the_second_of_two_who_keep_it_at_once_is_told(tech: Caller, boss: Caller, path: str) -> None:
    answered(tech.post(f"{path}?revision=0", {"items": [{"point": "ears", "state": "fits"}]}), 201)
    answer = boss.post(f"{path}?revision=0", {"items": [{"point": "ears", "state": "no"}]})
    assert answer.status_code == 409 and answer.json["theirs"]["revision"] == 1  # type: ignore[index]


def test_what_cannot_be_is_refused_and_not_kept(tech: Caller, path: str) -> None:
    for items in (
        [{"point": "magic"}],
        [{"point": "ears"}, {"point": "ears"}],
        [{"point": "foot", "figure": 1e9}],
        [{"point": "ears", "state": "maybe"}],
    ):
        assert tech.post(path, {"items": items}).status_code == 422
    assert answered(tech.get(path))["revision"] == 0

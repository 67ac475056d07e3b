"""A unit's output over speed through the API: computed, refused at its field, with what was read at the job."""

from __future__ import annotations

from typing import Any

from tests.api.conftest import Caller, keep, run_body

KNOWN = [{"shaft_rpm": 1800, "output_a": 70}, {"shaft_rpm": 6000, "output_a": 170}]


def test_a_curve_is_computed_for_who_may_read_and_refused_at_its_field(tech: Caller, reader: Caller, app: Any) -> None:
    request = {"rated_a": 170, "basis": {"how": "fitted", "known": KNOWN}}
    seen = reader.post("/api/output", request)
    assert seen.status_code == 200, seen.text
    points: list[dict[str, Any]] = seen.json["points"]  # type: ignore[index]
    assert all(p["low_a"] <= p["output_a"] <= p["high_a"] for p in points) and len(seen.json["curve"]) == len(points)  # type: ignore[index]
    refused = tech.post("/api/output", {"rated_a": 170, "basis": {"how": "points", "known": KNOWN[:1]}})
    assert refused.status_code == 422 and refused.json["problems"][0]["field"] == "known"  # type: ignore[index]
    assert Caller(app.test_client()).post("/api/output", request).status_code in (401, 403)
    for wrong in (
        {"shaft_rpm": 1e9, "output_a": 5},
        {"shaft_rpm": 2000, "output_a": "NaN"},
        {"shaft_rpm": 2000, "output_a": 5, "u_a": 0},
        {"shaft_rpm": 2000, "output_a": 5, "u_a": 5e-324},
    ):
        assert tech.post("/api/output", {"rated_a": 170, "basis": {"how": "fitted", "known": [wrong]}}).status_code == 422


def test_a_unit_as_good_as_none_is_refused_at_its_rating_and_the_least_is_fitted(tech: Caller) -> None:
    """A rating of 5e-324 A once made what is fitted to it not finite, and the answer a mistake of the server."""
    known = [{"shaft_rpm": 200, "output_a": 5e-324, "u_a": 1e-3}, {"shaft_rpm": 30_000, "output_a": 2000, "u_a": 1e-3}]
    for rated in (5e-324, 1e-300, 0.5):
        refused = tech.post("/api/output", {"rated_a": rated, "basis": {"how": "fitted", "known": known[:1]}})
        assert refused.status_code == 422 and refused.json["problems"][0]["field"] == "rated_a"  # type: ignore[index]
    for rated in (1, 2000):
        for some in (known[:1], known[1:], known):
            assert tech.post("/api/output", {"rated_a": rated, "basis": {"how": "fitted", "known": some}}).status_code == 200


def test_what_was_read_at_the_job_is_offered_and_what_was_corrected_is_not(tech: Caller, job: dict[str, Any]) -> None:
    path = f"/api/jobs/{job['id']}/outputs"
    assert tech.get(path).json == {"outputs": []}
    first = keep(tech, job, run_body("full_output", {"output_a:alt": 88.0}, engine_rpm=2000))
    assert first.status_code == 201, first.text
    (read,) = tech.get(path).json["outputs"]  # type: ignore[index]
    circuit = tech.get(f"/api/jobs/{job['id']}").json["circuits"][-1]["document"]  # type: ignore[index]
    ratio = circuit["alternators"][0]["pulley_ratio"]
    assert read["full_field"] and read["known"]["shaft_rpm"] == round(2000 * ratio) and read["known"]["output_a"] == 88.0
    assert read["known"]["u_a"] > 0 and read["known"]["unit_c"] is not None
    idle = keep(tech, job, run_body("idle_output", {"engine_rpm": 800, "shaft_rpm:alt": 2045, "idle_a:alt": 70.0}))
    assert idle.status_code == 201, idle.text
    _, second = tech.get(path).json["outputs"]  # type: ignore[index]
    assert second["known"]["shaft_rpm"] == 2045 and not second["full_field"]


def test_a_circuit_keeps_its_curve_and_what_it_was_made_of(tech: Caller, job: dict[str, Any]) -> None:
    basis = {"how": "fitted", "known": KNOWN}
    curve = tech.post("/api/output", {"rated_a": 170, "basis": basis}).json["curve"]  # type: ignore[index]
    record = tech.get(f"/api/jobs/{job['id']}").json["circuits"][-1]  # type: ignore[index]
    record["document"]["alternators"][0] |= {"curve": curve, "curve_basis": basis}
    saved = tech.put(f"/api/jobs/{job['id']}/circuit", {"document": record["document"], "lock": record["lock"]})
    assert saved.status_code in (200, 201), saved.text
    unit = tech.get(f"/api/jobs/{job['id']}").json["circuits"][-1]["document"]["alternators"][0]  # type: ignore[index]
    assert unit["curve"] == curve and [k["shaft_rpm"] for k in unit["curve_basis"]["known"]] == [1800, 6000]
    # What a unit gives at idle follows it.
    drive = tech.post(f"/api/jobs/{job['id']}/drive/preview", {"alternator_id": "alt", "idle_rpm": 1800 / unit["pulley_ratio"]})
    assert abs(drive.json["speeds"][0]["before"]["cold_a"] - 70) < 3  # type: ignore[index]

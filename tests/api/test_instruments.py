"""The register of instruments over HTTP."""

from __future__ import annotations

from typing import Any

import pytest

from tests.api.conftest import Caller


def meter(instrument_id: str, **changes: Any) -> dict[str, Any]:
    return {
        "id": instrument_id,
        "label": "Meter",
        "kind": "voltmeter",
        "percent_of_reading": 0.3,
        "digits": 2,
        "resolution": 0.0001,
        "calibration_due": None,
        **changes,
    }


def register(who: Caller) -> dict[str, dict[str, Any]]:
    return {r["instrument"]["id"]: r for r in who.get("/api/instruments").json["instruments"]}  # type: ignore[index]


def test_an_instrument_is_added_and_says_what_it_is_good_for(tech: Caller) -> None:
    made = tech.post("/api/instruments", meter("meter_9", calibration_due="2027-02-01"))
    assert made.status_code == 201
    kept = register(tech)["meter_9"]
    assert kept["instrument"] == meter("meter_9", calibration_due="2027-02-01") and kept["lock"] == 1
    # 0.3 % of 100 mV and two counts of 0.1 mV are 0.5 mV, a rectangle: times 2 over root 3.
    assert kept["accuracy"].startswith("100 mV ± 0.58 mV, 14 V ± 0.049 V")


def test_an_id_that_is_taken_is_refused_and_nothing_is_overwritten(tech: Caller) -> None:
    tech.post("/api/instruments", meter("taken", label="First"))
    answer = tech.post("/api/instruments", meter("taken", label="Second"))
    assert answer.status_code == 422
    assert answer.json["problems"][0]["field"] == "id"  # type: ignore[index]
    assert register(tech)["taken"]["instrument"]["label"] == "First"


def test_the_second_editor_is_told_and_shown_what_is_kept(tech: Caller, other: Caller) -> None:
    tech.post("/api/instruments", meter("shared"))
    body = {"instrument": meter("shared", percent_of_reading=0.5), "lock": 1}
    assert tech.put("/api/instruments/shared", body).json["lock"] == 2  # type: ignore[index]
    late = other.put("/api/instruments/shared", {"instrument": meter("shared", percent_of_reading=0.9), "lock": 1})
    assert late.status_code == 409
    assert late.json["theirs"]["instrument"]["percent_of_reading"] == 0.5  # type: ignore[index]
    assert other.send("DELETE", "/api/instruments/shared?lock=1").status_code == 409
    assert other.send("DELETE", "/api/instruments/shared?lock=2").status_code == 204
    assert "shared" not in register(tech)
    assert tech.put("/api/instruments/shared", {**body, "lock": 2}).status_code == 404


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"resolution": 0}, "resolution"),
        ({"percent_of_reading": -1}, "percent_of_reading"),
        ({"percent_of_reading": 1e9}, "percent_of_reading"),
        ({"digits": "two"}, "digits"),
        ({"kind": "crystal_ball"}, "kind"),
        ({"calibration_due": "soon"}, "calibration_due"),
        ({"label": ""}, "label"),
        ({"id": "No Spaces"}, "id"),
        ({"colour": "red"}, "colour"),
    ],
)
def test_what_no_meter_can_be_is_refused_at_its_field(tech: Caller, changes: dict[str, Any], field: str) -> None:
    answer = tech.post("/api/instruments", meter("never", **changes))
    assert answer.status_code == 422
    assert field in [p["field"] for p in answer.json["problems"]]  # type: ignore[index]
    assert "never" not in register(tech)


def test_an_instrument_keeps_its_id(tech: Caller) -> None:
    tech.post("/api/instruments", meter("steady"))
    answer = tech.put("/api/instruments/steady", {"instrument": meter("renamed"), "lock": 1})
    assert answer.status_code == 422 and answer.json["problems"][0]["field"] == "id"  # type: ignore[index]


def test_readers_see_the_register_and_change_nothing(reader: Caller) -> None:
    assert reader.get("/api/instruments").status_code == 200
    assert reader.post("/api/instruments", meter("by_reader")).status_code == 403

"""Connected instruments over the API: who may say where, what is read, what is said when nobody answers."""

from __future__ import annotations

import json
import socket
import threading
from collections.abc import Iterator
from typing import Any

import pytest
from sqlalchemy import text

from mavrik.core.measuring import stability
from mavrik.jobs import links
from mavrik.standin.bench import MeterServer
from tests.api.conftest import Caller
from tests.standin import meters_on


@pytest.fixture
def meters() -> Iterator[dict[str, MeterServer]]:
    with meters_on("none:") as servers:
        yield servers


def place(caller: Caller, address: str | None, instrument: str = "dmm"):  # type: ignore[no-untyped-def]
    return caller.put(f"/api/instruments/{instrument}/address", {"address": address})


def test_only_a_lead_says_where_an_instrument_is(
    boss: Caller, tech: Caller, reader: Caller, meters: dict[str, MeterServer]
) -> None:
    address = meters["multimeter"].address
    assert place(tech, address).status_code == place(reader, address).status_code == 403
    assert place(boss, address).json["address"] == address
    shown = tech.get("/api/instruments/dmm/reading")
    assert shown.status_code == 200 and 12.2 < shown.json["value"] < 12.9 and shown.json["unit"] == "V"  # type: ignore[index]
    assert reader.get("/api/instruments/dmm/reading").status_code == 403
    assert place(boss, None).status_code == 200
    assert tech.get("/api/instruments/dmm/reading").status_code == 404


@pytest.mark.parametrize("address", ["http://127.0.0.1/", "file:///etc/passwd", "127.0.0.1", "a:b", "x" * 300])
def test_what_is_no_address_is_refused(boss: Caller, address: str) -> None:
    assert place(boss, address).status_code == 422


def test_no_request_carries_an_address_of_its_own(tech: Caller) -> None:
    place_in = tech.put(
        "/api/instruments/dmm",
        {
            "instrument": {
                "id": "dmm",
                "label": "M",
                "kind": "voltmeter",
                "percent_of_reading": 1,
                "digits": 1,
                "resolution": 0.01,
                "address": "127.0.0.1:22",
            },
            "lock": 1,
        },
    )
    assert place_in.status_code == 422
    assert tech.get("/api/instruments/dmm/reading?address=127.0.0.1:22").status_code in (404, 422)


def test_live_readings_become_stable_and_say_when_the_link_is_lost(
    boss: Caller, tech: Caller, meters: dict[str, MeterServer]
) -> None:
    place(boss, meters["multimeter"].address)
    answer = tech.get("/api/instruments/dmm/live")
    assert answer.mimetype == "text/event-stream"
    seen = []
    for chunk in answer.response:
        seen.append(json.loads(chunk.decode().removeprefix("data: ")))
        if len(seen) == 8:
            meters["multimeter"].unplugged.set()
        if seen[-1]["lost"]:
            break
    answer.close()
    assert all(12.2 < r["value"] < 12.9 for r in seen[:8]) and not seen[0]["stable"]
    assert "is lost" in seen[-1]["lost"] and len(seen) < 12
    place(boss, None)


def test_nobody_there_is_said_and_nothing_else_stops(boss: Caller, tech: Caller, meters: dict[str, MeterServer]) -> None:
    place(boss, meters["multimeter"].address)
    meters["multimeter"].shutdown()
    meters["multimeter"].server_close()
    refused = tech.get("/api/instruments/dmm/reading")
    assert refused.status_code == 502 and "Typed readings go on" in refused.json["detail"]  # type: ignore[index]
    assert tech.get("/api/jobs").status_code == 200
    place(boss, None)


def test_a_meter_on_hold_is_told_from_a_steady_one(
    boss: Caller, tech: Caller, meters: dict[str, MeterServer], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(stability, "HELD_S", 0.5)
    place(boss, meters["multimeter"].address)
    answer = tech.get("/api/instruments/dmm/live")
    seen = []
    for chunk in answer.response:
        seen.append(json.loads(chunk.decode().removeprefix("data: ")))
        if len(seen) == 10:
            assert not any(r["held"] for r in seen), "a live meter's last digit flickers"
            meters["multimeter"].hold.set()
        if len(seen) == 20:
            break
    answer.close()
    assert seen[-1]["held"] and seen[-1]["value"] == seen[-3]["value"]
    place(boss, None)


def test_no_transaction_is_held_while_a_meter_is_asked(boss: Caller, tech: Caller, app: Any) -> None:
    """A meter that does not answer, and what the database has open meanwhile."""
    with socket.create_server(("127.0.0.1", 0)) as silent:
        place(boss, f"127.0.0.1:{silent.getsockname()[1]}")
        reading = threading.Thread(target=lambda: tech.get("/api/instruments/dmm/reading"))
        reading.start()
        link, _ = silent.accept()
        assert link.recv(100).startswith(b"MEAS")
        with app.extensions["mavrik_database"].engine.connect() as connection:
            open_now = connection.scalar(
                text(
                    "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() "
                    "AND state LIKE 'idle in transaction%' AND pid <> pg_backend_pid()"
                )
            )
        link.close()
        reading.join()
    assert open_now == 0
    place(boss, None)


def test_asking_once_counts_with_the_live_views(boss: Caller, tech: Caller, meters: dict[str, MeterServer]) -> None:
    place(boss, meters["multimeter"].address)
    views = [tech.get("/api/instruments/dmm/live") for _ in range(links.LIVE_AT_ONCE)]
    for view in views:
        next(iter(view.response))
    refused = tech.get("/api/instruments/dmm/reading")
    assert refused.status_code == 503 and "watched at once" in refused.text and refused.headers["Retry-After"]
    for view in views:
        view.close()
    assert tech.get("/api/instruments/dmm/reading").status_code == 200
    place(boss, None)


def test_an_address_is_kept_as_a_number_and_only_where_the_server_may_call(boss: Caller, meters: dict[str, MeterServer]) -> None:
    port = meters["multimeter"].address.split(":")[1]
    assert place(boss, f"localhost:{port}").json["address"] == f"127.0.0.1:{port}"
    for address in ("169.254.169.254:80", "8.8.8.8:53", "serial:/dev/ttyUSB97@9600"):
        refused = place(boss, address)
        assert refused.status_code == 422 and refused.json["problems"][0]["field"] == "address", address
    assert boss.get("/api/instruments/ports").status_code == 200
    place(boss, None)


def test_live_views_leave_threads_for_the_others(boss: Caller, tech: Caller, meters: dict[str, MeterServer]) -> None:
    place(boss, meters["multimeter"].address)
    views = [tech.get("/api/instruments/dmm/live") for _ in range(links.LIVE_AT_ONCE + 1)]
    first = [json.loads(next(iter(v.response)).decode().removeprefix("data: ")) for v in views]
    assert [bool(r["lost"]) for r in first] == [False] * links.LIVE_AT_ONCE + [True]
    assert "watched at once" in first[-1]["lost"]
    for v in views:
        v.close()
    again = tech.get("/api/instruments/dmm/live")
    assert not json.loads(next(iter(again.response)).decode().removeprefix("data: "))["lost"]
    again.close()
    place(boss, None)

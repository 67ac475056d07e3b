"""The largest circuits that are taken in, asked everything that can be asked of a job: processor time and memory of each answer."""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bench.attack.fuzzing import Answer, OverHttp, Sender
from bench.attack.shop import ROOT, children_of, shop
from mavrik.core.circuit import Circuit, Converter, Load
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.document import MAX_BRANCHES, MAX_LOADS
from mavrik.core.circuit.editing import insert_after, with_parts
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.circuit.rules import check_circuit

TARGET = {"target_current_a": 120}
TOLD, PATIENCE = 12, 60
ROOM = 8
"""Branches, nodes and loads that a disconnect, a fuse at each source and the like may still add."""

READS = {"voltage": 13.1, "voltage_drop": 0.012, "current": 80.0, "drain_current": 0.05}
"""What each meter shows, wherever it is put: nothing that one cause explains, so that all of them are tried."""

Heavy = dict[str, Any]
"""A request, its status, and what answering it took: processor time [s], memory above what the process held before [MB]."""


def crowded() -> Circuit:
    """As many branches and loads as a document may have, three switches beside the cut-off."""
    circuit = build_layout("competition_car", 12)
    grown = Growing(circuit)
    for k in range(MAX_LOADS - len(circuit.loads) - ROOM):
        load = Load(
            id=grown.free("load"), label=f"Load {k}", from_node="bat_pos", to_node="bat_neg", current_a=0.4, law="resistance"
        )
        grown.put("loads", load)
    return _long(grown.done(), "long_feed", switches=3)


def charged() -> Circuit:
    """Two batteries, four DC-DC chargers between them and two switches, drawn out to as many branches as a document may have."""
    circuit = build_layout("second_battery_converter", 12)
    grown = Growing(circuit)
    (first,) = circuit.converters
    for k in range(3):
        more: Converter = first.model_copy(update={"id": grown.free("converter"), "label": f"Further charger {k}"})
        grown.put("converters", more)
    return _long(grown.done(), "charge_cable", switches=2)


def _long(circuit: Circuit, at: str, switches: int) -> Circuit:
    while max(len(circuit.branches), len(circuit.nodes)) < MAX_BRANCHES - ROOM - switches:
        circuit, _ = insert_after(circuit, at, "cable")
    for _ in range(switches):
        circuit, _ = insert_after(circuit, at, "switch")
    named = tuple(b.model_copy(update={"label": f"{b.label[:60]} {k}"}) for k, b in enumerate(circuit.branches))
    return with_parts(circuit, branches=named)


def requests_of(job: int, circuit: Circuit, send: Sender) -> Iterator[tuple[str, str, object]]:
    """What can be asked of a job with a circuit, the ways and answers of it as the server names them."""

    def got(path: str) -> Any:
        return json.loads(send("tobin", "GET", path, None, None).body)

    at = f"/api/jobs/{job}"
    document = circuit.model_dump(mode="json")
    yield "PUT", f"{at}/circuit", {"document": document, "lock": None}
    yield "POST", "/api/solve", {"circuit": document, "state": {"engine_rpm": 2000}}
    yield "POST", "/api/protection", {"circuit": document}
    yield "POST", f"{at}/findings/draft", {"circuit": document}
    described = json.loads((ROOT / "docs" / "formats" / "openapi.json").read_text(encoding="utf-8"))["paths"]
    for path, operations in described.items():
        inside = path.removeprefix("/api/jobs/{job_id}")
        if "get" in operations and inside != path and "{" not in inside:
            yield "GET", at + inside, None
    for way in got(f"{at}/isolation")["ways"]:
        if not way["why_not"]:
            yield "GET", f"{at}/isolation/ways/{way['name']}", None
    for name in ("sheet.pdf", "label.pdf"):
        yield "GET", f"{at}/files/{name}", None
    yield "POST", f"{at}/plan/preview", TARGET
    yield "POST", f"{at}/use/preview", got(f"{at}/use")["document"]
    for change in got(f"{at}/guided")["guides"]:
        if not change["not_here"]:
            body = {"name": change["name"], "answers": {q["name"]: q["usual"] for q in change["questions"]}, "target": TARGET}
            yield "POST", f"{at}/guided/preview", body
            for question in change["questions"]:
                for choice in question["choices"] if question["name"] == change["compares"] else ():
                    answers = {**body["answers"], question["name"]: choice["name"]}
                    yield "POST", f"{at}/guided/comparison", {**body, "answers": answers}
    yield "POST", f"{at}/isolation", {"purpose": "storage", "way": "negative"}
    yield "GET", f"{at}/isolation/proof", None
    # Everything is read that there is to read, and judged after each test.
    version = got(at)["circuits"][0]["id"]
    for test in got(f"{at}/bench")["procedures"]:
        readings = [{"point": p["point"]["id"], "value": READS.get(p["point"]["quantity"], 1.0)} for p in test["points"]]
        run = {"procedure": test["name"], "readings": readings, "engine_rpm": 2000, "engine_space_c": 20, "ambient_c": 20}
        yield "POST", f"{at}/runs", {"circuit_id": version, "run": run}
        yield "POST", f"{at}/runs/judge", {"circuit_id": version, "run": run}
    draft = {"procedure": "charging_drops", "readings": [{"point": "stud_v", "value": 14.1}]}
    yield "POST", f"{at}/findings/draft", {"circuit": document, "run": draft}
    for again in ("", "/findings", "/sheet", "/files/sheet.pdf", "/bundle", "/guided", "/isolation", "/plan"):
        yield "GET", at + again, None


class _Watched:
    """The processes that answer, their processor time and the most memory they have held since it was asked last."""

    def __init__(self, var: Path) -> None:
        supervisor = int(json.loads((var / "server.json").read_text())["pid"])
        servers = children_of(supervisor, b"uvicorn")
        self._pids = [pid for server in servers for pid in children_of(server, b"spawn_main")]
        self._ticks = os.sysconf("SC_CLK_TCK")

    def cpu_s(self) -> float:
        stats = (Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split() for pid in self._pids)
        return sum(int(s[11]) + int(s[12]) for s in stats) / self._ticks

    def _memory(self, line: str) -> dict[int, float]:
        memory = {}
        for pid in self._pids:
            status = Path(f"/proc/{pid}/status").read_text().splitlines()
            memory[pid] = int(next(s for s in status if s.startswith(line)).split()[1]) / 1024
        return memory

    def rest(self) -> dict[int, float]:
        """What each holds now; the most is counted anew from here."""
        for pid in self._pids:
            Path(f"/proc/{pid}/clear_refs").write_text("5")
        return self._memory("VmRSS")

    def above(self, rest: dict[int, float]) -> float:
        """The most that one of them held above its rest [MB]."""
        most = self._memory("VmHWM")
        return max(most[pid] - held for pid, held in rest.items())


def _patient(send: Sender, method: str, path: str, body: object) -> Answer:
    """As a browser does: what is being worked out in the queue is asked for again."""
    for _ in range(PATIENCE):
        answer = _json(send, method, path, body)
        if answer.status != 503:
            break
        time.sleep(float(answer.headers.get("Retry-After", 1)))
    return answer


def _json(send: Sender, method: str, path: str, body: object) -> Answer:
    raw = None if body is None else json.dumps(body).encode()
    return send("tobin", method, path, "application/json" if raw else None, raw)


def heaviest_test() -> dict[str, Any]:
    """Ask everything of the largest circuits once, of a product of its own. Returns the requests that took most, and the mistakes."""
    heavy: list[Heavy] = []
    with shop() as (var, port):
        send, watched = OverHttp(port), _Watched(var)
        for circuit in (crowded(), charged()):
            assert not check_circuit(circuit)
            job = {
                "customer": {"name": "Heavy"},
                "vehicle": {"description": "Heavy", "kind": "van", "system_voltage_v": 12},
                "complaint": "heavy",
            }
            made = json.loads(_json(send, "POST", "/api/jobs", job).body)["id"]
            for method, path, body in requests_of(made, circuit, send):
                rest, before = watched.rest(), watched.cpu_s()
                answer = _patient(send, method, path, body)
                took, grown = watched.cpu_s() - before, watched.above(rest)
                print(f"{took:6.2f} s {answer.status} {method} {path}", file=sys.stderr, flush=True)
                heavy.append(
                    {
                        "request": f"{method} {path} {body.get('name', '') if isinstance(body, dict) else ''}".strip(),
                        "branches": len(circuit.branches), "status": answer.status, "cpu, s": round(took, 2), "memory, MB": round(grown),
                        "answer, kB": len(answer.body) // 1000,
                    }
                )  # fmt: skip
    return {
        "requests": len(heavy),
        "mistakes": [f for f in heavy if f["status"] >= 500],
        "most processor time": sorted(heavy, key=lambda f: -f["cpu, s"])[:TOLD],
        "most memory": sorted(heavy, key=lambda f: -f["memory, MB"])[:TOLD],
        "refused": sorted({f"{f['status']} {f['request']}" for f in heavy if 400 <= f["status"] < 500}),
    }

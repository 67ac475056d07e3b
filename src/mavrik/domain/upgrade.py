"""Documents of earlier versions as they would be written today. What is here for a version never changes again."""

from __future__ import annotations

from typing import Any

Json = dict[str, Any]

POINTS_V1 = {"stud_voltage": "stud_v", "battery_voltage": "battery_v", "feed_drop": "feed_v", "return_drop": "return_v"}
"""Readings of a version 1 drop test that are of no branch."""


def _probe(circuit: Json, node_id: Any) -> Json | None:
    labels = {n.get("id"): n.get("label") for n in circuit.get("nodes", []) if isinstance(n, dict)}
    return {"node": node_id, "label": labels[node_id]} if node_id in labels else None


def run_of_drop_test(circuit: Json, test: Json) -> Json:
    """A charging drop test of version 1 as a run of the procedure `charging_drops`.

    circuit: the document it was made on; test: as version 1 wrote it
    What it does not say (which loads were on, where a bank hung) stays unsaid.
    """
    voltmeter, clamp = test["voltmeter"], test["clamp"]
    if clamp.get("id") == voltmeter.get("id"):
        clamp = {**clamp, "id": f"{clamp['id'][:34]}_clamp"}
    alternator = circuit["alternators"][0]["id"]
    readings: list[Json] = [
        {"point": f"charge_a:{alternator}", "value": test["output_current_a"], "instrument": clamp["id"]},
    ]
    for r in test.get("readings", []):
        quantity, branch = r["quantity"], r.get("branch_id")
        of = {"branch_drop": f"drop_v:{branch}", "branch_current": f"branch_a:{branch}"}.get(quantity) or POINTS_V1[quantity]
        meter = clamp if quantity == "branch_current" else voltmeter
        readings.append(
            {
                "point": of,
                "value": r["value"],
                "instrument": meter["id"],
                "red": _probe(circuit, r.get("red_node")) if quantity != "branch_current" else None,
                "black": _probe(circuit, r.get("black_node")) if quantity != "branch_current" else None,
            }
        )
    return {
        "procedure": "charging_drops",
        "readings": readings,
        "instruments": [voltmeter, clamp],
        "engine_rpm": test["engine_speed_rpm"],
        "engine_space_c": test.get("engine_space_c", 40.0),
        "ambient_c": test.get("ambient_c", 20.0),
        "note": test.get("note", ""),
        "measured_by": test.get("measured_by", ""),
        "measured_at": test.get("measured_at"),
    }


def run_v1(run: Json) -> Json:
    """A bench run of version 1 as a run of today: points instead of asks, resistances in ohms."""
    readings = []
    for r in run.get("readings", []):
        point, value = r["ask"], r["value"]
        if point.startswith("contact_mohm:"):
            point, value = point.replace("contact_mohm:", "contact_ohm:", 1), value / 1000
        readings.append({"point": point, "value": value, "instrument": r.get("instrument")})
    return {**run, "readings": readings, "measured_at": run.get("measured_at") or None}


def bundle_v1(bundle: Json) -> Json:
    """A job bundle of version 1 as version 2: one kind of run, plans as documents of their own, a purpose.

    bundle: the parsed file; raises KeyError, TypeError or ValueError for what no version 1 would hold
    """
    made = {k: v for k, v in bundle.items() if k not in ("tests", "runs", "circuits")}
    circuits, documents = [], []
    for c in bundle.get("circuits", []):
        circuits.append({k: v for k, v in c.items() if k != "proposal"})
        if c.get("proposal") is not None:
            documents.append({"kind": "plan", "circuit_id": c["id"], "document": c["proposal"]})
    by_id = {c["id"]: c["document"] for c in circuits}
    runs = [
        {"circuit_id": t["circuit_id"], "run": run_of_drop_test(by_id[t["circuit_id"]], t["test"])}
        for t in bundle.get("tests", [])
    ]
    runs += [{"circuit_id": r["circuit_id"], "run": run_v1(r["run"])} for r in bundle.get("runs", [])]
    job = dict(bundle["job"])
    job.setdefault("purposes", ["find_fault", "more_load"] if job.get("loads_to_add") else ["find_fault"])
    return {**made, "version": 2, "job": job, "circuits": circuits, "documents": documents, "runs": runs}


NAMES_V2: dict[str, dict[str, str]] = {
    "simulation": {"asked": "request"},
    "worth": {
        "asked": "request",
        "view.found": "as_found",
        "view.found_meets": "as_found_meets",
        "view.as_found.short_ah": "worst_net_ah",
        "view.as_found.short_of": "worst_battery",
        "view.singles.figures.short_ah": "worst_net_ah",
        "view.singles.figures.short_of": "worst_battery",
        "view.plans.figures.short_ah": "worst_net_ah",
        "view.plans.figures.short_of": "worst_battery",
    },
    "drive": {"wanted_idle_a": "target_idle_a"},
    "quotation": {"asked": "request", "accepted.told": "recorded_by"},
}
"""Fields of a job's documents that version 3 calls by another name: where they are, by kind, in the order in which they change."""


def _renamed(value: Any, path: list[str], name: str) -> Any:
    """A copy with the field at a path under another name, in each item of a list on the way; the field stays in its place."""
    if isinstance(value, list):
        return [_renamed(v, path, name) for v in value]
    if not isinstance(value, dict) or path[0] not in value:
        return value
    if len(path) == 1:
        return {name if k == path[0] else k: v for k, v in value.items()}
    return {k: _renamed(v, path[1:], name) if k == path[0] else v for k, v in value.items()}


def document_v2(kind: str, document: Json) -> Json:
    """A job's document of version 2 as version 3 names it; one that has the new names already is left as it is.

    kind: of the document, see `mavrik.domain.job.DocumentKind`

    >>> document_v2("drive", {"alternator_id": "alternator", "wanted_idle_a": 90})
    {'alternator_id': 'alternator', 'target_idle_a': 90}
    """
    for where, name in NAMES_V2.get(kind, {}).items():
        document = _renamed(document, where.split("."), name)
    return document


def bundle_v2(bundle: Json) -> Json:
    """A job bundle of version 2 as version 3: some fields of its documents have other names.

    bundle: the parsed file; raises KeyError, TypeError or AttributeError for what no version 2 would hold
    """
    documents = [{**d, "document": document_v2(d["kind"], d["document"])} for d in bundle.get("documents", [])]
    return {**bundle, "version": 3, "documents": documents}

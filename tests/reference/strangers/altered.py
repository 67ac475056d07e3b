"""Vehicles that are wired otherwise than any ready drawing: what owners and workshops change in the course of years."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

import numpy as np

Json = dict[str, Any]
Change = Callable[[Json, np.random.Generator], None]


def _cables(document: Json) -> list[Json]:
    return [b for b in document["branches"] if b["kind"] == "cable"]


def _picked(rows: list[Json], rng: np.random.Generator) -> Json | None:
    return rows[int(rng.integers(len(rows)))] if rows else None


def _node(document: Json, label: str) -> str:
    name = next(f"stud_{k}" for k in range(1, 100) if f"stud_{k}" not in {n["id"] for n in document["nodes"]})
    document["nodes"].append({"id": name, "label": label, "role": "stud"})
    return name


def _lead_is_joined(document: Json, rng: np.random.Generator) -> None:
    """A cable was mended: two pieces with a joint between them."""
    whole = [b for b in _cables(document) if not b["id"].endswith("_rest")]
    first = _picked([b for b in whole if f"{b['id']}_rest" not in {x["id"] for x in document["branches"]}], rng)
    if first is None:
        return
    near, far = _node(document, f"Joint in {first['label']}"), _node(document, f"Joint in {first['label']}, far side")
    share, length = rng.uniform(0.3, 0.7), first["length_m"]
    rest = {**copy.deepcopy(first), "id": f"{first['id']}_rest", "label": f"{first['label']}, behind the joint", "from_node": far}
    first["to_node"] = near
    first["length_m"], rest["length_m"] = (max(round(length * s, 2), 0.05) for s in (share, 1 - share))
    joint = {
        "kind": "joint", "id": f"{first['id']}_joint", "label": f"Joint in {first['label']}", "from_node": near, "to_node": far,
        "resistance_mohm": round(float(rng.uniform(0.1, 0.4)), 2), "rating_a": None, "intermittent_a": None, "note": "",
    }  # fmt: skip
    document["branches"] += [joint, rest]


def _fuse_is_gone(document: Json, rng: np.random.Generator) -> None:
    """Bolted through, as is found in the field."""
    fuse = _picked([b for b in document["branches"] if b["kind"] in ("fuse", "breaker")], rng)
    if fuse is None:
        return
    stays, goes = fuse["from_node"], fuse["to_node"]
    others = [b for b in document["branches"] if b is not fuse]
    if any({b["from_node"], b["to_node"]} == {stays, goes} for b in others):
        return
    document["branches"] = others
    document["nodes"] = [n for n in document["nodes"] if n["id"] != goes]
    for group in ("branches", "alternators", "batteries", "loads", "converters", "chargers"):
        for one in document.get(group, []):
            one |= {k: stays for k, v in one.items() if k.endswith("_node") and v == goes}


def _strap_is_doubled(document: Json, rng: np.random.Generator) -> None:
    """A second ground beside one of the others."""
    grounds = [
        b for b in document["branches"] if b["kind"] in ("cable", "ground_strap") and ("ground" in b["id"] or "strap" in b["id"])
    ]
    if (strap := _picked(grounds, rng)) is None:
        return
    more = {**copy.deepcopy(strap), "id": f"{strap['id']}_more", "label": f"Second {strap['label'].lower()}"}
    more["length_m"] = round(strap["length_m"] * float(rng.uniform(0.8, 2.0)), 2)
    document["branches"].append(more)


def _routes_differ(document: Json, rng: np.random.Generator) -> None:
    for b in _cables(document):
        b["length_m"] = max(round(b["length_m"] * float(rng.uniform(0.6, 1.8)), 2), 0.05)


def _unit_is_another(document: Json, rng: np.random.Generator) -> None:
    for a in document["alternators"]:
        a["rated_a"] = max(round(a["rated_a"] * float(rng.uniform(0.7, 1.3)) / 5) * 5.0, 10.0)
        a["curve"] = []
        a["set_point_v"] = round(a["set_point_v"] + float(rng.uniform(-0.3, 0.3)), 2)
        a["pulley_ratio"] = round(a["pulley_ratio"] * float(rng.uniform(0.85, 1.2)), 2)


def _batteries_are_others(document: Json, rng: np.random.Generator) -> None:
    """All of one kind: where two kinds lie side by side one feeds the other for as long as the yard stands, which no battery does."""
    kind = str(rng.choice(["flooded", "efb", "agm"]))
    for b in document["batteries"]:
        size = float(rng.uniform(0.6, 1.6))
        b["capacity_ah"] = round(b["capacity_ah"] * size)
        if b.get("cca_a"):
            b["cca_a"] = round(b["cca_a"] * size)
        if b["chemistry"] in ("flooded", "efb", "agm"):
            b["chemistry"] = kind


def _loads_are_others(document: Json, rng: np.random.Generator) -> None:
    document["loads"] = [x for x in document["loads"] if x["cranking"] or rng.uniform() < 0.6]
    for x in document["loads"]:
        if not x["cranking"]:
            x["current_a"] = round(x["current_a"] * float(rng.uniform(0.5, 1.6)), 1)


def _load_has_a_lead(document: Json, rng: np.random.Generator) -> None:
    """A consumer that hung on a post has a feed of its own."""
    load, like = _picked([x for x in document["loads"] if not x["cranking"]], rng), _picked(_cables(document), rng)
    if load is None or like is None or f"{load['id']}_lead" in {b["id"] for b in document["branches"]}:
        return
    end = _node(document, f"Feed of {load['label']}")
    lead = {
        **copy.deepcopy(like),
        "id": f"{load['id']}_lead",
        "label": f"Lead of {load['label']}",
        "from_node": load["from_node"],
    }
    document["branches"].append({**lead, "to_node": end, "length_m": round(float(rng.uniform(0.8, 3.0)), 1), "size": "10 mm2"})
    load["from_node"] = end


CHANGES: tuple[Change, ...] = (
    _lead_is_joined, _lead_is_joined, _fuse_is_gone, _strap_is_doubled, _routes_differ, _unit_is_another, _batteries_are_others,
    _loads_are_others, _load_has_a_lead,
)  # fmt: skip


def altered(document: Json, rng: np.random.Generator) -> Json:
    """A drawing with two to four things changed.

    document: a ready drawing, left as it is
    """
    changed = copy.deepcopy(document)
    for k in rng.choice(len(CHANGES), size=int(rng.integers(2, 5)), replace=False).tolist():
        CHANGES[k](changed, rng)
    return changed

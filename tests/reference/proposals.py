"""Random proposals over all layouts, and what has to hold of each: asked with a solver and rules of this file's own.

Nothing here calls what the sizing is made of. Currents come from a nodal analysis written here; which fuse guards which cable and what
a battery feeds before its first fuse from walks written here. Only the catalogue (ampacity, fuses) and the review of the
protection, which the proposal must not make worse, are the product's.
"""

from __future__ import annotations

import random
from collections import defaultdict
from dataclasses import dataclass
from itertools import product
from typing import Any

import numpy as np

from mavrik.core.catalogue.conductor import SizeSystem
from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.editing import remove_branch
from mavrik.core.circuit.layouts import LAYOUTS
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.planning.leads import cheapest_proposal
from mavrik.core.planning.targets import SizingError, SizingTarget
from mavrik.core.protection.review import review_protection

FAMILIES = (FuseFamily.STRIP_30, FuseFamily.STRIP_51, FuseFamily.ANL, FuseFamily.MRBF, FuseFamily.CLASS_T)
TINY_OHM = 1e-5
FUSE_KINDS = ("fuse", "breaker")
NEAR_M = 0.178
"""ABYC E-11: 7 in."""


@dataclass(frozen=True)
class Request:
    """A random question."""

    layout: str
    circuit: Circuit
    target: SizingTarget
    fuses_out: int


def draw_request(seed: int) -> Request:
    """The question of a seed: a layout with its leads stretched, at times without some of its fuses or with a thin or bad lead."""
    dice = random.Random(seed)
    layout = dice.choice(LAYOUTS)
    circuit = layout.build(dice.choice((12, 24)))
    longest = max(getattr(b, "length_m", 0.0) for b in circuit.branches)
    stretch = dice.uniform(0.3, 9.0) / longest
    branches: list[Any] = []
    for b in circuit.branches:
        change: dict[str, Any] = {}
        if hasattr(b, "length_m") and b.length_m > NEAR_M:
            change["length_m"] = min(max(b.length_m * stretch, 0.2), 9.0)
            if dice.random() < 0.1:
                change["to_end"] = {**b.to_end.model_dump(mode="json"), "condition": "corroded"}
            if dice.random() < 0.1:
                change["size"] = dice.choice(("10 mm2", "16 mm2", "6 AWG", "2 AWG"))
        branches.append({**b.model_dump(mode="json"), **change})
    circuit = Circuit.model_validate({**circuit.model_dump(mode="json"), "branches": branches})
    out = 0
    if dice.random() < 0.25:
        for fuse in [b for b in circuit.branches if b.kind == "fuse"]:
            if dice.random() < 0.5:
                shorter = remove_branch(circuit, fuse.id)
                if not check_circuit(shorter):
                    circuit, out = shorter, out + 1
    target = SizingTarget(
        target_current_a=round(dice.uniform(20, 400), 1),
        system=dice.choice((SizeSystem.METRIC, SizeSystem.AWG)),
        fuse_family=dice.choice(FAMILIES),
        insulation_c=dice.choice((75, 90, 105, 125)),
        limit_profile=dice.choice(("common", "strict", "three_percent")),
    )
    return Request(layout.name, circuit, target, out)


def currents(circuit: Circuit, output_a: float, closed: dict[str, bool]) -> dict[str, float]:
    """Amperes in every branch with the alternator's output going into equally charged batteries, by nodal analysis [A]."""
    nodes = {n.id: k for k, n in enumerate(circuit.nodes)}
    g, i = np.zeros((len(nodes), len(nodes))), np.zeros(len(nodes))

    def join(a: str, b: str, siemens: float) -> None:
        for x, y in ((a, b), (b, a)):
            g[nodes[x], nodes[x]] += siemens
            g[nodes[x], nodes[y]] -= siemens

    ohm = {}
    for b in circuit.branches:
        if closed.get(b.id, getattr(b, "closed", True)):
            ohm[b.id] = max(b.sound_resistance_ohm(60.0), TINY_OHM)
            join(b.from_node, b.to_node, 1 / ohm[b.id])
    for battery in circuit.batteries:
        # Equal open-circuit voltages: only what comes in counts, and that goes by resistance.
        join(battery.positive_node, battery.negative_node, 1 / max(battery.internal_mohm / 1000, TINY_OHM))
    a = circuit.alternator
    i[nodes[a.stud_node]] += output_a
    i[nodes[a.case_node]] -= output_a
    g += 1e-9 * np.eye(len(nodes))
    v = np.linalg.solve(g, i)
    return {b.id: float((v[nodes[b.from_node]] - v[nodes[b.to_node]]) / ohm[b.id]) for b in circuit.branches if b.id in ohm}


def joined(circuit: Circuit, start: str, stop: tuple[str, ...] = ()) -> set[str]:
    """Nodes reached from one through everything but some kinds of branch."""
    near = defaultdict(list)
    for b in circuit.branches:
        if b.kind not in stop and getattr(b, "closed", True):
            near[b.from_node].append(b.to_node)
            near[b.to_node].append(b.from_node)
    seen, todo = {start}, [start]
    while todo:
        for n in near[todo.pop()]:
            if n not in seen:
                seen.add(n)
                todo.append(n)
    return seen


def most(circuit: Circuit, output_a: float) -> dict[str, float]:
    """The most of it over all positions of switches in which the output has somewhere to go [A]."""
    switches = [b.id for b in circuit.branches if b.kind in ("switch", "relay")]
    largest: dict[str, float] = defaultdict(float)
    for setting in product((True, False), repeat=len(switches)):
        closed = dict(zip(switches, setting, strict=True))
        turned = circuit.model_copy(
            update={
                "branches": tuple(
                    b.model_copy(update={"closed": closed[b.id]}) if b.id in closed else b for b in circuit.branches
                )
            }
        )
        posts = {b.positive_node for b in circuit.batteries}
        if joined(turned, circuit.alternator.stud_node) & posts:
            for branch_id, amps in currents(turned, output_a, closed).items():
                largest[branch_id] = max(largest[branch_id], abs(amps))
    return largest


def bare_metres(circuit: Circuit) -> list[str]:
    """What a battery feeds with nothing to open it, beyond the distance, that is no starter's lead."""
    posts = {b.positive_node: b.label for b in circuit.batteries}
    ends = {a.stud_node: a.label for a in circuit.alternators} | {x.from_node: x.label for x in circuit.loads if not x.cranking}
    ends |= {c.in_node: c.label for c in circuit.converters}
    problems = []
    for battery in circuit.batteries:
        todo, seen = [(battery.positive_node, 0.0)], {battery.positive_node}
        while todo:
            node, far = todo.pop(0)
            for b in circuit.branches:
                if node not in (b.from_node, b.to_node) or b.kind in FUSE_KINDS or not getattr(b, "closed", True):
                    continue
                other = b.to_node if b.from_node == node else b.from_node
                if other in seen:
                    continue
                seen.add(other)
                length = far + getattr(b, "length_m", 0.0)
                studs = {a.stud_node for a in circuit.alternators}
                if other in studs or (other in ends and length > NEAR_M):
                    problems.append(f"{battery.label} feeds {ends[other]} through {b.label} without a fuse")
                elif other in posts and length > NEAR_M:
                    problems.append(f"{battery.label} and {posts[other]} feed {b.label} without a fuse")
                if other not in posts:
                    todo.append((other, length))
    return problems


RANK = {"good": 0, "watch": 1, "bad": 2}


def outcomes(circuit: Circuit) -> dict[tuple[str, str], str]:
    """The worst answer of every check of every part, as the review shows it."""
    worst: dict[tuple[str, str], str] = {}
    review = review_protection(circuit)
    for part in (*review.protectors, *review.contacts, *review.conductors):
        for check in part.checks:
            key = part.branch_id, check.name
            if key not in worst or RANK[check.outcome] > RANK[worst[key]]:
                worst[key] = check.outcome
    return worst


def wrong(request: Request) -> tuple[list[str], str]:
    """What does not hold of a proposal, and the reason where none was made."""
    try:
        made = cheapest_proposal(request.circuit, request.target, usual_prices())
    except SizingError as error:
        return ([] if len(str(error)) > 20 else ["no reason given"]), str(error)
    circuit, need = made.circuit, request.target.target_current_a
    problems = [p.message for p in check_circuit(circuit)]
    if circuit.alternator.rated_a != need:
        problems.append("not the unit that was asked for")
    carries = most(circuit, need)
    fed = joined(circuit, circuit.alternator.stud_node) | joined(circuit, circuit.alternator.case_node)
    for b in circuit.branches:
        if not {b.from_node, b.to_node} & fed:
            continue
        amps = carries[b.id] * 0.995
        if hasattr(b, "ampacity") and b.ampacity().current_a < amps:
            problems.append(f"{b.label} carries {amps:.0f} A and may {b.ampacity().current_a:.0f}")
        if b.kind == "fuse":
            if b.rating_a < amps:
                problems.append(f"{b.label} of {b.rating_a:g} A carries {amps:.0f} A")
            for end in (b.from_node, b.to_node):
                problems += _over_its_cable(circuit, b, end)
        elif b.kind in ("switch", "relay", "voltage_link", "connector") and b.rating_a is not None and b.rating_a < amps:
            problems.append(f"{b.label} rated {b.rating_a:g} A carries {amps:.0f} A")
    problems += bare_metres(circuit)
    old = {b.id: b for b in request.circuit.branches}
    for b in circuit.branches:
        if b.id in old and hasattr(b, "ampacity"):
            before = old[b.id]
            if b.conductor.area_mm2 * b.parallel < 0.94 * before.conductor.area_mm2 * before.parallel:
                problems.append(f"{b.label} got thinner")
    before, after = outcomes(request.circuit), outcomes(circuit)
    for key, now in after.items():
        if RANK[now] > RANK[before.get(key, "watch")]:
            problems.append(f"{key} was {before.get(key)} and is {now}")
    return problems, ""


def _over_its_cable(circuit: Circuit, fuse: Any, node: str) -> list[str]:
    """Cables in one chain with a fuse that burn before it opens."""
    problems, came = [], fuse.id
    fixed = {n for x in (*circuit.loads,) for n in (x.from_node, x.to_node)}
    fixed |= {n for x in circuit.batteries for n in (x.positive_node, x.negative_node)}
    fixed |= {n for x in circuit.alternators for n in (x.stud_node, x.case_node)}
    fixed |= {n for c in circuit.converters for n in (c.in_node, c.out_node, c.ground_node)}
    while node not in fixed:
        onward = [b for b in circuit.branches if b.id != came and node in (b.from_node, b.to_node) and getattr(b, "closed", True)]
        if len(onward) != 1:
            break
        b = onward[0]
        if hasattr(b, "ampacity") and b.ampacity().current_a < fuse.rating_a:
            problems.append(f"{fuse.label} of {fuse.rating_a:g} A is above the {b.ampacity().current_a:.0f} A of {b.label}")
        node, came = (b.to_node if b.from_node == node else b.from_node), b.id
    return problems

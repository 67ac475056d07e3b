"""Another ground lead: to the engine, to the alternator's case, to the body."""

from __future__ import annotations

from collections.abc import Iterator

from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.circuit.additions import ADDITIONS, add_to
from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation


def _there_already(circuit: Circuit, larger: Circuit) -> bool:
    """Whether a lead joins the same two places."""
    known = {b.id for b in circuit.branches}
    added = [b for b in larger.branches if b.id not in known]
    ends = [{b.from_node, b.to_node} for b in circuit.branches if isinstance(b, ConductorBranch)]
    return not added or any({b.from_node, b.to_node} in ends for b in added)


def _find(situation: Situation) -> Iterator[Change]:
    for addition in ADDITIONS:
        if not addition.name.startswith("ground_"):
            continue
        if _there_already(situation.as_found, add_to(situation.as_found, addition.name)):
            continue

        def apply(scheme: Scheme, name: str = addition.name) -> Scheme:
            return scheme.with_circuit(add_to(scheme.circuit, name))

        yield Change(
            f"ground:{addition.name.removeprefix('ground_')}", f"ground:{addition.name}", addition.label, addition.when, apply,
            ("A bright face under the ring, protected again after.",),
        )  # fmt: skip


GROUND = ChangeKind(30, "ground", "Another ground", _find)

"""What is fitted already: every switch as it is drawn, each by what works it."""

from __future__ import annotations

from mavrik.core.circuit import Circuit, SwitchBranch
from mavrik.core.circuit.branches.contacts import SwitchedBranch
from mavrik.core.circuit.controls import ControlFacts
from mavrik.core.isolation.documents import MOST_KEPT_CONTROLS, Control, MovedContact
from mavrik.core.isolation.topologies.base import Isolated, Topology, as_used, usual_switching
from mavrik.core.procedures.bench.disconnect import hand_worked


def _switches(circuit: Circuit) -> list[SwitchedBranch]:
    return [b for b in hand_worked(circuit) if b.closed]


def _build(circuit: Circuit) -> Isolated:
    drawn, switching, assumed = usual_switching(circuit)
    switches = _switches(drawn)
    labels = list(dict.fromkeys(label for b in switches for label in b.worked_by or (b.label,)))
    ids = {label: f"control_{k}" for k, label in enumerate(labels, 1)}
    selectors = {b.label: b.selector for b in switches if isinstance(b, SwitchBranch) and b.selector and not b.worked_by}

    def looked_at(label: str) -> dict[str, object]:
        known = drawn.control(selectors.get(label, label))
        return {n: getattr(known, n) for n in ControlFacts.model_fields}

    controls = tuple(Control.model_validate({"id": ids[x], "label": x, **looked_at(x)}) for x in labels)
    contacts = tuple(
        MovedContact(branch_id=b.id, when=" and ".join(ids[x] for x in dict.fromkeys(b.worked_by or (b.label,))))
        for b in switches
    )
    done = switching.model_copy(update={"controls": controls, "contacts": contacts})
    return Isolated(drawn, done, (), assumed)


def _not_here(circuit: Circuit) -> str:
    switches = _switches(as_used(circuit)[0])
    if not switches:
        return "No switch is drawn that a hand works."
    if len({label for b in switches for label in b.worked_by or (b.label,)}) > MOST_KEPT_CONTROLS:
        return f"More than {MOST_KEPT_CONTROLS} switches are drawn: try them under the circuit."
    return ""


FITTED = Topology(
    5, "as_fitted", "What is fitted now",
    "The switches of the vehicle as it stands, nothing moved: what they do today.",
    _build,
    _not_here,
    changes=False,
)  # fmt: skip

"""A consumer moved to where it belongs: a feed with a fuse and a return of its own."""

from __future__ import annotations

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import Circuit, Load, NodeRole
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.layouts.parts import cable, fuse
from mavrik.core.planning.guided.base import Answers, Changed, Guide, Question, amount, number, pick
from mavrik.core.protection.placing import charged_directly, misplaced_loads
from mavrik.core.thermal.ampacity import Place


def _not_here(circuit: Circuit) -> str:
    if misplaced_loads(circuit):
        return ""
    return "Every consumer hangs where it belongs, by what the circuit says each is: an engine computer, coils or a winch."


def _asks(circuit: Circuit) -> tuple[Question, ...]:
    return (
        pick("load", "Which", {x.id: x.label for x in misplaced_loads(circuit)}),
        number("length_m", "From its new place", "m", 0.2, 12, 1.5, "Along the way the leads take."),
    )


def _build(circuit: Circuit, answers: Answers) -> Changed:
    load = next(x for x in circuit.loads if x.id == answers["load"])
    battery, length = charged_directly(circuit)[0], amount(answers, "length_m")
    heads = [n.id for n in circuit.nodes if n.role is NodeRole.ENGINE_BLOCK]
    grow = Growing(circuit)

    def end(sign: str) -> str:
        return grow.node(f"{load.id}_{'pos' if sign == '+' else 'neg'}", f"{load.label} {sign}", NodeRole.CONSUMER)

    # Of coils the ground alone moves: they are fed as they were.
    plus, minus = load.from_node if load.role == "ignition_coils" else end("+"), end("−")
    back = heads[0] if load.role == "ignition_coils" else battery.negative_node
    if plus != load.from_node:
        stud = grow.node(f"{load.id}_fuse", f"{load.label} fuse stud")
        grow.put(
            "branches",
            fuse(grow.free(f"{load.id}_fuse"), f"{load.label} fuse", battery.positive_node, stud, 30, FuseFamily.STRIP_30),
            cable(grow.free(f"{load.id}_feed"), f"{load.label} feed", stud, plus, length, "6 mm2", Place.CABIN),
        )
    grow.put("branches", cable(grow.free(f"{load.id}_return"), f"{load.label} return", minus, back, length, "6 mm2", Place.CABIN))
    moved = grow.done()
    here: Load = load.model_copy(update={"from_node": plus, "to_node": minus})
    return Changed(
        moved.model_copy(update={"loads": tuple(here if x.id == load.id else x for x in moved.loads)}),
        (
            f"{load.label}: its old feed and return come off at both ends, or are capped and kept as spares, never left live and bare.",
            "The new leads run together, clamped every few hand-widths, a grommet at each panel, away from the coils' leads.",
            "Its maker's figures for feed, fuse and ground win over these.",
        ),
    )


WHERE_IT_BELONGS = Guide(
    60,
    "where_it_belongs",
    "Move a consumer to where it belongs",
    "Engine computer and winch straight to the posts, coil grounds to the head.",
    _not_here,
    _asks,
    _build,
)

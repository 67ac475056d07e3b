"""A winch with its isolator, and an override of the voltage link where there is one."""

from __future__ import annotations

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import Circuit, LinkBranch, Load, LoadKind, NodeRole, RelayBranch
from mavrik.core.circuit.additions import Growing
from mavrik.core.circuit.graph import graph_of, reach
from mavrik.core.circuit.layouts.parts import cable, fuse
from mavrik.core.planning.guided.base import Answers, Changed, Guide, Question, amount, number, pick

ISOLATOR_A = 400
"""A solenoid for a winch; an isolator has 300 A for good at least. Common practice of the trade, no source."""


def _link(circuit: Circuit) -> LinkBranch | None:
    return next((b for b in circuit.branches if isinstance(b, LinkBranch)), None)


def _fed(circuit: Circuit) -> list[str]:
    near = reach(graph_of(b for b in circuit.branches if not isinstance(b, LinkBranch)), circuit.alternator.stud_node)
    return [b.id for b in circuit.batteries if b.positive_node in near] or [circuit.battery.id]


def _asks(circuit: Circuit) -> tuple[Question, ...]:
    override = (
        (pick("override", "The link while winching", {"yes": "Held closed by a solenoid beside it", "no": "Left to its voltage"}, why="A link drops out at 12.7 V just when the winch needs the second battery."),)
        if _link(circuit)
        else ()
    )  # fmt: skip
    return (
        number("current_a", "It takes, pulling hard", "A", 20, 600, 300 * 12 / circuit.system_voltage_v, "Its plate, at full pull."),
        number("seconds", "It pulls at a stretch for", "s", 5, 600, 60),
        number("length_m", "From battery to winch", "m", 0.3, 12, 2.0),
        pick("battery", "It hangs on", {b.id: b.label for b in circuit.batteries}, _fed(circuit)[0], "The battery that the alternator charges."),
        *override,
    )  # fmt: skip


def _build(circuit: Circuit, answers: Answers) -> Changed:
    battery = next(b for b in circuit.batteries if b.id == answers["battery"])
    amps, length = amount(answers, "current_a"), amount(answers, "length_m")
    grow = Growing(circuit)
    stud, far = grow.node("winch_in", "Winch fuse stud"), grow.node("winch_stud", "Isolator stud")
    plus, minus = (grow.node(f"winch_{n}", f"Winch {sign}", NodeRole.CONSUMER) for n, sign in (("pos", "+"), ("neg", "−")))
    grow.put(
        "branches",
        fuse(grow.free("winch_fuse"), "Winch fuse", battery.positive_node, stud, 225, FuseFamily.ANL),
        RelayBranch(id=grow.free("winch_isolator"), label="Winch isolator", from_node=stud, to_node=far, resistance_mohm=0.2, rating_a=300, intermittent_a=max(500.0, amps)),
        cable(grow.free("winch_feed"), "Winch feed", far, plus, length, "50 mm2"),
        cable(grow.free("winch_return"), "Winch return", minus, battery.negative_node, length, "50 mm2"),
    )  # fmt: skip
    grow.put(
        "loads",
        Load(id=grow.free("winch"), label="Winch", from_node=plus, to_node=minus, current_a=amps, law=LoadKind.RESISTANCE, role="winch", on=False, on_s=amount(answers, "seconds")),
    )  # fmt: skip
    link = _link(circuit)
    if link is not None and answers.get("override") == "yes":
        grow.put(
            "branches",
            RelayBranch(id=grow.free("link_override"), label="Link override", from_node=link.from_node, to_node=link.to_node, resistance_mohm=0.2, rating_a=ISOLATOR_A, closed=False),
        )  # fmt: skip
    return Changed(
        grow.done(),
        (
            "Feed and return go to the posts, not to the body: a winch takes more than any strap is made for.",
            "The isolator is off whenever nobody winches; it and the override are rated for good, not for a moment.",
            "High idle while winching, a hand off the drum, everybody out of the rope's way.",
            *(("The override's switch is in the driver's sight, with a lamp: left closed, it empties both batteries.",) if answers.get("override") == "yes" else ()),
        ),
    )  # fmt: skip


WINCH = Guide(
    40,
    "winch",
    "Fit a winch",
    "Fuse, isolator, both leads to the posts, and the link held while it pulls.",
    lambda _: "",
    _asks,
    _build,
)

"""Two batteries that hang together by metal, parted by a switch, a voltage link or a DC-DC charger."""

from __future__ import annotations

from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Battery, Circuit, Converter, LinkBranch, SwitchBranch
from mavrik.core.circuit.additions import Growing, near_ground
from mavrik.core.circuit.branches import AnyBranch
from mavrik.core.circuit.branches.contacts import SwitchedBranch
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.graph import graph_of, least_path, metal_of, reach
from mavrik.core.planning.guided.base import Answers, Changed, Guide, Question, pick

WAYS = {
    "link": "A voltage link: closes while charging",
    "converter": "A DC-DC charger: its own voltage and limit",
    "switch": "A switch: somebody closes it",
}


def _joining(circuit: Circuit) -> list[AnyBranch]:
    """The metal between the first battery and another, feed side, by least resistance; empty where none, or a switch, joins them."""
    posts = {b.negative_node for b in circuit.batteries}
    fixed = (b for b in circuit.branches if not (isinstance(b, SwitchedBranch) and not b.protects))
    metal = metal_of(b for b in fixed if not posts & {b.from_node, b.to_node})
    first = circuit.battery
    for other in circuit.batteries:
        if (
            other is first
            or other.positive_node == first.positive_node
            or other.positive_node not in reach(metal, first.positive_node)
        ):
            continue
        if first.positive_node in metal and other.positive_node in metal:
            return [b for _, b in least_path(metal, first.positive_node, other.positive_node) or []]
    return []


def _cut(circuit: Circuit) -> AnyBranch | None:
    """The branch that, taken out, parts the two: the first on the way with which the alternator stays with one of them alone."""
    for b in _joining(circuit):
        without = graph_of([x for x in circuit.branches if x.id != b.id], open_too=True)
        near = reach(without, circuit.alternator.stud_node)
        if any(x.positive_node in near for x in circuit.batteries) and any(
            x.positive_node not in near for x in circuit.batteries
        ):
            return b
    return None


def _not_here(circuit: Circuit) -> str:
    if len(circuit.batteries) < 2:
        return "It has one battery: add a second one first."
    if _cut(circuit) is None:
        return "Its batteries are parted already, or hang together in more than one way."
    return ""


def _sides(circuit: Circuit) -> tuple[list[Battery], list[Battery]]:
    """The batteries that stay with the alternator, and the others."""
    cut = _cut(circuit)
    assert cut is not None
    near = reach(graph_of([b for b in circuit.branches if b.id != cut.id], open_too=True), circuit.alternator.stud_node)
    return [b for b in circuit.batteries if b.positive_node in near], [
        b for b in circuit.batteries if b.positive_node not in near
    ]


def _asks(circuit: Circuit) -> tuple[Question, ...]:
    near, far = _sides(circuit)
    sides = {"near": near[0].label, "far": far[0].label}
    by_load = tuple(
        pick(
            f"load_{x.id}", f"{x.label} hangs on", sides,
            "near" if x.on_s is not None else "far",
        )
        for x in circuit.loads if not x.cranking
    )  # fmt: skip
    why = "Lithium, or far away: a DC-DC charger. Alike in kind and near: a link."
    return (pick("way", "Parted by", WAYS, why=why), *by_load)


def _build(circuit: Circuit, answers: Answers) -> Changed:
    cut = _cut(circuit)
    assert cut is not None
    near, far = _sides(circuit)
    way, scale = str(answers["way"]), circuit.system_voltage_v / 12
    reached = reach(graph_of([b for b in circuit.branches if b.id != cut.id], open_too=True), circuit.alternator.stud_node)
    fed, other = (cut.from_node, cut.to_node) if cut.from_node in reached else (cut.to_node, cut.from_node)
    loads = []
    for x in circuit.loads:
        side = {"near": near[0], "far": far[0]}.get(str(answers.get(f"load_{x.id}", "")))
        here = near if x.from_node in reached else far
        if side is not None and side not in here:
            x = x.model_copy(update={"from_node": side.positive_node})
        loads.append(x)
    grow = Growing(with_parts(circuit, loads=tuple(loads)))
    if way == "converter":
        low, most = source_table().charge_window_12[far[0].chemistry.value]
        grow.put(
            "converters",
            Converter(
                id=grow.free("dc_charger"), label="DC-DC charger", in_node=fed, out_node=other, ground_node=near_ground(circuit),
                limit_a=25, set_point_v=(low + most) / 2 * scale, input_cut_off_v=11.5 * scale,
            ),
        )  # fmt: skip
        made = with_parts(grow.done(), branches=tuple(b for b in circuit.branches if b.id != cut.id))
    else:
        stud = grow.node("parting", "Parting stud")
        contact: AnyBranch = (
            LinkBranch(id=grow.free("link"), label="Voltage link", from_node=fed, to_node=stud, resistance_mohm=0.5, rating_a=140, cut_in_v=13.3 * scale, cut_out_v=12.7 * scale)
            if way == "link"
            else SwitchBranch(id=grow.free("link_switch"), label="Link switch", from_node=fed, to_node=stud, resistance_mohm=0.2, rating_a=300)
        )  # fmt: skip
        grow.put("branches", contact)
        larger = grow.done()
        ends = {"from_node": stud} if cut.from_node == fed else {"to_node": stud}
        made = with_parts(larger, branches=tuple(b.model_copy(update=ends) if b.id == cut.id else b for b in larger.branches))
    wires = (
        "Wires of the charger that are not used are cut to different lengths and insulated. It sits in cool air next to its battery, its lamps in sight."
        if way == "converter"
        else "The contact sits where both leads reach it, rated for good: thin plastic melts."
    )
    return Changed(
        made,
        (
            "Both negatives off first. A fuse at each battery: either can feed the lead between them.",
            "Winch and driving lights hang on the battery that the alternator feeds; fridge, inverter and camp lights on the one that is charged.",
            wires,
            "Prove it: engine off, one battery isolated after the other, nothing of the other's is live.",
        ),
    )


SPLIT = Guide(
    20, "split", "Part two batteries", "By link, DC-DC charger or switch, each consumer on a side.", _not_here, _asks, _build
)

"""Who goes where: which consumers belong straight to the posts, which to the cylinder head, which on a block, and what it costs where they are not."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from mavrik.core import network as net
from mavrik.core.circuit import Battery, Circuit, ConductorBranch, Converter, Load, NodeRole
from mavrik.core.circuit.graph import Graph, graph_of, least_path, metal_of, reach
from mavrik.core.operating import Engine, State
from mavrik.core.operating.prediction import FAST_RPM
from mavrik.core.protection.documents import COMMON, Finding, Severity

QUIET_V = 0.05
"""What others may move an engine computer's supply or ground by: its sensors read to some tens of millivolts. Our choice, no source."""

FAR_M, FAR_V = 1.5, 0.1
"""A charger whose output runs farther, and loses more, charges less than it says. Our choice, no source."""

AT_A_POST = 4
"""More consumers than these on one pair of posts, and the clamp holds lugs, not the post. Common practice, rough, no source."""


def misplaced(circuit: Circuit) -> list[Finding]:
    """Consumers that hang where they should not.

    circuit: the document; its loads say what they are by their role
    What others do to a supply or a ground is solved: the circuit without the consumer, everything else on, at full output and cranking.
    Raises CircuitError for a circuit that cannot be computed.
    Source: common practice of the trade; the network solved.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> misplaced(build_layout("winch", 12))
    []
    """
    findings: list[Finding] = []
    for x in circuit.loads:
        if rule := BY_ROLE.get(x.role):
            findings += rule(circuit, x)
    for c in circuit.converters:
        findings += _charger(circuit, c)
    return [*findings, *_posts(circuit)]


def misplaced_loads(circuit: Circuit) -> list[Load]:
    """The consumers, of a role that says where they belong, that do not hang there."""
    return [x for x in circuit.loads if (rule := BY_ROLE.get(x.role)) and any(True for _ in rule(circuit, x))]


def _finding(
    code: str, of: Load | Converter | Battery, title: str, why: str, rule: str, severity: Severity = Severity.WARNING
) -> Finding:
    return Finding(f"{code}_{of.id}"[:60], severity, None, title, why, rule, COMMON)


def charged_directly(circuit: Circuit) -> list[Battery]:
    """The batteries that the alternator reaches through closed metal; the first where it reaches none.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> [b.label for b in charged_directly(build_layout("second_battery_link", 12))]
    ['Battery']
    """
    near = reach(metal_of(circuit.branches), circuit.alternator.stud_node)
    return [b for b in circuit.batteries if b.positive_node in near] or [circuit.battery]


def moved_by_others(circuit: Circuit, load: Load, battery: Battery) -> tuple[float, float]:
    """What others move a consumer's feed and its return by, against the posts, at the worse of full output and cranking [V].

    circuit: the document; load: which would hang there; battery: whose posts count
    The consumer itself is out: only what others take is left.
    """
    bare = circuit.model_copy(update={"loads": tuple(x for x in circuit.loads if x.id != load.id)})
    on = {x.id: True for x in bare.loads if not x.cranking}
    # Whatever the batteries take that day, the alternator gives all it can at times.
    full = {a.id: a.rated_a for a in bare.alternators if a.field != "open"}
    states = [State(engine_rpm=FAST_RPM, chargers_on=False, loads_on=on, output_a=full)]
    if any(x.cranking for x in bare.loads):
        states.append(State(engine_rpm=0, cranking=True, chargers_on=False, converters_on=False))
    feed = back = 0.0
    for state in states:
        try:
            solution = Engine(bare, state).settle().solution
        except net.NoOperatingPointError:
            continue
        feed = max(feed, abs(solution.between(load.from_node, battery.positive_node)))
        back = max(back, abs(solution.between(load.to_node, battery.negative_node)))
    return feed, back


def _engine_control(circuit: Circuit, load: Load) -> Iterable[Finding]:
    battery = charged_directly(circuit)[0]
    feed, back = moved_by_others(circuit, load, battery)
    where = [f"its {name} by {volts * 1000:.0f} mV" for name, volts in (("feed", feed), ("ground", back)) if volts > QUIET_V]
    if where:
        yield _finding(
            "not_at_the_posts", load, f"{load.label} belongs straight to the posts of {battery.label}",
            f"Where it hangs, what others take moves {' and '.join(where)}. Give it a feed with its own fuse and a ground of its own, both at the posts.",
            f"Engine computers and coil drivers go straight to the battery's posts; others move them by {QUIET_V * 1000:.0f} mV at most",
        )  # fmt: skip


def _coils(circuit: Circuit, load: Load) -> Iterable[Finding]:
    heads = [n.id for n in circuit.nodes if n.role is NodeRole.ENGINE_BLOCK]
    if heads and not any(_alone(circuit, load.to_node, h) for h in heads):
        label = next(n.label for n in circuit.nodes if n.id == load.to_node)
        yield _finding(
            "not_at_the_head", load, f"The ground of {load.label} belongs to the cylinder head",
            f"It returns by {label}: the spark comes back through the plugs to the head, and would take the straps on its way.",
            "Coil harness grounds go to the cylinder head",
        )  # fmt: skip


def _alone(circuit: Circuit, start: str, goal: str) -> bool:
    """Whether a node is another, or one lead away from it that nothing else hangs on."""
    way = least_path(graph_of(circuit.branches), start, goal)
    return way is not None and len(way) <= 1


def _winch(circuit: Circuit, load: Load) -> Iterable[Finding]:
    graph, charged = metal_of(circuit.branches), charged_directly(circuit)
    fed = [b for b in circuit.batteries if load.from_node in reach(_without_others(circuit, b), b.positive_node)]
    battery = next((b for b in fed if b in charged), None)
    if fed and battery is None:
        yield _finding(
            "winch_elsewhere", load, f"{load.label} belongs to {charged[0].label}",
            f"It hangs on {fed[0].label}, which the alternator does not charge directly: it pulls that empty, and nothing puts it back while it pulls.",
            "A winch is fed from the battery that the alternator charges",
        )  # fmt: skip
    feeding = battery or (fed[0] if fed else circuit.battery)
    body = {n.id for n in circuit.nodes if n.role in (NodeRole.CHASSIS, NodeRole.ENGINE_BLOCK)}
    way = least_path(graph, load.to_node, feeding.negative_node)
    if load.to_node in body or (way is not None and any(node in body for node, _ in way)):
        yield _finding(
            "winch_by_the_body", load, f"{load.label} returns by the body",
            f"{load.current_a:.0f} A through straps that are made for much less: take its return straight to the negative post of {feeding.label}.",
            "A winch's return goes to battery negative directly",
        )  # fmt: skip


def _without_others(circuit: Circuit, battery: Battery) -> Graph:
    """Closed metal in which no other battery's post is passed."""
    others = {b.positive_node for b in circuit.batteries if b.id != battery.id}
    return metal_of(b for b in circuit.branches if not {b.from_node, b.to_node} & others)


def _charger(circuit: Circuit, converter: Converter) -> Iterable[Finding]:
    graph = metal_of(circuit.branches)
    ways = [(b, way) for b in circuit.batteries if (way := least_path(graph, converter.out_node, b.positive_node)) is not None]
    if not ways:
        return
    battery, way = min(ways, key=lambda w: sum(b.sound_resistance_ohm(20.0) for _, b in w[1]))
    length = sum(b.length_m for _, b in way if isinstance(b, ConductorBranch))
    lost = sum(b.sound_resistance_ohm(20.0) for _, b in way) * converter.limit_a
    if length > FAR_M and lost > FAR_V:
        takes = converter.limit_a * converter.set_point_v / converter.efficiency / circuit.system_voltage_v
        yield _finding(
            "charger_far", converter, f"{converter.label} belongs next to {battery.label}",
            f"Its output runs {length:.1f} m and loses {lost:.2f} V at {converter.limit_a:g} A: the battery sees "
            f"{converter.set_point_v - lost:.2f} V and charges late. Next to it, it takes {takes:.0f} A over the long run, and makes up for what is lost there.",
            f"A DC-DC charger sits by the battery that it charges; an output loses {FAR_V:g} V at most",
        )  # fmt: skip


def _posts(circuit: Circuit) -> Iterable[Finding]:
    for b in circuit.batteries:
        posts = b.positive_node, b.negative_node
        hung = [x for x in circuit.loads if x.role == "general" and not x.cranking and (x.from_node, x.to_node) == posts]
        if len(hung) > AT_A_POST:
            yield _finding(
                "crowded_posts", b, f"{len(hung)} consumers on the posts of {b.label}",
                "A clamp under so many lugs works loose, and each wants its own fuse: one lead to a distribution block, a fuse a consumer there.",
                f"More than {AT_A_POST} consumers go by a block; engine computers, winch and chargers stay at the posts",
                Severity.NOTE,
            )  # fmt: skip


BY_ROLE: dict[str, Callable[[Circuit, Load], Iterable[Finding]]] = {
    "engine_control": _engine_control,
    "ignition_coils": _coils,
    "winch": _winch,
}

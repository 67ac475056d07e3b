"""What every way to put a disconnect in shares: its parts, and moving what hangs on a node to another."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from mavrik.core.circuit import AnyBranch, Battery, Circuit, Converter, LinkBranch, Load, LoadKind, RelayBranch, SwitchBranch
from mavrik.core.circuit.additions import Growing, near_ground
from mavrik.core.circuit.branches.contacts import SwitchedBranch
from mavrik.core.circuit.controls import ControlFacts, FittedControl
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.ring import find_ring
from mavrik.core.circuit.rules import charging_gaps
from mavrik.core.isolation.documents import KEY, START, ConsumerRole, MovedContact, SwitchedConsumer, Switching
from mavrik.core.isolation.moves import moved_by
from mavrik.core.procedures.bench.disconnect import hand_worked

IGNITION_A = 10.0
"""What ignition, injection and their pump take where nobody has drawn them. Common practice, rough, no source."""

CONTACT_MOHM = 0.3

MakeContact = Callable[[str, str, str, str], SwitchedBranch]
"""A contact by its id, label and two nodes."""

LONGEST_LABEL = 60

ROLES: dict[str, ConsumerRole] = {"engine_control": ConsumerRole.IGNITION, "ignition_coils": ConsumerRole.IGNITION}
"""What a load of the circuit document is for here, where its own role says so."""


def contact_maker(
    kind: type[SwitchedBranch], rating_a: float, intermittent_a: float | None = None, contact_mohm: float = CONTACT_MOHM
) -> MakeContact:
    """What makes contacts of a kind, all rated alike.

    kind: switch, relay or breaker; rating_a: what each carries continuously; intermittent_a: for a while, left out: the same
    """

    def made(branch_id: str, label: str, from_node: str, to_node: str) -> SwitchedBranch:
        at = {"id": branch_id, "label": label[:LONGEST_LABEL], "from_node": from_node, "to_node": to_node}
        rated = {"resistance_mohm": contact_mohm, "rating_a": rating_a, "intermittent_a": intermittent_a}
        return kind.model_validate(at | {name: value for name, value in rated.items() if value is not None})

    return made


HIGH_CURRENT_RELAY = contact_maker(RelayBranch, 300, 1000)
"""A high-current relay that carries the starter. Common practice, makers differ, no source."""


@dataclass(frozen=True)
class Isolated:
    """A circuit with a disconnect in it."""

    circuit: Circuit
    switching: Switching
    moves: tuple[str, ...]
    """Which leads move where, in words."""
    assumed: tuple[str, ...] = ()
    """What nobody had said, and was taken to be so."""


@dataclass(frozen=True)
class Topology:
    """One way to put a disconnect in."""

    order: int
    name: str
    label: str
    does: str
    """What it is, and who swears by it."""
    make: Callable[[Circuit], Isolated]
    """Of a circuit as it is used."""
    not_here: Callable[[Circuit], str] = lambda _: ""
    """Why it cannot be had on a circuit; empty where it can."""
    changes: bool = True
    """Whether it changes the circuit, and does not only try what is there."""

    def build(self, circuit: Circuit) -> Isolated:
        """The circuit with this disconnect in it, its contacts named after what works them.

        circuit: the document; a switch that is drawn open and without which nothing charges is closed as it is used
        """
        used, closed = as_used(circuit)
        made = self.make(used)
        contact_ids = {c.branch_id for c in made.switching.contacts}
        others = (b.label for b in hand_worked(made.circuit) if b.closed and b.id not in contact_ids)
        left = tuple(
            f"{label} is no part of this and stays closed: take it out, or tell the owner that it does what it did."
            for label in others
        )
        return replace(
            made,
            circuit=with_controls(made.circuit, made.switching),
            moves=(*made.moves, *left),
            assumed=(*closed, *made.assumed),
        )


def as_used(circuit: Circuit) -> tuple[Circuit, tuple[str, ...]]:
    """A circuit with the switches closed without which it cannot charge, and which those are, in words.

    circuit: the document

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> car = build_layout("competition_car", 12)
    >>> parked = with_parts(car, branches=tuple(b.model_copy(update={"closed": False}) if b.id == "cut_off" else b for b in car.branches))
    >>> as_used(parked)[1]
    ('Cut-off switch is drawn open: closed, as the vehicle is used.',)
    """
    used = circuit
    words = []
    for switch in (b for b in circuit.branches if isinstance(b, SwitchBranch) and not b.closed):
        branches = tuple(b.model_copy(update={"closed": True}) if b.id == switch.id else b for b in used.branches)
        closed = with_parts(used, branches=branches)
        if len(charging_gaps(closed)) < len(charging_gaps(used)):
            used = closed
            words.append(f"{switch.label} is drawn open: closed, as the vehicle is used.")
    return used, tuple(words)


def with_controls(circuit: Circuit, switching: Switching) -> Circuit:
    """A circuit whose contacts say which controls open them, and which knows where those are reached.

    circuit: the document; switching: of it
    """
    labels = {c.id: c.label for c in switching.controls}
    moves = moved_by(circuit, switching)
    known = {c.branch_id: tuple(labels[i] for i, moved in moves.items() if c.branch_id in moved) for c in switching.contacts}
    facts = ControlFacts.model_fields
    new = [FittedControl.model_validate({"label": c.label, **{n: getattr(c, n) for n in facts}}) for c in switching.controls]
    looked_at = [
        c for c in new if any(getattr(c, n) is not None for n in facts) and c.label not in {k.label for k in circuit.controls}
    ]
    return with_parts(
        circuit,
        controls=(*circuit.controls, *looked_at),
        branches=tuple(
            b.model_copy(update={"worked_by": known[b.id]}) if isinstance(b, SwitchedBranch) and known.get(b.id) else b
            for b in circuit.branches
        ),
    )


def usual_switching(circuit: Circuit) -> tuple[Circuit, Switching, tuple[str, ...]]:
    """A circuit with an ignition to be cut, and its consumers as their loads say; what was taken to be so.

    circuit: the document; where it draws nothing that keeps the engine running, that is put on the first battery's post
    """
    assumed: tuple[str, ...] = ()
    if not any(_role(x) is ConsumerRole.IGNITION for x in circuit.loads):
        grow = Growing(circuit)
        ignition = Load(
            id=grow.free("ignition"), label="Ignition and injection", from_node=circuit.battery.positive_node,
            to_node=near_ground(circuit), current_a=IGNITION_A, law=LoadKind.RESISTANCE, role="engine_control",
        )  # fmt: skip
        grow.put("loads", ignition)
        circuit = grow.done()
        assumed = (
            f"Ignition and injection hang on the post of {circuit.battery.label} and take {IGNITION_A:g} A: nobody has drawn them.",
        )
    consumers = tuple(SwitchedConsumer(load_id=x.id, role=_role(x), when=_usual_when(x)) for x in circuit.loads)
    return circuit, Switching(consumers=consumers), assumed


def _usual_when(load: Load) -> str:
    """With the key; what is on for a while only, as a winch, is off while a switch is tried."""
    if load.cranking:
        return START
    return KEY if load.on and load.on_s is None and load.role != "winch" else "never"


def _role(load: Load) -> ConsumerRole:
    return ROLES.get(load.role, ConsumerRole.OTHER) if load.id != "ignition" else ConsumerRole.IGNITION


def moved(circuit: Circuit, old: str, new: str, stays: Collection[str] = ()) -> Circuit:
    """Everything that hangs on a node on another instead, batteries and bench chargers and some elements apart.

    circuit: the document; old, new: nodes; stays: ids of elements that stay where they are
    """
    changes: dict[str, Any] = {}
    for name in ("branches", "alternators", "loads", "converters"):
        changes[name] = tuple(e if e.id in stays else _rehung(e, old, new) for e in getattr(circuit, name))
    return with_parts(circuit, **changes)


@cache
def _ends(kind: type[Any]) -> tuple[str, ...]:
    """The fields of an element that name a node."""
    return tuple(n for n in kind.model_fields if n.endswith("_node"))


def _rehung(element: Any, old: str, new: str) -> Any:
    ends = {n: new for n in _ends(type(element)) if getattr(element, n) == old}  # type: ignore[arg-type]
    return element.model_copy(update=ends) if ends else element


def behind_contacts(
    circuit: Circuit,
    make: MakeContact,
    negative: bool = False,
    charge_stays: bool = False,
    batteries: Collection[str] | None = None,
) -> tuple[Circuit, dict[str, str], tuple[str, ...]]:
    """A contact at a post of every battery, with all that hung on the post behind it.

    make: the contact by its id, label and two nodes; negative: at the negative posts
    charge_stays: the charge lead stays on the battery's side, and what hangs on its way goes to the other
    batteries: ids of those that get one; left out, all
    Returns the circuit, the node behind the contact of each battery by its id, and which leads move, in words.
    """
    words, behind = list[str](), dict[str, str]()
    ring = find_ring(circuit)
    way = set(ring.feed) if charge_stays else set()
    given = [b for b in circuit.batteries if batteries is None or b.id in batteries]
    for battery in given:
        post = battery.negative_node if negative else battery.positive_node
        if post in behind.values() or any(_post(b, negative) == post for b in circuit.batteries if b.id in behind):
            continue
        grow = Growing(circuit)
        out = grow.node("isolated", f"{battery.label}, behind the isolator")
        contact = make(grow.free("isolator"), f"Isolator of {battery.label}" if len(given) > 1 else "Isolator", post, out)
        grow.put("branches", contact)
        hung = [e.label for e in _hung(circuit) if _hangs(e, post) and e.id not in way]
        circuit = moved(grow.done(), post, out, {contact.id, *way})
        behind[battery.id] = out
        if hung:
            words.append(
                f"From the {'negative' if negative else 'positive'} post of {battery.label} behind the isolator: {', '.join(hung)}."
            )
    if charge_stays:
        circuit, more = _off_the_charge_lead(circuit, way, behind[circuit.battery.id])
        words += more
    return circuit, behind, tuple(words)


def _post(battery: Battery, negative: bool) -> str:
    return battery.negative_node if negative else battery.positive_node


def _hung(circuit: Circuit) -> tuple[AnyBranch | Load | Converter, ...]:
    return (*circuit.branches, *circuit.loads, *circuit.converters)


def _hangs(element: Any, node: str) -> bool:
    return any(getattr(element, n) == node for n in _ends(type(element)))  # type: ignore[arg-type]


def _off_the_charge_lead(circuit: Circuit, way: Collection[str], out: str) -> tuple[Circuit, list[str]]:
    """What hangs on the charge lead between alternator and battery moves behind the isolator: else the alternator feeds it for ever."""
    ends = {n for b in circuit.branches if b.id in way for n in (b.from_node, b.to_node)}
    between = ends - {circuit.battery.positive_node} - {a.stud_node for a in circuit.alternators}
    stays = {*way, *(b.id for b in circuit.branches if isinstance(b, SwitchedBranch) and out in (b.from_node, b.to_node))}
    words = []
    for node in [*sorted(between), *(a.stud_node for a in circuit.alternators)]:
        hung = [e.label for e in _hung(circuit) if _hangs(e, node) and e.id not in stays]
        if hung:
            alternator_ids = {a.id for a in circuit.alternators}
            circuit = moved(circuit, node, out, {*stays, *alternator_ids})
            words.append(f"From {circuit.node(node).label} behind the isolator: {', '.join(hung)}.")
    return circuit, words


def by_a_link(circuit: Circuit) -> str:
    """Why the charge lead cannot stay with the first battery; empty where it can."""
    ring = find_ring(circuit)
    if not ring.feed or any(isinstance(circuit.branch(i), LinkBranch) for i in ring.feed):
        return "The alternator reaches the first battery by a link or a charger only: which battery its lead stays with has to be drawn."
    return ""


def contacts_of(circuit: Circuit, behind: dict[str, str], when: str) -> tuple[MovedContact, ...]:
    """The contacts that were put in, all moved by one condition."""
    outs = set(behind.values())
    made = [b for b in circuit.branches if isinstance(b, SwitchedBranch) and b.id.startswith("isolator") and b.to_node in outs]
    return tuple(MovedContact(branch_id=b.id, when=when) for b in made)

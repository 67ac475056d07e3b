"""The most every branch carries for good, in every state that people and batteries can put a circuit into."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import product

from mavrik.core import network as net
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.branches.contacts import SwitchedBranch
from mavrik.core.circuit.dead_ends import dead_ends
from mavrik.core.operating import State, solved_together
from mavrik.core.operating.prediction import FAST_RPM, at_output, at_rated_output

MOST_POSITIONS = 32
"""Of five switches every combination; of more, as drawn, all closed, and each turned over alone."""

BEYOND_SET_POINT_V = 1.0
"""So far over where its set point holds it no regulator lets an alternator come for good."""

LOW_CHARGE = 0.3
"""A battery that asks for much, beside others that ask for nothing."""


def positions(circuit: Circuit) -> list[dict[str, bool]]:
    """What the switches, selectors and relays of a circuit can be set to: as drawn first, by branch id.

    circuit: the document
    Breakers and links are left to what opens and closes them by itself, and what leads to nothing changes nothing.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> len(positions(build_layout("boat_selector", 12)))
    4
    """
    nowhere = {b.id for _, b in dead_ends(circuit).values()}
    switched = [b for b in circuit.branches if isinstance(b, SwitchedBranch) and not b.protects]
    drawn = {b.id: b.closed for b in switched if b.id not in nowhere}
    if 2 ** len(drawn) <= MOST_POSITIONS:
        every = [dict(zip(drawn, closed, strict=True)) for closed in product((True, False), repeat=len(drawn))]
    else:
        every = [dict.fromkeys(drawn, True), *({**drawn, i: not closed} for i, closed in drawn.items())]
    return [drawn, *(p for p in every if p != drawn)]


def _at_position(circuit: Circuit, position: dict[str, bool]) -> Circuit:
    turned = (b.model_copy(update={"closed": position[b.id]}) if b.id in position else b for b in circuit.branches)
    return circuit.model_copy(update={"branches": tuple(turned)})


def _states(circuit: Circuit) -> Iterator[State]:
    """The states of one position; of those with a known output, one that it has nowhere to go in is none."""
    rated = circuit.alternator.rated_a
    everything = {x.id: x.on_s is None for x in circuit.loads if not x.cranking}
    yield at_rated_output(circuit)
    yield at_output(circuit, rated, loads_on=(), warmed_up=True)
    for rpm in (0.0, FAST_RPM):
        yield State(engine_rpm=rpm, chargers_on=False, loads_on=everything)
    if len(circuit.batteries) > 1:
        for low in circuit.batteries:
            charge = {b.id: LOW_CHARGE if b is low else 1.0 for b in circuit.batteries}
            yield at_output(circuit, rated, loads_on=(), state_of_charge=charge)
            yield State(
                engine_rpm=0.0, chargers_on=False, converters_on=False, loads_on=dict.fromkeys(everything, False),
                state_of_charge=charge,
            )  # fmt: skip
            if circuit.converters:
                # At a voltage that the regulator holds: a charger then gives a low battery all that it can.
                yield State(engine_rpm=FAST_RPM, chargers_on=False, loads_on=everything, state_of_charge=charge)


@lru_cache(maxsize=128)
def _kept(circuit: Circuit) -> list[dict[str, float]]:
    """Where the answer for a circuit is put once it is known: empty until then."""
    return []


def continuous_currents(circuit: Circuit) -> dict[str, float]:
    """The most each branch carries for good, by id [A].

    circuit: the document, of sound parts; one whose loop is open in every position still has what its batteries and loads send round
    Over every position of its switches: the alternator at its rated output with the loads that the document has on and with none,
    everything on with the engine off and at 2000 /min, and, of several batteries, each of them low beside full ones, with the
    engine off, at rated output and, where there are DC-DC chargers, at the regulator's voltage. What lasts seconds or minutes, as cranking or a winch, is not in it.
    Source: the network solved in each of these states; which states count is our choice.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> round(continuous_currents(front_battery(12))["charge_cable"])
    90
    """
    return continuous_currents_each([circuit])[0]


def continuous_currents_each(circuits: Sequence[Circuit]) -> list[dict[str, float]]:
    """As `continuous_currents`, of several circuits at once: those whose networks have one shape are solved together.

    circuits: in any order, the same one more than once if need be

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> [round(a["charge_cable"]) for a in continuous_currents_each([build_layout("front_battery", 12), build_layout("rear_battery", 12)])]
    [90, 90]
    """
    kept = [_kept(c) for c in circuits]
    new = {id(k): (c, k) for c, k in zip(circuits, kept, strict=True) if not k}
    cases = [
        [(turned, s) for p in positions(c) for turned in (_at_position(c, p),) for s in _states(turned)] for c, _ in new.values()
    ]
    solved = iter(solved_together([at for some in cases for at in some]))
    for (circuit, slot), some in zip(new.values(), cases, strict=True):
        slot.append(_most(circuit, [(state, next(solved)) for _, state in some]))
    return [k[0] for k in kept]


def _most(circuit: Circuit, solved: Sequence[tuple[State, net.Solution | None]]) -> dict[str, float]:
    most = {b.id: 0.0 for b in circuit.branches}
    for state, solution in solved:
        if solution is None or _unregulated(circuit, state, solution):
            continue
        for i in most.keys() & solution.current_a.keys():
            most[i] = max(most[i], abs(solution.current_a[i]))
    return most


def _unregulated(circuit: Circuit, state: State, solution: net.Solution) -> bool:
    """Whether a known output has lifted the stud beyond what any regulator lets be: with its batteries switched off, it gives less."""
    main = circuit.alternator
    held_v = state.stud_v.get(main.id)
    return held_v is not None and solution.between(main.stud_node, main.case_node) > held_v + BEYOND_SET_POINT_V

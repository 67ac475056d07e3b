"""Switches and relay contacts: resistance closed, nothing open, and what they switch."""

from __future__ import annotations

from collections.abc import Mapping

from mavrik.core.circuit import Circuit, RelayBranch, SwitchBranch
from mavrik.core.procedures.base import Ask, BenchStep, Judgement, Limits, Procedure, Taken, Unit, against, plainly
from mavrik.core.procedures.states import BenchState


def _asks(circuit: Circuit) -> tuple[Ask, ...]:
    asks: list[Ask] = []
    for b in circuit.branches:
        if isinstance(b, SwitchBranch | RelayBranch) and b.closed:
            asks += [
                Ask(f"contact_mohm:{b.id}", f"{b.label}: resistance closed", Unit.MILLIOHM, BenchState.KEY_ON, b.from_node, b.to_node, b.id),
                Ask(f"opens:{b.id}", f"{b.label}: open, what it feeds is dead", Unit.YES_NO, BenchState.KEY_ON, element=b.id, sign="opens", beside=True),
                Ask(f"closes:{b.id}", f"{b.label}: closed, it all works", Unit.YES_NO, BenchState.KEY_ON, element=b.id, sign="closes", beside=True),
            ]  # fmt: skip
    return tuple(asks)


def _judge(circuit: Circuit, taken: Mapping[str, Taken], limits: Limits) -> list[Judgement]:
    said = []
    for ask in _asks(circuit):
        read = taken.get(ask.id)
        if read is None:
            continue
        if ask.unit is Unit.MILLIOHM:
            words = f"{read.value:.2g} mΩ closed."
            said.append(
                against(
                    ask,
                    read,
                    limits.of("contact"),
                    1,
                    words,
                    f"{words} It heats under load.",
                    "Work it twenty times and read again; the same: replace it.",
                )
            )
        else:
            opens = ask.sign == "opens"
            said.append(
                plainly(
                    ask, read, "closed it starts, open it is dead", "It does what it is for.",
                    "Something feeds past it." if opens else "It does not connect.",
                    "Find the second path: a lead on the wrong stud, or a source beyond the switch." if opens else "Its coil, its feed, its contacts.",
                )
            )  # fmt: skip
    return said


SWITCHES = Procedure(
    "switches", "Switches and contacts", "A switch has two jobs: to lose nothing closed, and to let nothing pass open.", 6, "off, key as each needs",
    ("jewellery", "never_disconnect"),
    (
        BenchStep("Closed: the drop across its studs over the current through it, or a milliohm meter: about 1 mΩ or less."),
        BenchStep("Open with the engine off: is everything dead that should be? Whether it stops a running engine is a test of its own: never with a lead that feeds electronics."),
    ),
    _asks, _judge,
)  # fmt: skip

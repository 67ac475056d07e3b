"""A disconnect, for a purpose: proven on this circuit by switching it with the engine running, before anything is cut."""

from __future__ import annotations

from collections.abc import Iterator

from mavrik.core.circuit import Circuit
from mavrik.core.isolation.documents import IsolationPurpose
from mavrik.core.isolation.purposes import Profiles, usual_purposes
from mavrik.core.isolation.rules import RuleOutcome
from mavrik.core.isolation.topologies import topology_of
from mavrik.core.isolation.verdict import IsolationVerdict, verdict
from mavrik.core.isolation.ways import ways_for
from mavrik.core.planning.guided.base import Answers, Changed, Fit, Guide, Question, pick

PROOF = (
    "Prove it live, two people, exhaust drawn off, nobody near belt and fan: engine at idle, each control alone, it must do what is said here.",
    "Then with the key on and the engine off: nothing that should be dead shows a voltage; closed, each contact has a milliohm or less, open it is open.",
    "Never pull a battery's lead off a running engine as a test.",
)


def _ways(circuit: Circuit) -> dict[str, str]:
    """The ways that this circuit has a place for, by name and label."""
    return {way.name: way.label for way, why in ways_for(circuit).items() if way.changes and not why}


def _not_here(circuit: Circuit) -> str:
    return "" if _ways(circuit) else next(why for way, why in ways_for(circuit).items() if way.changes)


def _asks(circuit: Circuit, profiles: Profiles) -> tuple[Question, ...]:
    named = {p.value: profiles[p].label for p in IsolationPurpose}
    return (
        pick("purpose", "What for", named, "storage", "The rulebook in force wins."),
        pick("way", "Which way", _ways(circuit)),
    )


def _reasons(judged: IsolationVerdict) -> Iterator[str]:
    """What decides against it first, then what would be better."""
    for decides in (True, False):
        for a in judged.answers:
            if a.outcome is not RuleOutcome.MET and (a.kind != "advises") == decides:
                yield f"{a.label}: {a.words} {a.change}".strip()


def _build(circuit: Circuit, answers: Answers, profiles: Profiles) -> Changed:
    way, purpose = topology_of(str(answers["way"])), IsolationPurpose(str(answers["purpose"]))
    made = way.build(circuit)
    judged = verdict(made.circuit, made.switching, purpose, profiles[purpose])
    label = " ".join(judged.owner)
    return Changed(
        made.circuit,
        (
            f"{judged.headline}. {way.does}",
            *_reasons(judged),
            *made.assumed,
            *made.moves,
            f"On the label at the switch: {label}",
            *PROOF,
        ),
        _fit(judged),
    )


def _fit(judged: IsolationVerdict) -> Fit:
    decisive = [a for a in judged.answers if a.kind != "advises" and a.outcome is not RuleOutcome.MET]
    worst = min(decisive, key=lambda a: a.outcome is not RuleOutcome.BROKEN, default=None)
    return Fit(judged.does, worst.words if worst is not None else judged.headline)


def disconnect_by(profiles: Profiles) -> Guide:
    """The guide of a workshop that asks of a disconnect what its own profiles say.

    profiles: of all purposes
    """
    return Guide(
        70, "disconnect", "Fit a disconnect",
        "For storage, service, theft, a drain, an emergency stop, a winch or a second bank: what it really cuts, and whether the engine stops.",
        _not_here, lambda circuit: _asks(circuit, profiles), lambda circuit, answers: _build(circuit, answers, profiles), compares="way",
    )  # fmt: skip


DISCONNECT = disconnect_by(usual_purposes().purposes)

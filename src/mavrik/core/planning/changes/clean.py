"""Cleaning what has too much resistance."""

from __future__ import annotations

from collections.abc import Iterator

from mavrik.core.circuit import AnyBranch, ConductorBranch, Termination, TerminationCondition
from mavrik.core.circuit.editing import with_parts
from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation
from mavrik.core.planning.draft import is_worn


def cleaned(part: AnyBranch) -> AnyBranch:
    """The same part as a sound one: its ends bright, what was measured of it forgotten."""
    if not isinstance(part, ConductorBranch):
        return part.model_copy(update={"measured_mohm": None})

    def bright(end: Termination) -> Termination:
        return end.model_copy(update={"condition": TerminationCondition.CLEAN})

    return part.model_copy(update={"measured_mohm": None, "from_end": bright(part.from_end), "to_end": bright(part.to_end)})


def _find(situation: Situation) -> Iterator[Change]:
    for part in situation.as_found.branches:
        if not is_worn(part):
            continue

        def apply(scheme: Scheme, branch_id: str = part.id) -> Scheme:
            branches = tuple(cleaned(b) if b.id == branch_id else b for b in scheme.circuit.branches)
            return scheme.with_circuit(with_parts(scheme.circuit, branches=branches))

        sound = part.sound_resistance_ohm(20.0) * 1000
        read = (
            f"It measures {part.measured_mohm:.2f} mΩ where a sound one has {sound:.2f}."
            if part.measured_mohm
            else "An end of it looks bad."
        )
        asks = ("Measure it again when it is clean: metal that has gone bad inside is renewed.",)
        yield Change(f"clean:{part.id}", f"mend:{part.id}", f"Clean {part.label}", f"{read} {part.how_to_mend}", apply, asks)


CLEAN = ChangeKind(10, "clean", "Clean a joint", _find)

"""One lead of the loop made larger, all else as it is."""

from __future__ import annotations

from collections.abc import Iterator

from mavrik.core.circuit import ConductorBranch
from mavrik.core.circuit.editing import with_parts
from mavrik.core.circuit.ring import find_ring
from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation
from mavrik.core.planning.draft import fresh_lead, metal_mm2
from mavrik.core.planning.options import options_of

LARGER = 1.6
"""A lead that is changed for another gets at least so much more metal: two sizes up. Our choice, no source."""


def _find(situation: Situation) -> Iterator[Change]:
    circuit, target = situation.as_found, situation.target
    on_ring = find_ring(circuit).ids
    for part in circuit.branches:
        if part.id not in on_ring or not isinstance(part, ConductorBranch):
            continue
        option = next((o for o in options_of(target.system) if o.area_mm2 >= LARGER * metal_mm2(part)), None)
        if option is None:
            continue
        made = fresh_lead(part, option, target)

        def apply(scheme: Scheme, made: ConductorBranch = made) -> Scheme:
            branches = tuple(made if b.id == made.id else b for b in scheme.circuit.branches)
            return scheme.with_circuit(with_parts(scheme.circuit, branches=branches))

        why = f"{part.in_words} now. A lead is paid by the metre: short ones first."
        yield Change(f"lead:{part.id}", f"mend:{part.id}", f"{part.label}: {option.label.replace('mm2', 'mm²')}", why, apply)


LEAD = ChangeKind(20, "lead", "Larger cable", _find)

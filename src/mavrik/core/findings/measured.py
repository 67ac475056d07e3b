"""Putting what the readings say of resistances into the circuit, so that states and short circuits start from it."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.findings.documents import Findings

AS_SOUND_SHARE = 0.02
LEAST_MOHM = 0.001


def with_measured(circuit: Circuit, findings: Findings) -> Circuit:
    """The circuit with the resistances that fit the readings; branches that stay as good as sound keep none.

    circuit: the document; findings: of all readings on it
    Branches that the readings only tell together go in together: alone, none of them would give back what was read.
    """
    measured_mohm = {}
    for b in findings.branches:
        sound = circuit.branch(b.branch_id).sound_resistance_ohm(20.0) * 1000
        if b.excess_ohm is not None and abs(b.excess_ohm) * 1000 > AS_SOUND_SHARE * sound:
            measured_mohm[b.branch_id] = max(round(sound + b.excess_ohm * 1000, 4), LEAST_MOHM)
    branches = (
        b.model_copy(update={"measured_mohm": measured_mohm[b.id]}) if b.id in measured_mohm else b for b in circuit.branches
    )
    return circuit.model_copy(update={"branches": tuple(branches)})

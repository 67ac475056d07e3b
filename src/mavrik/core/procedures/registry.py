"""All tests of the trade, found by their files."""

from __future__ import annotations

from mavrik.core.procedures.base import Procedure
from mavrik.core.registry import parts_of

PROCEDURES: tuple[Procedure, ...] = parts_of("mavrik.core.procedures.bench", Procedure, lambda p: p.order)
"""All tests, in the order of the work."""


def procedure(name: str) -> Procedure:
    """A procedure by name.

    name: one of `PROCEDURES`
    Raises ValueError for a name there is none of.

    >>> procedure("rest").title
    'Battery at rest'
    """
    for p in PROCEDURES:
        if p.name == name:
            return p
    raise ValueError(f"There is no procedure '{name}'. Procedures: {', '.join(p.name for p in PROCEDURES)}.")

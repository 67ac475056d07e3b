"""Studs that go through a panel: which of them are to be fitted, for how much current, and how."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.document import Document
from mavrik.core.fabrication.documents import BuildBook
from mavrik.core.fabrication.points import wired_points

FIT_MIN = 20.0
"""Minutes to drill, deburr and fit one. Common practice, rough, no source."""


class BulkheadToFit(Document):
    """A stud that is put through a panel."""

    node_id: str
    label: str
    through: str
    stud: str
    crosses_a: float | None
    leads: tuple[str, ...]
    problems: tuple[str, ...]
    """What is wrong with it."""

    @property
    def step(self) -> str:
        """Id of the step that fits it."""
        return f"stud:{self.node_id}"

    @property
    def words(self) -> str:
        """What is done, for its step."""
        return (
            f"{self.label}, through {self.through}: look what lies behind it, drill for the insulator of the {self.stud} bulkhead stud, deburr "
            "and paint the edge, fit it with its insulators on both sides and draw its body. No continuity from stud to panel; a boot for either side."
        )


def bulkheads_to_fit(circuit: Circuit, book: BuildBook) -> tuple[BulkheadToFit, ...]:
    """Every stud through a panel that is not there yet and has leads on it.

    circuit: as it is to be; book: which points they are
    It has to bear what crosses the panel for good: no more than what the leads of its lighter side carry together.
    Source: `wired_points`.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.fabrication.documents import BulkheadStud
    >>> book = BuildBook(bulkheads=(BulkheadStud(node_id="bulkhead", through="firewall", far=("long_feed",)),))
    >>> [(s.stud, s.leads) for s in bulkheads_to_fit(build_layout("rear_battery", 12), book)]
    [('M8', ('charge_cable', 'long_feed'))]
    """
    new = {b.node_id for b in book.bulkheads if not b.there}
    # Without one nothing has to be solved.
    points = wired_points(circuit, book) if new else ()
    return tuple(
        BulkheadToFit(
            node_id=p.node_id, label=p.label, through=p.far.through, stud=p.stud, crosses_a=p.far.crosses_a,
            leads=tuple(dict.fromkeys(x.part_id for x in (*p.landings, *p.far.landings) if x.place)),
            problems=p.problems,
        )
        for p in points
        if p.node_id in new and p.far is not None
    )  # fmt: skip

"""Both pictures of a circuit: the loop and the staircase."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.ring import find_ring
from mavrik.core.document import Document
from mavrik.core.drawing.loop import LoopLayout, lay_out
from mavrik.core.drawing.staircase import Staircase, build_staircase
from mavrik.core.findings import Findings


class Pictures(Document):
    """Coordinates of the loop and steps of the staircase."""

    loop: LoopLayout
    staircase: Staircase


def draw(circuit: Circuit, findings: Findings) -> Pictures:
    """Lay out both pictures.

    circuit: the document; findings: what was found of it
    """
    ring = find_ring(circuit)
    return Pictures(loop=lay_out(circuit, ring), staircase=build_staircase(circuit, ring, findings))

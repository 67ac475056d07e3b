"""The circuit as a schematic, with what lands on each point."""

from __future__ import annotations

from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.schematic import latest_schematic, render_schematic
from mavrik.exchange.sheet import render_pdf


def _print(bundle: Bundle, printing: Printing) -> bytes:
    return render_pdf(render_schematic(bundle, printing.workshop, printing.at))


def _draw(bundle: Bundle, _: Printing) -> bytes:
    return latest_schematic(bundle).encode()


SCHEMATIC = JobFile(19, "schematic.pdf", "Schematic and points", "-schematic.pdf", "application/pdf", _print)
DRAWING = JobFile(48, "schematic.svg", "Schematic as a drawing (SVG)", "-schematic.svg", "image/svg+xml", _draw)

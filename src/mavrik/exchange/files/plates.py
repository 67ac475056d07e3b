"""Plates for switches, fuses and spares."""

from __future__ import annotations

from mavrik.domain.job import DocumentKind
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.lead_labels import render_plates
from mavrik.exchange.sheet import render_pdf


def _write(bundle: Bundle, printing: Printing) -> bytes:
    return render_pdf(render_plates(bundle, printing.workshop, printing.at))


PLATES = JobFile(
    17, "plates.pdf", "Plates for switches, fuses and spares", "-plates.pdf", "application/pdf", _write, needs=DocumentKind.BUILD
)

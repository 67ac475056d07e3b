"""Labels for the leads that are made."""

from __future__ import annotations

from mavrik.domain.job import DocumentKind
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.lead_labels import render_labels
from mavrik.exchange.sheet import render_pdf


def _write(bundle: Bundle, printing: Printing) -> bytes:
    return render_pdf(render_labels(bundle, printing.workshop, printing.at, printing.address))


LEAD_LABELS = JobFile(
    16, "lead-labels.pdf", "Labels for the leads", "-lead-labels.pdf", "application/pdf", _write, needs=DocumentKind.BUILD
)

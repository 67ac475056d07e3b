"""What a disconnect does and does not do, for beside its controls."""

from __future__ import annotations

from mavrik.domain.job import DocumentKind
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.sheet import render_label, render_pdf


def _write(bundle: Bundle, printing: Printing) -> bytes:
    return render_pdf(render_label(bundle, printing.workshop, printing.at))


LABEL = JobFile(
    15, "label.pdf", "Label for the disconnect", "-label.pdf", "application/pdf", _write, needs=DocumentKind.ISOLATION
)

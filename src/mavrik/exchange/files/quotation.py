"""What the customer was offered."""

from __future__ import annotations

from mavrik.domain.job import DocumentKind
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.quotation import render_quotation
from mavrik.exchange.sheet import render_pdf


def _write(bundle: Bundle, printing: Printing) -> bytes:
    return render_pdf(render_quotation(bundle, printing.workshop, printing.at))


QUOTATION = JobFile(12, "quotation.pdf", "Quotation", "-quotation.pdf", "application/pdf", _write, needs=DocumentKind.QUOTATION)

"""The sheet for the customer and the file."""

from __future__ import annotations

from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.sheet import render_pdf, render_sheet


def _write(bundle: Bundle, printing: Printing) -> bytes:
    return render_pdf(render_sheet(bundle, printing.workshop, printing.at, findings=printing.findings))


SHEET = JobFile(10, "sheet.pdf", "Sheet as PDF", "-sheet.pdf", "application/pdf", _write, says_findings=True)

"""The sheet for the bench."""

from __future__ import annotations

from mavrik.domain.job import DocumentKind
from mavrik.exchange.bench_sheet import render_bench_sheet
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.sheet import render_pdf


def _write(bundle: Bundle, printing: Printing) -> bytes:
    return render_pdf(render_bench_sheet(bundle, printing.workshop, printing.at, printing.prices))


BENCH_SHEET = JobFile(14, "bench.pdf", "Sheet for the bench", "-bench.pdf", "application/pdf", _write, needs=DocumentKind.BUILD)

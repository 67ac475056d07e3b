"""The readings as a table."""

from __future__ import annotations

from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile
from mavrik.exchange.readings_table import Runs, readings_csv, readings_parquet


def _runs(bundle: Bundle) -> tuple[Runs, list[int]]:
    circuits = {c.id: c.document for c in bundle.circuits}
    gone = {r.supersedes - 1 for r in bundle.runs if r.supersedes is not None}
    return [(circuits[r.circuit_id], r.run) for r in bundle.runs], sorted(gone)


READINGS_CSV = JobFile(
    30, "readings.csv", "Readings (CSV)", "-readings.csv", "text/csv", lambda bundle, _: readings_csv(*_runs(bundle)).encode()
)
READINGS_PARQUET = JobFile(
    40, "readings.parquet", "Readings (Parquet)", "-readings.parquet", "application/vnd.apache.parquet",
    lambda bundle, _: readings_parquet(*_runs(bundle)),
)  # fmt: skip

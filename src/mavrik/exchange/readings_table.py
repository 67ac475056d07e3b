"""Readings of a job as a table, one row a reading, units in their own column: CSV (RFC 4180) and Apache Parquet."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Sequence

import pyarrow as pa
from pyarrow import parquet

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.readings import Run

NUMBERS = ("value", "uncertainty", "spread", "output_current_a", "engine_speed_rpm", "engine_space_c", "ambient_c")
COLUMNS = (
    "run", "procedure", "stands", "measured_at", "measured_by", "point", "quantity", "what", "element_id", "element", "red_probe",
    "black_probe", "value", "unit", "uncertainty", "source", "spread", "instrument", "state", "output_current_a",
    "engine_speed_rpm", "engine_space_c", "ambient_c",
)  # fmt: skip

FORMULA = re.compile(r"(^|[;\t\r\n])(?=[=+@;\t\r-])")

Row = tuple[str | float | int | None, ...]
Runs = Sequence[tuple[Circuit, Run]]


def safe_cell(cell: str | float | None) -> object:
    """Text that a spreadsheet will not run as a formula, also where it takes a semicolon for the end of a cell."""
    return FORMULA.sub(r"\1'", cell) if isinstance(cell, str) else cell


def rows_of(runs: Runs, superseded: Sequence[int] = ()) -> Iterator[Row]:
    """All readings of a job in the order of `COLUMNS`.

    runs: each completed, with the circuit it was made on; superseded: places of those that a later one corrects, from 0
    """
    for k, (circuit, run) in enumerate(runs):
        labels = {e.id: e.label for e in circuit.elements}
        meters = {m.id: m.label for m in run.instruments}
        outputs = {s: sum(state.output_a.values()) for s, state in run.states.items() if state.output_a}
        for r in run.readings:
            at = r.at or run.measured_at
            yield (
                k + 1, run.procedure, "corrected" if k in superseded else "yes", at.isoformat() if at else "", run.measured_by,
                r.point, r.quantity, r.label, r.element, labels.get(r.element, ""), r.red.label if r.red else "",
                r.black.label if r.black else "", r.value, r.unit, None if r.uncertainty is None else float(f"{r.uncertainty:.4g}"),
                r.source, r.spread, meters.get(r.instrument or "", ""), r.state, outputs.get(r.state), run.engine_rpm,
                run.engine_space_c, run.ambient_c,
            )  # fmt: skip


def readings_csv(runs: Runs, superseded: Sequence[int] = ()) -> str:
    """All readings as CSV text with a header row; see docs/formats for every column, `rows_of` for the parameters."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    writer.writerows([safe_cell(cell) for cell in row] for row in rows_of(runs, superseded))
    return out.getvalue()


def readings_parquet(runs: Runs, superseded: Sequence[int] = ()) -> bytes:
    """All readings as Parquet: the columns of the CSV, numbers as 64-bit floats, what is not known as null."""
    kinds = [(name, pa.float64() if name in NUMBERS else pa.int32() if name == "run" else pa.string()) for name in COLUMNS]
    columns = list(zip(*rows_of(runs, superseded), strict=True)) or [()] * len(COLUMNS)
    table = pa.table([pa.array(c, type=k) for c, (_, k) in zip(columns, kinds, strict=True)], schema=pa.schema(kinds))
    out = io.BytesIO()
    parquet.write_table(table, out, compression="zstd")
    return out.getvalue()

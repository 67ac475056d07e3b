"""Readings of a job as a table, one row a reading, units in their own column: CSV (RFC 4180) and Apache Parquet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence

import pyarrow as pa
from pyarrow import parquet

from mavrik.core.circuit import Circuit
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.procedures import ProcedureRun, procedure, taken_of
from mavrik.core.uncertainty import expanded_uncertainty

TEXTS = ("measured_at", "measured_by", "quantity", "branch_id", "branch", "red_probe", "black_probe", "unit", "instrument")
COLUMNS = (
    "test", "measured_at", "measured_by", "quantity", "branch_id", "branch", "red_probe", "black_probe", "value", "unit",
    "uncertainty", "instrument", "output_current_a", "engine_speed_rpm", "engine_space_c", "ambient_c",
)  # fmt: skip

FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")

Row = tuple[str | float | int | None, ...]
Tests = Sequence[tuple[Circuit, DropTest]]
Runs = Sequence[tuple[Circuit, ProcedureRun]]


def _safe(cell: str | float | None) -> object:
    """Text that a spreadsheet will not run as a formula."""
    return "'" + cell if isinstance(cell, str) and cell.startswith(FORMULA_STARTS) else cell


def _rounded(uncertainty: float) -> float:
    return float(f"{uncertainty:.4g}")


def _test_rows(number: int, circuit: Circuit, test: DropTest) -> Iterator[Row]:
    labels = {b.id: b.label for b in circuit.branches}
    nodes = {n.id: n.label for n in circuit.nodes}
    for reading in test.readings:
        amps = reading.quantity is Quantity.BRANCH_CURRENT
        meter = test.clamp if amps else test.voltmeter
        yield (
            number, test.measured_at.isoformat() if test.measured_at else "", test.measured_by, reading.quantity.value,
            reading.branch_id or "", labels.get(reading.branch_id or "", ""), nodes.get(reading.red_node or "", ""),
            nodes.get(reading.black_node or "", ""), reading.value, "A" if amps else "V",
            _rounded(expanded_uncertainty(reading.value, meter.spec)), meter.label, test.output_current_a, test.engine_speed_rpm,
            test.engine_space_c, test.ambient_c,
        )  # fmt: skip


def _run_rows(number: int, circuit: Circuit, run: ProcedureRun) -> Iterator[Row]:
    asks = {a.id: a for a in procedure(run.procedure).asks(circuit)}
    labels = {e.id: e.label for e in circuit.elements}
    nodes = {n.id: n.label for n in circuit.nodes}
    meters = {m.id: m.label for m in run.instruments}
    taken = taken_of(run, tuple(asks.values()))
    for reading in run.readings:
        if reading.ask not in asks:
            continue
        ask = asks[reading.ask]
        yield (
            number, run.measured_at, run.measured_by, reading.ask.split(":")[0], ask.element, labels.get(ask.element, ask.label),
            nodes.get(ask.red, ""), nodes.get(ask.black, ""), reading.value, ask.unit.value,
            _rounded(taken[reading.ask].uncertainty), meters.get(reading.instrument or "", ""), None, run.engine_rpm, None,
            run.ambient_c,
        )  # fmt: skip


def rows_of(tests: Tests, runs: Runs = ()) -> Iterator[Row]:
    """All readings of a job in the order of `COLUMNS`.

    tests: each drop test with the circuit it was made on
    runs: bench tests likewise; their numbers go on from those of the tests
    """
    for number, (circuit, test) in enumerate(tests, 1):
        yield from _test_rows(number, circuit, test)
    for number, (circuit, run) in enumerate(runs, len(tests) + 1):
        yield from _run_rows(number, circuit, run)


def readings_csv(tests: Tests, runs: Runs = ()) -> str:
    """All readings as CSV text with a header row; see docs/formats for every column, `rows_of` for the parameters."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    writer.writerows([_safe(cell) for cell in row] for row in rows_of(tests, runs))
    return out.getvalue()


def readings_parquet(tests: Tests, runs: Runs = ()) -> bytes:
    """All readings as Parquet: the columns of the CSV, numbers as 64-bit floats, what is not known as null."""
    kinds = [(name, pa.string() if name in TEXTS else pa.int32() if name == "test" else pa.float64()) for name in COLUMNS]
    columns = list(zip(*rows_of(tests, runs), strict=True)) or [()] * len(COLUMNS)
    table = pa.table([pa.array(c, type=k) for c, (_, k) in zip(columns, kinds, strict=True)], schema=pa.schema(kinds))
    out = io.BytesIO()
    parquet.write_table(table, out, compression="zstd")
    return out.getvalue()

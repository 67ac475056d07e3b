"""Readings as CSV (RFC 4180), one row a reading, units in their own column."""

from __future__ import annotations

import csv
import io

from mavrik.core.circuit import Circuit
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.uncertainty import expanded_uncertainty

COLUMNS = (
    "test", "measured_at", "measured_by", "quantity", "branch_id", "branch", "red_probe", "black_probe", "value", "unit",
    "uncertainty", "instrument", "output_current_a", "engine_speed_rpm", "engine_space_c", "ambient_c",
)  # fmt: skip

FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def _safe(text: str) -> str:
    """Text that a spreadsheet will not run as a formula."""
    return "'" + text if text.startswith(FORMULA_STARTS) else text


def write_readings(tests: list[tuple[Circuit, DropTest]]) -> str:
    """All readings of a job.

    tests: each test with the circuit it was made on
    Returns CSV text with a header row; see docs/formats for every column.
    """
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for number, (circuit, test) in enumerate(tests, 1):
        labels = {b.id: b.label for b in circuit.branches}
        nodes = {n.id: n.label for n in circuit.nodes}
        for reading in test.readings:
            amps = reading.quantity is Quantity.BRANCH_CURRENT
            meter = test.clamp if amps else test.voltmeter
            writer.writerow(
                (
                    number,
                    test.measured_at.isoformat() if test.measured_at else "",
                    _safe(test.measured_by),
                    reading.quantity.value,
                    reading.branch_id or "",
                    _safe(labels.get(reading.branch_id or "", "")),
                    _safe(nodes.get(reading.red_node or "", "")),
                    _safe(nodes.get(reading.black_node or "", "")),
                    repr(reading.value),
                    "A" if amps else "V",
                    f"{expanded_uncertainty(reading.value, meter.spec):.4g}",
                    _safe(meter.label),
                    repr(test.output_current_a),
                    repr(test.engine_speed_rpm),
                    repr(test.engine_space_c),
                    repr(test.ambient_c),
                )
            )
    return out.getvalue()

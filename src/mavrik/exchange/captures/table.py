"""Captures as CSV in any of the usual layouts: separators, decimal comma, lines of metadata before the table, with or without times.

What the table looks like is found out from its beginning; the rest is read by Arrow in blocks.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray
from pyarrow import csv

from mavrik.core.measuring.waveform import MOST_SAMPLES, Wave
from mavrik.exchange.captures.base import (
    Capture,
    CaptureError,
    CaptureFormat,
    CaptureOptions,
    Progress,
    pick,
    short_names,
    too_many,
)

HEAD_BYTES = 1 << 18
BLOCK_BYTES = 8 << 20
LOOKED_AT = 60
"""Lines of the beginning that decide."""
LAST, IN_A_ROW = 12, 3

MANNERS = ((";", "."), (";", ","), ("\t", "."), ("\t", ","), (",", "."), (" ", "."))
"""Separator and decimal mark. A comma that separates is no decimal mark."""

TIMES = {"s": 1.0, "sec": 1.0, "seconds": 1.0, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "μs": 1e-6, "ns": 1e-9}
VOLTS = {"v": 1.0, "volt": 1.0, "mv": 1e-3, "kv": 1e3}
EMPTY = ("", "NaN", "nan", "-", "---", "NULL")
UNEVEN = 0.05


@dataclass(frozen=True)
class _Layout:
    """How a table is written."""

    separator: str
    decimal: str
    skip: int
    """Lines before the first row of numbers."""
    width: int
    numeric: tuple[int, ...]
    names: tuple[str, ...]
    units: tuple[str, ...]
    time: int | None
    interval_s: float | None
    """Where the metadata says it."""
    line_bytes: float
    """About, of a row."""


def _number(text: str, decimal: str) -> float | None:
    text = text.strip().strip('"')
    if decimal == ",":
        if "." in text:
            return None
        text = text.replace(",", ".")
    try:
        return float(text)
    except ValueError:
        return None


def _cells(line: str, separator: str) -> list[str]:
    return line.strip(" ").split(separator) if separator == " " else line.split(separator)


def _text(path: Path) -> tuple[list[str], str]:
    """The lines of the beginning, and the encoding."""
    with path.open("rb") as file:
        head = file.read(HEAD_BYTES)
        whole = not file.read(1)
    encoding = "utf-16" if head[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig"
    try:
        text = head.decode(encoding, errors="strict" if whole else "ignore")
    except UnicodeDecodeError:
        text, encoding = head.decode("latin-1"), "latin-1"
    if "\x00" in text:
        raise CaptureError("This is no table of text: it holds binary data.")
    lines = text.splitlines()
    return (lines if whole else lines[:-1]), encoding


def _unit(name: str) -> str:
    match = re.search(r"[(\[]\s*([^)\]]+?)\s*[)\]]\s*$", name) or re.search(r"(?:^|[\s_])(ms|us|µs|ns|mV|V|s)\s*$", name)
    return match[1].lower() if match else ""


def _headings(before: list[str], separator: str, width: int) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Names and units of the columns, from the one or two lines above the numbers."""
    above = [_cells(line, separator) for line in before[-2:]]
    above = [[c.strip().strip('"') for c in cells] for cells in above if len(cells) == width]
    names, units = [""] * width, [""] * width
    for cells in above:
        bare = [c.strip("()[] ").lower() for c in cells]
        if all(not b or b in TIMES or b in VOLTS or b == "a" for b in bare) and any(bare):
            units = bare
        else:
            names = cells
    units = [u or _unit(n) for u, n in zip(units, names, strict=True)]
    return tuple(n or f"Column {k + 1}" for k, n in enumerate(names)), tuple(units)


def _stated_interval(lines: Sequence[str], separator: str, decimal: str) -> float | None:
    """What lines of metadata say of the sampling."""
    for line in lines:
        label = line.lower()
        mark = "[.]" if separator == "," and decimal == "." else "[.,]"
        match = re.search(rf"[\s,;:=\t](\d+(?:{mark}\d+)?(?:e[-+]?\d+)?)", label)
        number = float(match[1].replace(",", ".")) if match else 0.0
        if number <= 0:
            continue
        if re.search(r"(sampl\w*|time|x)[\s_-]*(interval|increment|step|period)", label):
            scale = next((v for k, v in TIMES.items() if re.search(rf"[\d\s(\[]{k}\b", label)), 1.0)
            return number * scale
        if re.search(r"sampl\w*[\s_-]*(rate|frequency)", label):
            scale = 1e6 if "mhz" in label else 1e3 if "khz" in label else 1.0
            return 1 / (number * scale)
    return None


@dataclass(frozen=True)
class _Manner:
    """One way to read lines as rows of numbers."""

    separator: str
    decimal: str
    width: int
    numeric: tuple[int, ...]

    def is_row(self, line: str) -> bool:
        """Whether a line holds numbers where the table does; a gap may be empty."""
        cells = _cells(line, self.separator)
        if len(cells) != self.width:
            return False
        read = [(_number(cells[k], self.decimal), cells[k].strip() in EMPTY) for k in self.numeric]
        return all(n is not None or empty for n, empty in read) and any(n is not None for n, _ in read)


def _manner(tail: list[str], separator: str, decimal: str) -> _Manner | None:
    """The columns of numbers at the end of the beginning, where the table is sure to have begun."""
    rows = [_cells(line, separator) for line in tail[-LAST:]]
    width = Counter(len(r) for r in rows).most_common(1)[0][0] if rows else 0
    rows = [r for r in rows if len(r) == width]
    least = max(1, len(rows) // 2)
    numeric = tuple(k for k in range(width) if sum(_number(r[k], decimal) is not None for r in rows) >= least)
    return _Manner(separator, decimal, width, numeric) if numeric else None


def _layout(lines: list[str]) -> _Layout:
    """Find out how a table is written. Raises CaptureError where there are no numbers in columns."""
    tail = [line for line in lines[-LOOKED_AT:] if line.strip()]
    best: tuple[int, _Manner] | None = None
    for separator, decimal in MANNERS:
        manner = _manner(tail, separator, decimal)
        if manner is None:
            continue
        score = len(manner.numeric) * sum(manner.is_row(line) for line in tail)
        if score > 1 and (best is None or score > best[0]):
            best = score, manner
    if best is None:
        raise CaptureError("There is no table of numbers in this file.")
    return _described(lines, best[1])


def _described(lines: list[str], manner: _Manner) -> _Layout:
    separator, decimal, numeric = manner.separator, manner.decimal, manner.numeric
    fits = [manner.is_row(line) for line in lines]
    together = min(IN_A_ROW, sum(fits))
    skip = next((k for k in range(len(lines)) if all(fits[k : k + together])), len(lines))
    names, units = _headings([line for line in lines[:skip] if line.strip()], separator, manner.width)
    named = [k for k in numeric if units[k] in TIMES or re.match(r"(time|t|zeit|x|seconds?)\b", names[k].lower())]
    time = named[0] if named and len(numeric) > 1 else None
    if time is None and len(numeric) > 1:
        described = [
            _number(_cells(line, separator)[numeric[0]], decimal)
            for line in lines[skip : skip + LOOKED_AT]
            if manner.is_row(line)
        ]
        steps = np.diff(np.array(described, dtype=float))
        if len(steps) > 2 and (steps > 0).all() and np.ptp(steps) < UNEVEN * steps.mean():
            time = numeric[0]
    stated = _stated_interval(lines[:skip], separator, decimal)
    table = lines[skip:]
    line_bytes = sum(len(line) + 1 for line in table) / max(len(table), 1)
    return _Layout(separator, decimal, skip, manner.width, numeric, names, units, time, stated, line_bytes)


def _blocks(
    path: Path, layout: _Layout, encoding: str, columns: list[str], progress: Progress
) -> tuple[list[NDArray[np.float64]], int]:
    """The columns as arrays, and how many lines did not fit the table."""
    odd = 0

    def skipped(_: object) -> str:
        nonlocal odd
        odd += 1
        return "skip"

    size = max(path.stat().st_size, 1)
    parts: list[list[NDArray[np.float64]]] = [[] for _ in columns]
    count = 0
    with pa.OSFile(str(path)) as file:
        reader = csv.open_csv(
            file,
            csv.ReadOptions(
                block_size=BLOCK_BYTES,
                skip_rows=layout.skip,
                column_names=[f"c{k}" for k in range(layout.width)],
                encoding=encoding.removesuffix("-sig"),
            ),
            csv.ParseOptions(delimiter=layout.separator, invalid_row_handler=skipped),
            csv.ConvertOptions(
                column_types=dict.fromkeys(columns, pa.float64()),
                include_columns=columns,
                null_values=list(EMPTY),
                decimal_point=layout.decimal,
            ),
        )
        for block in reader:
            count += block.num_rows
            if count > MOST_SAMPLES:
                raise too_many(count)
            for k, part in enumerate(parts):
                part.append(block.column(k).to_numpy(zero_copy_only=False))
            progress(min(count * layout.line_bytes / size, 0.99))
    if odd > max(3, 0.01 * count):
        raise CaptureError(
            f"{odd} lines do not fit the table's {layout.width} columns: is the file cut off, or are there two tables in it?"
        )
    return [np.concatenate(p) if p else np.zeros(0) for p in parts], odd


def read(path: Path, options: CaptureOptions, progress: Progress) -> Capture:
    """Read one channel of a table.

    path: the file; options: channel, probe factor, and the interval where the table has no times; progress: see `Progress`
    Raises CaptureError for what is no table, holds words among its numbers, too many rows, or no times and no interval.
    Samples that were not taken evenly are laid on an even grid by straight lines between them.
    """
    lines, encoding = _text(path)
    layout = _layout(lines)
    values = [k for k in layout.numeric if k != layout.time]
    channels = short_names(layout.names[k] for k in values)
    which = pick(channels, options.channel)
    column = values[which]
    columns = [f"c{column}"] + ([f"c{layout.time}"] if layout.time is not None else [])
    try:
        blocks, odd = _blocks(path, layout, encoding, columns, progress)
    except pa.ArrowInvalid as error:
        raise CaptureError(f"The table cannot be read to its end: {str(error).split('. ')[0][:200]}") from error
    volts = blocks[0]
    if not len(volts):
        raise CaptureError("The table has no rows.")
    volts *= VOLTS.get(layout.units[column], 1.0) * options.factor
    notes = [f"{odd} line{'s' if odd > 1 else ''} that did not fit the table left out."] if odd else []
    if layout.time is None:
        interval = options.interval_s or layout.interval_s
        if interval is None:
            raise CaptureError("The table has no times: enter the interval between samples.")
        return Capture(Wave(volts.astype(np.float32), interval), channels[which], channels, tuple(notes))
    times = blocks[1] * TIMES.get(layout.units[layout.time], 1.0)
    wave, uneven = _even(times, volts)
    if uneven:
        notes.append("The samples were not taken evenly; they are laid on an even grid.")
    return Capture(wave, channels[which], channels, tuple(notes))


def _even(times: NDArray[np.float64], volts: NDArray[np.float64]) -> tuple[Wave, bool]:
    """Samples at even intervals; whether they had to be laid so."""
    if len(times) < 2:
        raise CaptureError("One row is no capture.")
    steps = np.diff(times)
    if not (np.isfinite(steps).all() and steps.min() >= 0 and times[-1] > times[0]):
        row = int(np.argmax(~(steps >= 0))) + 2
        raise CaptureError(f"The times do not go forward at row {row}.")
    interval = float((times[-1] - times[0]) / (len(times) - 1))
    # A time written with few digits repeats or jumps by its last digit; only a drift is uneven.
    drift = np.abs(times - (times[0] + interval * np.arange(len(times)))).max()
    if drift <= (1.5 if interval > (1 + UNEVEN) * np.median(steps) else 3) * interval:
        return Wave(volts.astype(np.float32), interval, float(times[0])), False
    step = float(np.median(steps[steps > 0]))
    count = int((times[-1] - times[0]) / step) + 1
    if count > MOST_SAMPLES:
        raise CaptureError("The times have a gap so long that an even grid would not fit.")
    grid = times[0] + step * np.arange(count)
    known = np.isfinite(volts)
    return Wave(np.interp(grid, times[known], volts[known]).astype(np.float32), step, float(times[0])), True


TABLE = CaptureFormat(90, "table of text", lambda start: True, read)

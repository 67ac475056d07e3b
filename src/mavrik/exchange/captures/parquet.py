"""A capture's samples out and in as Apache Parquet, the sampling in the file's metadata."""

from __future__ import annotations

import io

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray
from pyarrow import parquet

from mavrik.core.measuring.waveform import MOST_SAMPLES, Wave
from mavrik.exchange.captures.base import CaptureError, too_many


def write(wave: Wave, channel: str, name: str) -> bytes:
    """One column `volts`; interval and start [s], channel and name of the capture as metadata of the schema.

    wave, channel, name: what to write
    """
    about = {"interval_s": repr(wave.interval_s), "start_s": repr(wave.start_s), "channel": channel, "capture": name}
    out = io.BytesIO()
    parquet.write_table(pa.table({"volts": pa.array(wave.volts)}).replace_schema_metadata(about), out, compression="zstd")
    return out.getvalue()


def read(data: bytes, count: int) -> NDArray[np.float32]:
    """The samples of a file as `write` makes it.

    data: the file, from whoever gave it
    count: how many samples it is said to hold
    Raises CaptureError for anything else. What the file says of its size is looked at before anything of it is unpacked.
    """
    try:
        file = parquet.ParquetFile(io.BytesIO(data))
        row_count = file.metadata.num_rows
        if row_count > MOST_SAMPLES:
            raise too_many(row_count)
        if row_count != count or file.schema_arrow.names != ["volts"] or file.schema_arrow.field("volts").type != pa.float32():
            raise CaptureError(f"The samples are not {count:,} volts in one column.")
        return np.asarray(file.read().column("volts").to_numpy(), dtype="<f4")
    except (pa.ArrowException, OSError, ValueError) as error:
        if isinstance(error, CaptureError):
            raise
        raise CaptureError("The samples are no Parquet file.") from error

"""A capture's samples out as Apache Parquet, the sampling in the file's metadata."""

from __future__ import annotations

import io

import pyarrow as pa
from pyarrow import parquet

from mavrik.core.waveform import Wave


def write(wave: Wave, channel: str, name: str) -> bytes:
    """One column `volts`; interval and start [s], channel and name of the capture as metadata of the schema.

    wave, channel, name: what to write
    """
    about = {"interval_s": repr(wave.interval_s), "start_s": repr(wave.start_s), "channel": channel, "capture": name}
    out = io.BytesIO()
    parquet.write_table(pa.table({"volts": pa.array(wave.volts)}).replace_schema_metadata(about), out, compression="zstd")
    return out.getvalue()

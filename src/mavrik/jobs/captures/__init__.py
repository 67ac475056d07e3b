"""Captured waveforms of a job: read as long work, seen from afar and near, and asked what they say."""

from mavrik.jobs.captures.carrying import carried, take_in
from mavrik.jobs.captures.reading import LARGEST_FILE_BYTES, Fetch, fetch_later, read_later
from mavrik.jobs.captures.records import CaptureList, CaptureRecord, begin, captures_of, remove
from mavrik.jobs.captures.views import (
    MOST_POINTS,
    CaptureView,
    RippleConditions,
    as_parquet,
    cranking_in,
    ripple_in,
    view_of,
)

__all__ = [
    "LARGEST_FILE_BYTES",
    "MOST_POINTS",
    "CaptureList",
    "CaptureRecord",
    "CaptureView",
    "Fetch",
    "RippleConditions",
    "as_parquet",
    "begin",
    "captures_of",
    "carried",
    "cranking_in",
    "fetch_later",
    "read_later",
    "remove",
    "ripple_in",
    "take_in",
    "view_of",
]

"""The bundle: the whole job, to be taken in elsewhere."""

from __future__ import annotations

from mavrik.exchange.bundle import MOST_SAMPLE_BYTES, write_bundle
from mavrik.exchange.files.base import JobFile

WHOLE_JOB = JobFile(
    20, "bundle", "Job bundle (.mavrik.json)", ".mavrik.json", "application/json",
    lambda bundle, _: write_bundle(bundle), MOST_SAMPLE_BYTES,
)  # fmt: skip

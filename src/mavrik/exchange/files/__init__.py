"""The files a job goes out as, a file a format."""

from __future__ import annotations

from mavrik.core.registry import parts_of
from mavrik.exchange.files.base import JobFile, Printing

JOB_FILES: tuple[JobFile, ...] = parts_of(__name__, JobFile, lambda f: f.order)
"""All, in the order they are offered in."""


def job_file(name: str) -> JobFile:
    """One by its name; KeyError for one that is not there."""
    return {f.name: f for f in JOB_FILES}[name]


__all__ = ["JOB_FILES", "JobFile", "Printing", "job_file"]

"""What a file of a job is: its name, what is in it, how it is written."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from mavrik.core.catalogue.prices import PriceList
from mavrik.core.findings import Findings
from mavrik.domain.job import DocumentKind
from mavrik.exchange.bundle import Bundle


@dataclass(frozen=True)
class Printing:
    """What a file says beside the job."""

    workshop: str
    at: datetime
    findings: Findings | None = None
    """What was found of the job, where that is known; None: a file that says it judges the job."""
    address: str = ""
    """Where a browser reaches the workshop's server; empty: not known."""
    prices: PriceList | None = None
    """What the workshop reckons its hours with; None: as one begins with."""


@dataclass(frozen=True)
class JobFile:
    """A kind of file that a job goes out as; a file of this package each, found by itself."""

    order: int
    name: str
    """In the address, stable."""
    label: str
    """As a person chooses it."""
    ending: str
    """Behind the job's number in the file's name."""
    media_type: str
    write: Callable[[Bundle, Printing], bytes]
    """Raises ValueError with what is missing."""
    sample_bytes: int = 0
    """So much of its captures' samples goes with it."""
    says_findings: bool = False
    """What was found of the job stands in it."""
    needs: DocumentKind | None = None
    """Offered for a job that has such a document; None: for every one."""

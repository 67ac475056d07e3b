"""How a kind of instrument is asked for its value."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Client:
    """A kind of instrument of the register, and the SCPI query that reads it."""

    kind: str
    """Name in `mavrik.core.measuring.meters`."""
    query: str

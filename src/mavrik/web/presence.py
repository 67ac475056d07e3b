"""Whether who asked for something is still there to be told."""

from __future__ import annotations

import threading
from contextvars import ContextVar

LEFT: ContextVar[threading.Event | None] = ContextVar("left", default=None)
"""Set when the connection of the request at hand is closed; the front gives one to each request."""


def has_left() -> bool:
    """Whether nobody waits for the answer any more. For views that stream, which nobody tells otherwise."""
    left = LEFT.get()
    return left is not None and left.is_set()

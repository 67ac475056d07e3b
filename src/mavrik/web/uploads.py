"""Files that are too large for memory: taken in as they come, into a file of our own."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from flask import request

from mavrik.jobs import scratch
from mavrik.jobs.errors import InvalidError

CHUNK = 1 << 20


@contextmanager
def received() -> Iterator[Path]:
    """The request's body as a file; deleted where something is wrong with it or with what is then done.

    Raises InvalidError for an empty one, FullError where there is no room.
    """
    with scratch.new_file(request.content_length or 0) as file:
        held = Path(file.name)
        try:
            while block := request.stream.read(CHUNK):
                file.write(block)
            if not file.tell():
                raise InvalidError("The file is empty.")
        except BaseException:
            held.unlink(missing_ok=True)
            raise
    try:
        yield held
    except BaseException:
        held.unlink(missing_ok=True)
        raise

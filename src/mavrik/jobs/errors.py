"""What can go wrong in a use case, in terms of the job."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from mavrik.core.document import Problem


class JobError(Exception):
    """Base: something the person has to be told."""


class NotFoundError(JobError):
    """What was asked for is not there."""


class ForbiddenError(JobError):
    """This person may not do that."""


class InvalidError(JobError):
    """Input that cannot be taken; `problems` says where and why."""

    def __init__(self, message: str, problems: Sequence[Problem] = ()) -> None:
        super().__init__(message)
        self.problems = list(problems)


class ConflictError(JobError):
    """Somebody else saved first; `theirs` is what is kept now."""

    def __init__(self, message: str, theirs: dict[str, Any]) -> None:
        super().__init__(message)
        self.theirs = theirs


class ClosedError(JobError):
    """The job is done, archived or in the waste basket: it is opened again before it changes."""


class TooManyError(JobError):
    """Too many tries; wait."""


class FullError(JobError):
    """There is no room for it."""


class BusyError(JobError):
    """As much is being worked on as can be: nothing was begun, come again."""


class QueuedError(BusyError):
    """What is asked for is being worked out in the queue, where this may have put it: come again."""


class LinkLostError(JobError):
    """A connected instrument does not answer."""

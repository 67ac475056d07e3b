"""What a person may do."""

from __future__ import annotations

from enum import StrEnum


class Role(StrEnum):
    """What a person may do: read; work on jobs; also look after people."""

    READ_ONLY = "read_only"
    TECHNICIAN = "technician"
    LEAD = "lead"

    @property
    def rank(self) -> int:
        """Higher may do more."""
        return [Role.READ_ONLY, Role.TECHNICIAN, Role.LEAD].index(self)

"""Who may do what: the one table of it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Permission(StrEnum):
    """One thing that not everybody may do."""

    READ = "read"
    WORK = "work"
    """Open jobs, describe circuits, measure, plan, take jobs in."""
    REOPEN = "reopen"
    RECORD_FOR_OTHERS = "record_for_others"
    """Keep a run under the name of who made it."""
    SIGN = "sign"
    """Sign work that somebody else has built."""
    SHELVE = "shelve"
    """Archive a job, put it into the waste basket, take it out again."""
    ERASE = "erase"
    """Write out and erase what is known of a customer."""
    AUDIT = "audit"
    KEEP_INSTRUMENTS = "keep_instruments"
    KEEP_LISTS = "keep_lists"
    """Say which units can be had, and what parts and hours cost."""
    KEEP_PEOPLE = "keep_people"


class Role(StrEnum):
    """What an account is for."""

    READ_ONLY = "read_only"
    TECHNICIAN = "technician"
    LEAD = "lead"


_READS = frozenset({Permission.READ})
_WORKS = _READS | {Permission.WORK, Permission.REOPEN}

MAY: dict[Role, frozenset[Permission]] = {
    Role.READ_ONLY: _READS,
    Role.TECHNICIAN: _WORKS,
    Role.LEAD: frozenset(Permission),
}
"""What each role may do."""

IN_WORDS: dict[Permission, str] = {
    Permission.READ: "read jobs",
    Permission.WORK: "work on jobs",
    Permission.REOPEN: "reopen a job",
    Permission.RECORD_FOR_OTHERS: "record for somebody else",
    Permission.SIGN: "sign work off",
    Permission.SHELVE: "archive or delete jobs",
    Permission.ERASE: "write out or erase a customer's data",
    Permission.AUDIT: "read the log of changes",
    Permission.KEEP_INSTRUMENTS: "say where an instrument is connected",
    Permission.KEEP_LISTS: "change the workshop's lists",
    Permission.KEEP_PEOPLE: "look after accounts",
}
"""As the end of "Your account may not ..."."""


@dataclass(frozen=True)
class Who:
    """The person acting, as use cases need to know them."""

    id: int
    login: str
    name: str
    role: Role

    def may(self, permission: Permission) -> bool:
        """Whether they may do that."""
        return permission in MAY[self.role]

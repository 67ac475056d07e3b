"""Who changed what: append-only, with what was there before and after."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from mavrik.domain.roles import Who
from mavrik.store.models import Change


def note_change(
    session: Session,
    job_id: int | None,
    who: Who,
    what: str,
    *,
    kind: str = "note",
    thing: str = "",
    before: dict[str, Any] | None = None,
    after: dict[str, Any] | None = None,
) -> None:
    """Keep who did what.

    what: as a sentence's end; kind: made, changed, removed, measured, skipped, corrected, loaded; thing: of what
    before, after: what changed of it, as plain JSON; nothing that is kept elsewhere for good
    """
    session.add(
        Change(
            job_id=job_id, person_id=who.id, person_name=who.name, what=what, kind=kind, thing=thing, before=before, after=after
        )
    )


def differing(before: dict[str, Any], after: dict[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    """The fields in which two documents differ, of each.

    >>> differing({"a": 1, "b": 2}, {"a": 1, "b": 3})
    ({'b': 2}, {'b': 3})
    """
    names = [n for n in {**before, **after} if before.get(n) != after.get(n)]
    return {n: before.get(n) for n in names}, {n: after.get(n) for n in names}


ERASED = "(erased)"
PERSONAL = frozenset({"customer", "contact", "vehicle", "complaint"})
"""Fields of a job's changes that say something of the customer."""


def erase_personal(change: Change) -> None:
    """Take what it says of the customer out of a change's before and after; who did what, and when, stays."""

    def without(document: dict[str, Any] | None) -> dict[str, Any] | None:
        if document is None or not PERSONAL & document.keys():
            return document
        return {name: ERASED if name in PERSONAL else value for name, value in document.items()}

    change.before, change.after = without(change.before), without(change.after)


def last_editor(session: Session, job_id: int) -> str:
    """Who touched a job last."""
    name = session.scalar(select(Change.person_name).where(Change.job_id == job_id).order_by(Change.id.desc()).limit(1))
    return name or "Somebody"

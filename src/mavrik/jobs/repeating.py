"""A request that makes something, sent twice because its answer was lost: it makes one thing, and both are told the same."""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from mavrik.domain.roles import Who
from mavrik.jobs.errors import InvalidError
from mavrik.store.models import KeptAnswer

KEPT_FOR = timedelta(hours=24)
LONGEST_KEY = 80
MOST_BYTES = 4_000_000
"""Of an answer that is kept."""


@dataclass(frozen=True)
class Answered:
    """What was answered the first time."""

    status: int
    body: bytes


def begin(session: Session, who: Who, key: str, request_hash: str) -> Answered | None:
    """Claim a key for a request; returns what was answered where it was answered before, None for a new one.

    key: made by who asks, a new one for everything it wants made
    A second one at the same moment waits until the first has committed: the key belongs to the transaction that makes the thing.
    Raises InvalidError for a key that was used for something else.
    """
    session.execute(delete(KeptAnswer).where(KeptAnswer.at < func.now() - KEPT_FOR))
    claim = insert(KeptAnswer).values(person_id=who.id, key=key, request_hash=request_hash).on_conflict_do_nothing()
    if session.execute(claim.returning(KeptAnswer.key)).first() is not None:
        return None
    kept = session.execute(
        select(KeptAnswer.request_hash, KeptAnswer.status, KeptAnswer.body).where(
            KeptAnswer.person_id == who.id, KeptAnswer.key == key
        )
    ).one()
    if kept.request_hash != request_hash:
        raise InvalidError(
            "This Idempotency-Key was sent with another request. Take a new one for each thing that is to be made."
        )
    return Answered(kept.status or 200, zlib.decompress(kept.body) if kept.body else b"")


def finish(session: Session, who: Who, key: str, answered: Answered) -> None:
    """Keep what is answered, in the transaction that made the thing."""
    body = zlib.compress(answered.body) if len(answered.body) <= MOST_BYTES else None
    session.execute(
        update(KeptAnswer).where(KeptAnswer.person_id == who.id, KeptAnswer.key == key).values(status=answered.status, body=body)
    )

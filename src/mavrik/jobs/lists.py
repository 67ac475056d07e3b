"""Lists that the workshop keeps for all its jobs: the units that it can get, what parts and hours cost, what a disconnect must do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, TypeVar

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from mavrik.core.catalogue.prices import PriceList, usual_prices
from mavrik.core.catalogue.units import UnitList, usual_units
from mavrik.core.document import Document, Problem
from mavrik.core.isolation.profiles import RuleChoice, check_purposes, rule_choices
from mavrik.core.isolation.purposes import PurposeList, usual_purposes
from mavrik.domain.roles import Who
from mavrik.exchange.list_csv import ListFileError
from mavrik.exchange.units_csv import units_from_csv, units_to_csv
from mavrik.jobs.changes import differing, note_change
from mavrik.jobs.errors import ConflictError, InvalidError
from mavrik.store.models import WorkshopList

Kept = TypeVar("Kept", bound=Document)


@dataclass(frozen=True)
class ListKind(Generic[Kept]):
    """A list that the workshop keeps."""

    name: str
    label: str
    document: type[Kept]
    usual: Callable[[], Kept]
    """What a workshop begins with."""


UNITS = ListKind("units", "units that can be had", UnitList, usual_units)
PRICES = ListKind("prices", "prices", PriceList, usual_prices)
PURPOSES = ListKind("purposes", "purposes of a disconnect", PurposeList, usual_purposes)


class UnitsRecord(Document):
    """The units that can be had."""

    revision: int
    """0 where nothing was kept yet: invented ones to begin with."""
    document: UnitList


class PricesRecord(Document):
    """What parts and hours cost."""

    revision: int
    """0 where nothing was kept yet: invented ones to begin with."""
    document: PriceList


class PurposesRecord(Document):
    """What a disconnect must do for each purpose, and the rules to choose from."""

    revision: int
    """0 where nothing was kept yet: what is usual."""
    document: PurposeList
    rules: tuple[RuleChoice, ...]


def _latest(session: Session, kind: str) -> WorkshopList | None:
    rows = select(WorkshopList).where(WorkshopList.kind == kind).order_by(WorkshopList.revision.desc()).limit(1)
    return session.scalar(rows)


def kept_list(session: Session, kind: ListKind[Kept]) -> tuple[int, Kept]:
    """A list as it was kept last, with its revision; 0 and what a workshop begins with where none was."""
    row = _latest(session, kind.name)
    return (row.revision, kind.document.model_validate(row.document)) if row else (0, kind.usual())


def keep_list(session: Session, kind: ListKind[Kept], given: Kept, revision: int, who: Who) -> int:
    """Keep a list as edited from a revision. Raises ConflictError where somebody else saved in between."""
    now, before = kept_list(session, kind)
    theirs = {"revision": now, "document": before.model_dump(mode="json")}
    message = f"Somebody else changed the {kind.label} while you were editing them."
    if now != revision:
        raise ConflictError(message, theirs)
    if given == before:
        return now
    was, is_now = differing(before.model_dump(mode="json"), given.model_dump(mode="json"))
    row = WorkshopList(kind=kind.name, revision=now + 1, document=given.model_dump(mode="json"), created_by_id=who.id)
    try:
        with session.begin_nested():
            session.add(row)
    except IntegrityError:
        raise ConflictError(message, theirs) from None
    note_change(session, None, who, f"changed the {kind.label}", kind="changed", thing=kind.name, before=was, after=is_now)
    session.flush()
    return now + 1


def units(session: Session) -> UnitsRecord:
    """The units that can be had, as they were kept last."""
    revision, document = kept_list(session, UNITS)
    return UnitsRecord(revision=revision, document=document)


def keep_units(session: Session, given: UnitList, revision: int, who: Who) -> UnitsRecord:
    """Keep the units, edited from a revision. Raises ConflictError where somebody else saved in between."""
    return UnitsRecord(revision=keep_list(session, UNITS, given, revision, who), document=given)


def units_as_csv(session: Session) -> str:
    """The units as CSV."""
    return units_to_csv(units(session).document.units)


def units_of_csv(text: str) -> UnitList:
    """Units of a CSV, not kept yet. Raises InvalidError with the line that is wrong."""
    try:
        return units_from_csv(text)
    except ListFileError as error:
        raise InvalidError(str(error), [Problem("units", "text", str(error))]) from error


def prices(session: Session) -> PricesRecord:
    """What parts and hours cost, as it was kept last."""
    revision, document = kept_list(session, PRICES)
    return PricesRecord(revision=revision, document=document)


def keep_prices(session: Session, given: PriceList, revision: int, who: Who) -> PricesRecord:
    """Keep the prices, edited from a revision. Raises ConflictError where somebody else saved in between."""
    return PricesRecord(revision=keep_list(session, PRICES, given, revision, who), document=given)


def purposes(session: Session) -> PurposesRecord:
    """What a disconnect must do for each purpose, as it was kept last."""
    revision, document = kept_list(session, PURPOSES)
    return PurposesRecord(revision=revision, document=document, rules=rule_choices())


def keep_purposes(session: Session, given: PurposeList, revision: int, who: Who) -> PurposesRecord:
    """Keep what a disconnect must do, edited from a revision.

    Raises InvalidError, at the purpose, for a rule that there is not and for one that a purpose is not without, ConflictError where
    somebody else saved in between.
    """
    if problems := check_purposes(given):
        raise InvalidError(problems[0].message, problems)
    return PurposesRecord(revision=keep_list(session, PURPOSES, given, revision, who), document=given, rules=rule_choices())

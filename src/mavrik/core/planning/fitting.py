"""Whether another unit goes where the old one was: a list to go down, each point with what shows it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.catalogue.units import Unit
from mavrik.core.document import Document, Label, PhotoKey

State = Literal["open", "fits", "adapter", "no"]
FilledBy = {"foot": 12.0, "bore": 0.0}
"""What spacers or sleeves make up for [mm]; more is another bracket. Our choice, no source."""
TIGHT_MM = 0.3
"""A foot goes between two faces without force with so little play at most. Our choice, no source."""


class FitPoint(BaseModel):
    """One point of the list."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: str
    label: str
    ask: str
    of_unit: Literal["ears", "foot_mm", "frame", "bore_mm", "rotation", "plug", "regulator"] | None = None
    """Which figure or word of the unit belongs to it."""
    unit: str = ""
    figure: str = ""
    """What is measured; empty: nothing, it is looked at."""
    least: float | None = None
    most: float | None = None


class FitTable(Table):
    """The file ``fit_points.json``."""

    points: tuple[FitPoint, ...]


def fit_points() -> tuple[FitPoint, ...]:
    """All points, in the order of the work.

    >>> [p.name for p in fit_points()][:3]
    ['ears', 'foot', 'frame']
    """
    return load_table("fit_points", FitTable).points


class FitItem(Document):
    """What was found of one point."""

    point: Annotated[str, Field(max_length=20)]
    state: State = "open"
    figure: Annotated[float, Field(ge=-500, le=500, description="As measured, in the point's unit")] | None = None
    words: Annotated[str, Field(max_length=60, description="What the place has, in the words of the list of units")] = ""
    note: Annotated[str, Field(max_length=200)] = ""
    photo: PhotoKey | None = None
    reversible: bool = Field(True, description="Whether it can be changed back")


class FitRequest(Document):
    """A unit and what was found of its place."""

    unit: Label | None = Field(None, description="Name in the workshop's list of units; null: none of it")
    items: Annotated[tuple[FitItem, ...], Field(max_length=24)] = ()


class FitRow(Document):
    """One point, what the unit has, what was found, and what that says."""

    name: str
    label: str
    ask: str
    unit: str
    figure_of: str
    has: str = Field(description="What the unit has; empty: not known")
    item: FitItem
    shown_by: Literal["", "tick", "photo", "words", "figure"] = Field(description="What shows it; empty: nothing yet")
    proposes: State = Field(description="What figure and words come to; open: they do not say")
    says: str = ""
    contradicts: bool = Field(False, description="It was ticked otherwise than the figure or the words say")


class FitView(Document):
    """The list."""

    headline: str
    rows: tuple[FitRow, ...]
    settled: int
    reversible: bool = Field(description="Whether all of it can be changed back")


class FitProblemError(ValueError):
    """Something of a list that cannot be, and in which field."""

    def __init__(self, field: str, message: str) -> None:
        """field: of the request; message: in plain words."""
        super().__init__(message)
        self.field = field


def fit_list(request: FitRequest, unit: Unit | None) -> FitView:
    """The list with what figures and words come to.

    request: what was found; unit: of the workshop's list, where it is one of it
    A figure is held against the unit's own or against its limit, words against the unit's; a tick settles a point without either, and
    one that contradicts them is said.
    Raises FitProblemError for a point twice, or one that there is none of.
    Source: common practice, see the table.

    >>> from mavrik.core.catalogue.units import usual_units
    >>> unit = usual_units().units[0]
    >>> seen = fit_list(FitRequest(unit=unit.name, items=(FitItem(point="foot", figure=unit.foot_mm + 4),)), unit)
    >>> next((r.proposes, r.says) for r in seen.rows if r.name == "foot")
    ('adapter', '4 mm of spacers')
    """
    names = [i.point for i in request.items]
    points = fit_points()
    if twice := next((n for n in names if names.count(n) > 1), None):
        raise FitProblemError("items", f"'{twice}' is on the list twice.")
    if unknown := next((n for n in names if n not in {p.name for p in points}), None):
        raise FitProblemError("items", f"There is no point '{unknown}'.")
    items = {i.point: i for i in request.items}
    rows = tuple(_row(p, items.get(p.name, FitItem(point=p.name)), unit) for p in points)
    settled = [r for r in rows if r.item.state != "open"]
    return FitView(
        headline=_headline(rows), rows=rows, settled=len(settled), reversible=all(r.item.reversible for r in settled)
    )  # fmt: skip


def _row(point: FitPoint, item: FitItem, unit: Unit | None) -> FitRow:
    has = getattr(unit, point.of_unit) if unit is not None and point.of_unit else None
    proposes, says = _proposal(point, item, has)
    by: Literal["", "tick", "photo", "words", "figure"] = (
        "figure"
        if item.figure is not None
        else "words"
        if item.words and point.of_unit
        else "photo"
        if item.photo is not None
        else "tick"
        if item.state != "open"
        else ""
    )
    shown = f"{has:g} {point.unit}" if isinstance(has, float) else str(has or "")
    return FitRow(
        name=point.name, label=point.label, ask=point.ask, unit=point.unit, figure_of=point.figure, has=shown, item=item, shown_by=by,
        proposes=proposes, says=says, contradicts=item.state != "open" and proposes != "open" and not _agree(item.state, proposes),
    )  # fmt: skip


def _agree(state: State, proposed: State) -> bool:
    """Whether a tick may stand beside what the figures come to: what fits may fit by an adapter, too, what does not fit may not."""
    return state == proposed or {state, proposed} == {"fits", "adapter"}


def _proposal(point: FitPoint, item: FitItem, has: object) -> tuple[State, str]:
    """What a figure or words come to."""
    figure = item.figure
    if figure is not None and isinstance(has, float):
        gap, most = figure - has, FilledBy[point.name]
        if abs(gap) <= TIGHT_MM:
            return "fits", "as wide as its place" if point.name == "foot" else "goes on the shaft"
        if gap < 0:
            return "no", f"{-gap:g} mm too wide for its place" if point.name == "foot" else f"the shaft is {-gap:g} mm too thick"
        if gap <= most:
            return "adapter", f"{gap:g} mm of spacers"
        return "no", f"{gap:g} mm too narrow: another bracket" if point.name == "foot" else f"{gap:g} mm of play on the shaft"
    if figure is not None and point.least is not None and figure < point.least:
        return "no", f"{figure:g} {point.unit}: at least {point.least:g}"
    if figure is not None and point.most is not None and abs(figure) > point.most:
        return "no", f"{figure:g} {point.unit}: at most {point.most:g}"
    if figure is not None and (point.least is not None or point.most is not None):
        return "fits", f"{figure:g} {point.unit}"
    if item.words and isinstance(has, str) and has:
        if item.words.casefold() == has.casefold():
            return "fits", "the same"
        return (
            ("no", "the fan would blow the wrong way")
            if point.name == "rotation"
            else ("adapter", f"the place has {item.words}, the unit {has}")
        )
    return "open", ""


def _headline(rows: tuple[FitRow, ...]) -> str:
    no = [r for r in rows if r.item.state == "no" or (r.item.state == "open" and r.proposes == "no")]
    if no:
        return f"Does not fit: {no[0].label.lower()}" + (f", {no[0].says}" if no[0].says else "")
    if wrong := next((r for r in rows if r.contradicts), None):
        return f"Look again: {wrong.label.lower()}, {wrong.says}"
    left = [r for r in rows if r.item.state == "open"]
    if left:
        return f"{len(rows) - len(left)} of {len(rows)} settled; next: {left[0].label.lower()}"
    adapted = sum(r.item.state == "adapter" for r in rows)
    back = "" if all(r.item.reversible for r in rows) else ", and not all of it can be changed back"
    return (f"It goes there with {adapted} adapters or spacers" if adapted else "It goes there as it is") + back

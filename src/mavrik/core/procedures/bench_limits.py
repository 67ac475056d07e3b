"""What the readings of a bench test are held against: limits with their source, a profile's, and over them the maker's."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.document import Document
from mavrik.core.measuring.limits import LimitProfileName


class BenchLimit(BaseModel):
    """A limit with its rule in words."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    least: float | None = None
    most: float | None = None
    within: float | None = None
    exact: bool = False
    """As the vehicle has it: not doubled for 24 V."""
    rule: str
    source: str


class BenchLimits(Table):
    """The file ``bench_limits.json``."""

    limits: dict[str, BenchLimit]
    profiles: dict[LimitProfileName, dict[str, BenchLimit]]
    """What a profile holds against instead."""
    windows: dict[str, tuple[str, str]]
    """Limits that a maker may give figures for: what they are of and their unit."""


class MakerWindow(Document):
    """What the maker allows of one reading; it wins over every profile."""

    least: Annotated[float | None, Field(ge=-1000, le=5000)] = None
    most: Annotated[float | None, Field(ge=-1000, le=5000)] = None

    @model_validator(mode="after")
    def _a_window(self) -> MakerWindow:
        if self.least is None and self.most is None:
            raise ValueError("A window has a least, a most, or both")
        if self.least is not None and self.most is not None and self.least >= self.most:
            raise ValueError("The least lies below the most")
        return self


def _known(given: dict[str, MakerWindow]) -> dict[str, MakerWindow]:
    windows = bench_limits().windows
    if unknown := sorted(set(given) - set(windows)):
        raise ValueError(f"A maker's window is of: {', '.join(windows)}; not of {', '.join(unknown)}")
    return given


MakerLimits = Annotated[
    dict[str, MakerWindow],
    AfterValidator(_known),
    Field(max_length=20, description="What the maker allows, by name; wins over the profile"),
]


def bench_limits() -> BenchLimits:
    """All limits, from the data file that names their sources."""
    return load_table("bench_limits", BenchLimits)


@dataclass(frozen=True)
class Limits:
    """What the readings of a job are held against: a named profile, and over it what the maker allows."""

    profile: LimitProfileName = LimitProfileName.COMMON
    maker: Mapping[str, MakerWindow] = field(default_factory=dict)

    def of(self, name: str) -> BenchLimit:
        """A limit by name. Raises KeyError for one there is none of.

        >>> Limits().of("cranking_lead").most, Limits(LimitProfileName.STRICT).of("cranking_lead").most
        (0.3, 0.2)
        >>> Limits(maker={"regulated": MakerWindow(least=14.3, most=14.5)}).of("regulated").source
        "The maker's figures"
        """
        table = bench_limits()
        usual = table.profiles.get(self.profile, {}).get(name, table.limits[name])
        of_maker = self.maker.get(name)
        if of_maker is None:
            return usual
        unit = table.windows[name][1]
        edges = [f"at least {of_maker.least:g} {unit}"] if of_maker.least is not None else []
        edges += [f"at most {of_maker.most:g} {unit}"] if of_maker.most is not None else []
        rule = f"{' and '.join(edges)} by the maker; without it: {usual.rule}"
        return BenchLimit(least=of_maker.least, most=of_maker.most, rule=rule, source="The maker's figures", exact=True)

"""What is asked of an alternator's drive, and what is answered."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from mavrik.core.document import Document, Identifier, Label
from mavrik.core.planning.belts import Route
from mavrik.core.planning.drive.belt import (
    DriveArm,
    DrivePulley,
    Millimetre,
    TensionerAt,
)
from mavrik.core.protection.documents import Finding

Rpm = Annotated[float, Field(ge=100, le=30_000, description="Speed [1/min]")]


class DriveReading(Document):
    """Output read by a clamp, and at which engine speed."""

    current_a: Annotated[float, Field(ge=0, le=2000, description="Output [A]")]
    u_a: Annotated[float, Field(ge=0, le=500, description="Its expanded uncertainty [A]")]
    engine_rpm: Rpm


class DriveRequest(Document):
    """What is there, what it is to give, and what limits it; what is not known is left out."""

    alternator_id: Identifier
    idle_rpm: Rpm = 800.0
    cruise_rpm: Rpm = 2000.0
    redline_rpm: Rpm = 5000.0
    limit_rpm: Annotated[Rpm | None, Field(description="The unit's limit speed, by its maker [1/min]")] = None
    crank_mm: Millimetre | None = None
    """Diameter of the driving pulley."""
    now_mm: Millimetre | None = None
    """Of the alternator's, as found."""
    new_mm: Millimetre | None = None
    """Of the one that is thought of."""
    engine_read_rpm: Rpm | None = None
    shaft_read_rpm: Rpm | None = None
    """Both by tachometer, at one moment: they say what diameters only promise."""
    target_idle_a: Annotated[float, Field(ge=1e-3, le=2000, description="Output wanted at a hot idle [A]")] | None = None
    smallest_mm: Millimetre | None = None
    """The smallest pulley that the belt's maker allows."""
    centres_mm: Annotated[float, Field(gt=10, le=3000, description="Distance of the two shafts [mm]")] | None = None
    """Where the belt goes round these two pulleys alone."""
    pulleys: Annotated[
        tuple[DrivePulley, ...], Field(max_length=12, description="All that the belt goes round, in its order")
    ] = ()
    arm: DriveArm | None = None
    belt_mm: Annotated[float, Field(ge=100, le=6000, description="Effective length of the belt that is fitted [mm]")] | None = (
        None
    )
    ribs: Annotated[int | None, Field(ge=1, le=14, description="Ribs of the belt, as the pulleys' grooves have them")] = None
    stock: Annotated[
        tuple[Annotated[str, Field(max_length=24)], ...],
        Field(max_length=40, description="Belts that are to hand, as written on them: 6PK1815, 1815 or 71.5in"),
    ] = ()
    engine_idle_nm: Annotated[float | None, Field(ge=5, le=5000, description="Torque that the engine has at idle [Nm]")] = None
    before: DriveReading | None = None
    after: DriveReading | None = None

    @model_validator(mode="before")
    @classmethod
    def _belts_by_name(cls, given: Any) -> Any:
        # Belts were kept by their length alone, before they had names.
        if isinstance(given, dict) and "stock_mm" in given:
            given = {**given, "stock": given.get("stock") or [f"{mm:g}" for mm in given["stock_mm"]]}
            del given["stock_mm"]
        return given


class DriveProblemError(ValueError):
    """Something in a request that contradicts itself, and in which field."""

    def __init__(self, field: str, message: str) -> None:
        """field: of the request; message: in plain words."""
        super().__init__(message)
        self.field = field


@dataclass(frozen=True)
class AtSpeed:
    """What a shaft does at one engine speed."""

    shaft_rpm: float
    cold_a: float
    hot_a: float
    over_limit: bool
    power_w: float
    """What turning it takes, giving all it can when cold, which is most."""
    torque_nm: float
    """The same at the shaft."""
    crank_nm: float
    """The same at the crankshaft, which turns slower by the ratio."""


@dataclass(frozen=True)
class DriveSpeed:
    """One engine speed, with the pulley as found and the one thought of."""

    name: Literal["idle", "cruise", "redline"]
    engine_rpm: float
    before: AtSpeed
    after: AtSpeed | None
    """None where no other pulley is thought of."""


@dataclass(frozen=True)
class PulleyRange:
    """Between which diameters a pulley gives what is wanted without overspeed."""

    least_mm: float | None
    least_by: Literal["limit speed", "belt"] | None
    """What does not allow a smaller one; None where nothing is known that does."""
    most_mm: float | None
    """The largest that gives the wanted output at a hot idle; None where nothing is wanted, or no pulley gives it."""
    possible: bool
    """Whether any diameter does all that is wanted and allowed."""
    from_mm: float
    to_mm: float
    """Between which diameters it is worth trying one."""


@dataclass(frozen=True)
class SlackSide:
    """What the belt's slack side needs at least so that the alternator does not slip, at the hardest of the three speeds."""

    least_n: float
    """On dry and clean ribs."""
    worn_n: float
    """On worn or damp ones."""
    rib_n: float | None
    """What each rib then carries, the mean of both sides, on worn or damp ones; None: nobody said how many there are."""
    ribs: int
    """So many carry it."""


@dataclass(frozen=True)
class BeltChange:
    """What the belt round the two pulleys becomes."""

    now: Route
    new: Route | None
    tension_now: SlackSide
    tension_new: SlackSide | None
    tensioner: TensionerAt | None


@dataclass(frozen=True)
class ReadGain:
    """What was gained, by two readings at the same engine speed."""

    gain_a: float
    u_a: float
    """Expanded uncertainty of the gain."""
    sure: bool
    """Whether it is more than that."""


class DriveView(Document):
    """What a drive does, before and after."""

    label: Label
    planned_label: Label | None = None
    """The unit that takes its place, where another is planned: what comes after is of that."""
    ratio_now: float
    ratio_from: Literal["tachometer", "diameters", "circuit"]
    ratio_new: float | None
    slip: float | None
    """What of the speed that the diameters promise the tachometer misses, as a share; None where not both are known."""
    cold_c: float
    hot_c: float
    speeds: tuple[DriveSpeed, ...]
    pulley: PulleyRange | None
    """None where the pulley as found is not known."""
    belt: BeltChange | None
    gain: ReadGain | None
    findings: tuple[Finding, ...]

"""The elements a network is made of, the values that may differ between its states, and what comes out."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, fields
from enum import IntEnum
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import ArrayLike, NDArray

Floats: TypeAlias = NDArray[np.float64]
Bools: TypeAlias = NDArray[np.bool_]


class Mode(IntEnum):
    """What a regulated source does."""

    REGULATING = 0
    AT_LIMIT = 1
    OFF = 2
    FORCED = 3
    BY_INPUT = 4
    """A converter that its input current limit holds back."""


@dataclass(frozen=True)
class Resistor:
    """A resistance between two nodes; current counts positive from `start` to `end`."""

    id: str
    start: str
    end: str
    ohm: float


@dataclass(frozen=True)
class CurrentSource:
    """A current driven out of `start` and into `end`, through the source."""

    start: str
    end: str
    ampere: float
    id: str = ""
    takes: bool = False
    """A consumer: it takes what it is told only while there is a voltage, and never pulls its supply below its return."""


@dataclass(frozen=True)
class EmfSource:
    """A battery: an electromotive force behind a resistance; current counts positive into the positive post."""

    id: str
    positive: str
    negative: str
    volt: float
    ohm: float
    charging_ohm: float | None = None
    """Resistance while it charges, where it takes a charge more slowly than it gives one; None: the same."""


@dataclass(frozen=True)
class RegulatedSource:
    """An alternator or charger: holds `set_point_v` between its sense nodes as long as that takes 0 to `limit_a`."""

    id: str
    positive: str
    negative: str
    sense_positive: str
    sense_negative: str
    set_point_v: float
    limit_a: float
    forced_a: float | None = None
    """A known output, whatever the voltage: the state a test was made in."""
    clamp_v: float | None = None
    """What its own rectifier holds its terminals below, where nothing else does; None: nothing."""


@dataclass(frozen=True)
class Diode:
    """Blocks, or conducts from `start` to `end` at a forward voltage behind a resistance."""

    id: str
    start: str
    end: str
    forward_v: float
    ohm: float


@dataclass(frozen=True)
class PowerLoad:
    """Takes a constant power, until the voltage falls below its cut-off; it then stays off."""

    id: str
    start: str
    end: str
    watt: float
    cut_off_v: float = 0.0


@dataclass(frozen=True)
class Link:
    """A voltage-sensitive contact: closes above the cut-in, opens below the cut-out, between its sense nodes."""

    id: str
    start: str
    end: str
    ohm: float
    sense_positive: str
    sense_negative: str
    cut_in_v: float
    cut_out_v: float
    closed: bool = False
    """Its position before: between the two thresholds it stays as it was."""


@dataclass(frozen=True)
class Converter:
    """A DC-DC charger: regulates its output within a current limit, takes the power from its input, over its efficiency."""

    id: str
    in_positive: str
    in_negative: str
    out_positive: str
    out_negative: str
    set_point_v: float
    limit_a: float
    efficiency: float
    input_cut_off_v: float = 0.0
    input_limit_a: float = 1e9


ENDS: dict[type, tuple[str, ...]] = {
    Resistor: ("start", "end"),
    CurrentSource: ("start", "end"),
    EmfSource: ("positive", "negative"),
    RegulatedSource: ("positive", "negative", "sense_positive", "sense_negative"),
    Diode: ("start", "end"),
    PowerLoad: ("start", "end"),
    Link: ("start", "end", "sense_positive", "sense_negative"),
    Converter: ("in_positive", "in_negative", "out_positive", "out_negative"),
}
"""The fields of each element that name nodes."""

Element: TypeAlias = Resistor | CurrentSource | EmfSource | RegulatedSource | Diode | PowerLoad | Link | Converter


@dataclass(frozen=True)
class Values:
    """Everything of a network that may differ between states, an array each: (elements,) or (states, elements)."""

    resistor_ohm: ArrayLike
    current_a: ArrayLike
    emf_v: ArrayLike
    emf_ohm: ArrayLike
    emf_charging_ohm: ArrayLike
    set_point_v: ArrayLike
    limit_a: ArrayLike
    forced_a: ArrayLike
    """NaN where the source regulates."""
    diode_v: ArrayLike
    diode_ohm: ArrayLike
    load_w: ArrayLike
    load_cut_off_v: ArrayLike
    link_ohm: ArrayLike
    link_closed: ArrayLike
    converter_set_point_v: ArrayLike
    converter_limit_a: ArrayLike


MAY_BE_ENDLESS = ("resistor_ohm", "limit_a", "forced_a")
"""An open switch, a source without a limit; NaN for a source that is not forced."""

VALUE_NAMES = tuple(f.name for f in fields(Values))


VALUE_FIELDS: dict[type, tuple[str, ...]] = {
    Resistor: ("ohm",),
    CurrentSource: ("ampere",),
    EmfSource: ("volt", "ohm", "charging_ohm"),
    RegulatedSource: ("set_point_v", "limit_a", "forced_a"),
    Diode: ("forward_v", "ohm"),
    PowerLoad: ("watt", "cut_off_v"),
    Link: ("ohm", "closed"),
    Converter: ("set_point_v", "limit_a"),
}
"""The fields of each element that `Values` holds; all others are the network's shape."""

SHAPE_FIELDS = {
    kind: tuple(f.name for f in fields(kind) if f.name not in value_fields) for kind, value_fields in VALUE_FIELDS.items()
}


def shape_of(elements: Sequence[Element]) -> Hashable:
    """What two networks have in common that differ in their values alone."""
    return tuple((type(e), *(getattr(e, f) for f in SHAPE_FIELDS[type(e)])) for e in elements)


def grouped(elements: Sequence[Element]) -> dict[type, list[Any]]:
    """Elements by their kind, each in the order given."""
    groups: dict[type, list[Any]] = {kind: [] for kind in ENDS}
    for e in elements:
        groups[type(e)].append(e)
    return groups


def values_of(elements: Sequence[Element]) -> Values:
    """The values that elements were made with."""
    of = grouped(elements)
    return Values(
        resistor_ohm=np.array([r.ohm for r in of[Resistor]]),
        current_a=np.array([c.ampere for c in of[CurrentSource]]),
        emf_v=np.array([e.volt for e in of[EmfSource]]),
        emf_ohm=np.array([e.ohm for e in of[EmfSource]]),
        emf_charging_ohm=np.array([e.ohm if e.charging_ohm is None else e.charging_ohm for e in of[EmfSource]]),
        set_point_v=np.array([s.set_point_v for s in of[RegulatedSource]]),
        limit_a=np.array([s.limit_a for s in of[RegulatedSource]]),
        forced_a=np.array([np.nan if s.forced_a is None else s.forced_a for s in of[RegulatedSource]]),
        diode_v=np.array([d.forward_v for d in of[Diode]]),
        diode_ohm=np.array([d.ohm for d in of[Diode]]),
        load_w=np.array([x.watt for x in of[PowerLoad]]),
        load_cut_off_v=np.array([x.cut_off_v for x in of[PowerLoad]]),
        link_ohm=np.array([k.ohm for k in of[Link]]),
        link_closed=np.array([k.closed for k in of[Link]], dtype=bool),
        converter_set_point_v=np.array([c.set_point_v for c in of[Converter]]),
        converter_limit_a=np.array([c.limit_a for c in of[Converter]]),
    )


@dataclass(frozen=True)
class Solution:
    """What a probe could read, of one state."""

    node_v: Mapping[str, float]
    current_a: Mapping[str, float]
    """Of every element by id; of a converter its output."""
    input_a: Mapping[str, float]
    """Of converters."""
    mode: Mapping[str, Mode]
    """Of regulated sources and converters."""
    open_ids: frozenset[str]
    """Links that are open, loads and converters that their cut-off switched off."""
    chattering: frozenset[str]
    """Links that would open and close for ever; they are left open."""
    beyond: frozenset[str] = frozenset()
    """Consumers without a supply, and sources that only their clamp holds."""

    def between(self, first: str, second: str) -> float:
        """What a voltmeter shows with its red probe on `first` and its black one on `second` [V]."""
        return self.node_v[first] - self.node_v[second]


@dataclass(frozen=True)
class Solved:
    """Many states at once: arrays (states, elements) in the order of the network."""

    node_v: Floats
    resistor_a: Floats
    emf_a: Floats
    source_a: Floats
    mode: NDArray[np.int8]
    diode_a: Floats
    load_a: Floats
    load_on: Bools
    link_a: Floats
    link_closed: Bools
    link_chatters: Bools
    converter_a: Floats
    converter_in_a: Floats
    converter_mode: NDArray[np.int8]
    converter_starved: Bools

    def of_state(self, k: int) -> Solved:
        """One of the states."""
        return Solved(**{f.name: getattr(self, f.name)[k : k + 1] for f in fields(self)})


class NoOperatingPointError(ValueError):
    """A network that no voltages and currents satisfy; `ids` are the elements that found no rest."""

    def __init__(self, message: str, ids: Sequence[str] = ()) -> None:
        super().__init__(message)
        self.ids = tuple(ids)

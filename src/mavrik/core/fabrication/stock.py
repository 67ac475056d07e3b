"""What a workshop keeps and buys: each part with what it is, what it costs and how it is sold."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field, model_validator

from mavrik.core.catalogue.conductor import parse_size
from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.catalogue.lugs import Palm, lug_table
from mavrik.core.catalogue.plugs import plug_table
from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.circuit import BRANCH_KINDS, Chemistry, ContactBranch
from mavrik.core.document import Ampere, Document, Label
from mavrik.core.fabrication.amounts import Amount
from mavrik.core.fabrication.documents import Contacts

MOST_ITEMS = 1000
MOST_COUNTED = 1_000_000.0
"""Pieces, metres or millimetres of one part."""

PartNumber = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9 ./_-]{0,39}$", description="Of the workshop or its supplier")]

NOT_BOUGHT = frozenset({"joint", "body"})
CONTACTS = {
    str(k.model_fields["kind"].default): k.title
    for k in BRANCH_KINDS
    if issubclass(k, ContactBranch) and k.model_fields["kind"].default not in NOT_BOUGHT
}
"""Kinds of branches that are bought by the ampere they carry, with their words: switches, relays, links, breakers."""


class PartKind(StrEnum):
    """What a part is."""

    CABLE = "cable"
    LUG = "lug"
    POST_CLAMP = "post_clamp"
    SLEEVE = "sleeve"
    FUSE = "fuse"
    CONTACT = "contact"
    PLUG = "plug"
    CONVERTER = "converter"
    BATTERY = "battery"
    TUBE = "tube"
    CLIP = "clip"
    GROMMET = "grommet"
    GLAND = "gland"
    BULKHEAD_STUD = "bulkhead_stud"
    CONDUIT = "conduit"
    HEAT_SLEEVE = "heat_sleeve"
    OTHER = "other"


PART_WORDS = {
    PartKind.CABLE: "Cable",
    PartKind.LUG: "Lug",
    PartKind.POST_CLAMP: "Post clamp",
    PartKind.SLEEVE: "Shrink",
    PartKind.FUSE: "Fuse with holder",
    PartKind.CONTACT: "Switch, relay, link",
    PartKind.PLUG: "Half of a plug, with its contacts",
    PartKind.CONVERTER: "DC-DC charger",
    PartKind.BATTERY: "Battery",
    PartKind.TUBE: "Copper tube",
    PartKind.CLIP: "Cable clamp",
    PartKind.GROMMET: "Grommet",
    PartKind.GLAND: "Sealed gland",
    PartKind.BULKHEAD_STUD: "Bulkhead stud, insulated",
    PartKind.CONDUIT: "Ribbed sleeve",
    PartKind.HEAT_SLEEVE: "Heat sleeve",
    PartKind.OTHER: "Other",
}

BY_LENGTH = frozenset({PartKind.CABLE, PartKind.SLEEVE, PartKind.TUBE, PartKind.CONDUIT, PartKind.HEAT_SLEEVE})
"""Sold by the metre; all else by the piece."""

WIDEST_SHARE, WIDER_MM = 1.35, 3.0
"""What goes round a bundle is no wider than that share of it and a little: a clamp that is too large holds nothing. Our choice."""

SAYS: dict[PartKind, tuple[str, ...]] = {
    PartKind.CABLE: ("size",),
    PartKind.LUG: ("size", "stud"),
    PartKind.POST_CLAMP: ("size",),
    PartKind.SLEEVE: ("sleeve",),
    PartKind.FUSE: ("family", "rating_a"),
    PartKind.CONTACT: ("contact", "rating_a"),
    PartKind.PLUG: ("series",),
    PartKind.CONVERTER: ("rating_a",),
    PartKind.BATTERY: ("chemistry", "capacity_ah"),
    PartKind.TUBE: ("outer_mm", "wall_mm"),
    PartKind.CLIP: ("inner_mm",),
    PartKind.GROMMET: ("inner_mm",),
    PartKind.GLAND: ("inner_mm",),
    PartKind.BULKHEAD_STUD: ("stud", "rating_a"),
    PartKind.CONDUIT: ("inner_mm",),
    PartKind.HEAT_SLEEVE: ("inner_mm",),
    PartKind.OTHER: (),
}
"""What is said of each kind."""
MAY_SAY: dict[PartKind, tuple[str, ...]] = {PartKind.LUG: ("palm",), PartKind.PLUG: ("half", "key")}
"""What may be said beside it, and no more: halves that are alike have neither pins nor sockets, and some come in one colour."""


class PartSpec(Document):
    """What a part has to be, or is."""

    kind: PartKind
    size: Annotated[str, Field(max_length=20, description="Of the conductor: 25 mm2, 2 AWG")] = ""
    stud: Annotated[str, Field(max_length=10, description="M8, 5/16 in")] = ""
    palm: Palm | None = Field(None, description="Of a lug; null: flat")
    sleeve: Annotated[str, Field(max_length=20, description="As supplied to recovered: 18 to 6 mm")] = ""
    family: FuseFamily | None = None
    contact: Annotated[str, Field(max_length=20, description=f"One of: {', '.join(CONTACTS)}")] = ""
    series: Annotated[str, Field(max_length=30, description="Of a plug")] = ""
    half: Contacts | None = Field(None, description="Of a plug whose halves differ; null: both are alike")
    key: Annotated[str, Field(max_length=20, description="Colour or key of a plug; empty: as it is ordered")] = ""
    rating_a: Ampere | None = None
    chemistry: Chemistry | None = None
    capacity_ah: Annotated[float, Field(ge=0.01, le=2000)] | None = None
    outer_mm: Annotated[float, Field(ge=1, le=60)] | None = None
    wall_mm: Annotated[float, Field(ge=0.1, le=20)] | None = None
    inner_mm: Annotated[float, Field(ge=2, le=150, description="What goes through it [mm]")] | None = None

    @model_validator(mode="after")
    def _says_what_it_is(self) -> PartSpec:
        of, may = SAYS[self.kind], MAY_SAY.get(self.kind, ())
        for name in PartSpec.model_fields:
            given = getattr(self, name) not in (None, "")
            if name != "kind" and given != (name in of) and not (given and name in may):
                what = "is needed for" if name in of else "says nothing of"
                raise ValueError(f"'{name}' {what} a part of kind '{self.kind.value}'")
        if self.size:
            parse_size(self.size)
        if self.stud and self.stud not in lug_table().studs:
            raise ValueError(f"No stud '{self.stud}' is listed: {', '.join(lug_table().studs)}")
        if self.contact and self.contact not in CONTACTS:
            raise ValueError(f"No contact '{self.contact}' is known: {', '.join(CONTACTS)}")
        if self.series:
            self._is_a_half()
        if self.outer_mm and self.wall_mm and 2 * self.wall_mm >= self.outer_mm:
            raise ValueError("A tube has room inside")
        return self

    def _is_a_half(self) -> None:
        series = plug_table().series.get(self.series)
        if series is None:
            raise ValueError(f"No plugs '{self.series}' are listed: {', '.join(plug_table().series)}")
        if series.gendered and self.half is None:
            raise ValueError(f"'half' is needed: {series.label} has halves with pins and halves with sockets")
        if not series.gendered and self.half is not None:
            raise ValueError(f"'half' says nothing: both halves of {series.label} are alike")
        if self.key and self.key not in series.keys:
            raise ValueError(f"{series.label} comes in {', '.join(series.keys)}")

    @property
    def by_length(self) -> bool:
        """Whether it is sold by the metre."""
        return self.kind in BY_LENGTH


class StockItem(PartSpec):
    """A part as it is bought and kept."""

    number: PartNumber
    label: Label
    price: Annotated[Amount, Field(description="As a job is charged, before tax: a piece, or a metre")]
    pack: Annotated[int, Field(ge=1, le=10_000, description="Sold so many together: pieces, or metres")] = 1
    least: Annotated[int, Field(ge=1, le=10_000, description="The fewest that are sold: pieces, or metres")] = 1
    days: Annotated[float, Field(ge=0, le=365, description="Until it comes [d]")] = 1


class StockList(Document):
    """All that a workshop keeps or can buy."""

    items: Annotated[tuple[StockItem, ...], Field(max_length=MOST_ITEMS)] = ()

    @model_validator(mode="after")
    def _distinct(self) -> StockList:
        seen = set[str]()
        for item in self.items:
            if item.number in seen:
                raise ValueError(f"Two parts have the number '{item.number}'")
            seen.add(item.number)
        return self


class StockTable(Table):
    """The file ``stock.json``."""

    items: tuple[StockItem, ...]


def usual_stock() -> StockList:
    """What a workshop begins with: invented parts, to be replaced by its own.

    >>> [i.number for i in usual_stock().items if i.kind is PartKind.CABLE and i.size == "35 mm2"]
    ['CB-35']
    """
    return StockList(items=load_table("stock", StockTable).items)


def serves(item: StockItem, spec: PartSpec) -> bool:
    """Whether a part is what is wanted: the same in what it has to fit, no less in what it has to bear.

    item: of a list; spec: what it is for
    A fuse has the very rating, for a larger one guards nothing. A switch may carry more, a battery hold more. A plug has the colour or
    key that was chosen; where either leaves it open, it is said when it is ordered.

    >>> relay = StockItem(number="R1", label="Relay", kind="contact", contact="relay", rating_a=200, price="30")
    >>> [serves(relay, PartSpec(kind="contact", contact="relay", rating_a=a)) for a in (150, 250)]
    [True, False]
    """
    same = ("kind", "stud", "sleeve", "family", "contact", "chemistry", "outer_mm", "wall_mm", "series", "half")
    if (item.palm or Palm.FLAT) is not (spec.palm or Palm.FLAT):
        return False
    if item.key and spec.key and item.key != spec.key:
        return False
    if any(getattr(item, n) != getattr(spec, n) for n in same):
        return False
    if (item.size or spec.size) and (not item.size or not spec.size or parse_size(item.size) != parse_size(spec.size)):
        return False
    if spec.inner_mm is not None and not (
        item.inner_mm and spec.inner_mm <= item.inner_mm <= WIDEST_SHARE * spec.inner_mm + WIDER_MM
    ):
        return False
    exact = item.kind in (PartKind.FUSE, PartKind.CONVERTER)
    if exact and item.rating_a != spec.rating_a:
        return False
    return (item.rating_a or 0) >= (spec.rating_a or 0) and (item.capacity_ah or 0) >= (spec.capacity_ah or 0)


def to_buy(item: StockItem, missing: float) -> int:
    """How many pieces or metres are bought so that none is missing, in whole packs and no fewer than are sold.

    item: the part; missing: pieces or metres, 0 or less: none
    Source: arithmetic.

    >>> lug = StockItem(number="L", label="Lug", kind="lug", size="25 mm2", stud="M8", price="1.60", pack=10, least=20)
    >>> [to_buy(lug, n) for n in (0, 3, 21)]
    [0, 20, 30]
    """
    if missing <= 0:
        return 0
    short = max(missing, item.least)
    # A length that is a hair over a whole metre is one: millimetres are summed as floats.
    packs = -(-round(short, 6) // item.pack)
    return int(packs) * item.pack

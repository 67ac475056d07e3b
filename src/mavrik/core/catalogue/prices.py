"""What parts and hours cost: enough to compare one change with another, not a quotation."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.catalogue.tables import Table, load_table
from mavrik.core.document import Document

Price = Annotated[float, Field(ge=0, le=1_000_000, description="In the workshop's currency")]
Hours = Annotated[float, Field(ge=0, le=100, description="Hours of work [h]")]


class PriceList(Document):
    """What a workshop reckons with."""

    currency: Annotated[str, Field(max_length=8, description="As it is written behind an amount; empty: none")] = ""
    labour_per_h: Price
    tax_share: Annotated[float, Field(ge=0, le=1, description="On parts and hours, as a share")] = 0.0
    cable_per_m: Price
    cable_per_m_mm2: Annotated[Price, Field(description="On top of that, a metre and mm2 of copper")]
    lug: Price
    lug_per_mm2: Price
    fuse: Annotated[dict[FuseFamily, Price], Field(max_length=len(FuseFamily), description="With its holder, by family")]
    contact_per_a: Annotated[Price, Field(description="Switches, links, relays, by ampere of their rating")]
    converter_per_a: Annotated[Price, Field(description="A DC-DC charger, by ampere that it gives out")]
    pulley: Price
    belt: Price
    battery_per_ah: Annotated[dict[str, Price], Field(max_length=10, description="By chemistry, an ampere-hour of 12 V")]
    lead_h: Annotated[Hours, Field(description="A lead, whatever its length")]
    lead_h_per_m: Hours
    fuse_h: Hours
    contact_h: Hours
    clean_h: Annotated[Hours, Field(description="Both ends of one lead, or one joint")]
    unit_h: Hours
    pulley_h: Hours
    set_point_h: Hours
    battery_h: Hours
    converter_h: Hours


class PriceTable(Table):
    """The file ``prices.json``."""

    prices: PriceList


def usual_prices() -> PriceList:
    """What a workshop begins with: invented figures, to be replaced by its own.

    >>> usual_prices().labour_per_h
    60.0
    """
    return load_table("prices", PriceTable).prices

"""What is read at the bench, a file a quantity: unit, digits, sign rule, meter, plausible range. Nothing else lists them."""

from mavrik.core.measuring.quantities.base import Quantity
from mavrik.core.registry import parts_of

QUANTITIES: dict[str, Quantity] = {q.name: q for q in parts_of(__name__, Quantity, lambda q: q.place_in_list)}
"""All quantities by name, in the order they are offered in."""

__all__ = ["QUANTITIES", "Quantity"]

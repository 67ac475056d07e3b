"""How the parts of a kind find each other: one file a part, side by side in a package, none of them listed anywhere."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from pkgutil import iter_modules
from types import ModuleType
from typing import TypeVar

Part = TypeVar("Part")


def modules_of(package: str) -> list[ModuleType]:
    """Every module of a package, by name.

    package: its full name
    """
    return [import_module(f"{package}.{m.name}") for m in iter_modules(import_module(package).__path__) if not m.ispkg]


def parts_of(package: str, kind: type[Part], order: Callable[[Part], object]) -> tuple[Part, ...]:
    """Every public object of a kind that a module of a package defines.

    package: its full name; each module may hold several parts, under public names
    kind: their class
    order: what they are sorted by
    Raises ValueError where two modules define equal places in the order: neither would know its own.

    >>> from mavrik.core.procedures.base import Procedure
    >>> parts_of("mavrik.core.procedures.bench", Procedure, lambda p: p.order)[0].name
    'driver'
    """
    parts: dict[int, Part] = {}
    for module in modules_of(package):
        parts |= {id(v): v for n, v in vars(module).items() if not n.startswith("_") and isinstance(v, kind)}
    places = [order(p) for p in parts.values()]
    if len(places) != len(set(places)):
        raise ValueError(f"Two parts of {package} have the same place in their order")
    return tuple(sorted(parts.values(), key=order))  # type: ignore[arg-type]


def classes_of(package: str, kind: type[Part], order: Callable[[type[Part]], object]) -> tuple[type[Part], ...]:
    """Every public class of a kind that a module of a package defines itself and that has a place in the order.

    package: its full name
    kind: their base class
    order: what they are sorted by; None for a base that is no part itself
    """
    classes = {
        v
        for module in modules_of(package)
        for n, v in vars(module).items()
        if not n.startswith("_")
        and isinstance(v, type)
        and issubclass(v, kind)
        and v.__module__ == module.__name__
        and order(v) is not None
    }
    return tuple(sorted(classes, key=order))  # type: ignore[arg-type]

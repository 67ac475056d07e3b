"""The kinds of branch, a file a kind: what it is, its resistance, how it stands in a network, what a new one starts with.

A new kind is a new file with a class that has a `place_in_list`; nothing else lists them.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from mavrik.core.circuit.branches.base import BranchBase, Setting
from mavrik.core.registry import classes_of

BRANCH_KINDS: tuple[type[BranchBase], ...] = classes_of(__name__, BranchBase, lambda c: c.place_in_list)  # type: ignore[type-abstract]
"""All kinds, in the order they are offered in."""

if TYPE_CHECKING:
    AnyBranch = BranchBase
    Branch = BranchBase
else:
    AnyBranch = Union[BRANCH_KINDS]  # noqa: UP007
    Branch = Annotated[AnyBranch, Field(discriminator="kind")]


def blank_branches() -> tuple[AnyBranch, ...]:
    """A branch of every kind with starting values.

    >>> [b.kind for b in blank_branches()][:4]
    ['cable', 'ground_strap', 'fuse', 'breaker']
    """
    return tuple(kind.blank() for kind in BRANCH_KINDS)


__all__ = ["BRANCH_KINDS", "AnyBranch", "Branch", "BranchBase", "Setting", "blank_branches"]

"""Doing without a consumer."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from mavrik.core.catalogue.loads import consumer_table
from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation
from mavrik.core.planning.use import use_without

MOST_OFFERED = 8


def _needed() -> set[str]:
    """What an engine does not turn without."""
    return {c.label for c in consumer_table().consumers if c.group == "engine"}


def _find(situation: Situation) -> Iterator[Change]:
    use = situation.use
    on = {label for s in use.scenes if s.engine_rpm > 0 for label in s.on}
    offered = sorted((c for c in use.consumers if c.label in on - _needed()), key=lambda c: -c.current_a * c.duty)[:MOST_OFFERED]
    for c in offered:

        def apply(scheme: Scheme, label: str = c.label) -> Scheme:
            return replace(scheme, use=use_without(scheme.use, (label,)), without=(*scheme.without, label))

        amps = f"{c.current_a * c.duty:.1f} A on average" if c.duty < 1 else f"{c.current_a:g} A"
        yield Change(
            f"without:{c.label}", f"without:{c.label}", f"Without {c.label}",
            f"{amps} while the engine runs: off, or one that takes next to nothing.", apply,
            ("What the owner says to it; what law or safety asks for stays on.",),
        )  # fmt: skip


WITHOUT = ChangeKind(80, "without", "Do without", _find, concedes=True)

"""A larger battery in place of one."""

from __future__ import annotations

from collections.abc import Iterator

from mavrik.core.circuit import Battery
from mavrik.core.circuit.editing import with_parts
from mavrik.core.planning.changes.base import Change, ChangeKind, Scheme, Situation

LARGER = 1.4
"""Two case sizes up. Our choice, no source."""
MOST_AH = 2000.0


def _find(situation: Situation) -> Iterator[Change]:
    for battery in situation.as_found.batteries:
        capacity = 5.0 * round(battery.capacity_ah * LARGER / 5)
        if not battery.capacity_ah < capacity <= MOST_AH:
            continue
        share = capacity / battery.capacity_ah
        made = battery.model_copy(
            update={
                "capacity_ah": capacity,
                "cca_a": min(battery.cca_a * share, 3000.0) if battery.cca_a else None,
                "internal_mohm": battery.internal_mohm / share,
                "age": 0.0,
            }
        )

        def apply(scheme: Scheme, made: Battery = made) -> Scheme:
            batteries = tuple(made if b.id == made.id else b for b in scheme.circuit.batteries)
            return scheme.with_circuit(with_parts(scheme.circuit, batteries=batteries))

        yield Change(
            f"battery:{battery.id}", f"battery:{battery.id}", f"{battery.label}: {capacity:g} Ah",
            f"{battery.capacity_ah:g} Ah now. It lasts longer and takes more while charging; it makes no current.", apply,
            ("Whether its tray, clamp and terminals take it.",),
        )  # fmt: skip


BATTERY = ChangeKind(70, "battery", "Larger battery", _find)

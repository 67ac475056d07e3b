"""Words that several findings are made of."""

from __future__ import annotations

from collections.abc import Collection

from mavrik.core.circuit import Circuit
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import fault_table

MAY = {What.MORE_OHM: "have too much", What.OPEN: "be open", What.SHORTED: "conduct both ways"}
"""What a branch may be or do, by what is wrong with it."""


def inside_a_sentence(words: str) -> str:
    """A label as it stands inside a sentence; a name or an abbreviation stays as it is.

    >>> inside_a_sentence("Charge cable"), inside_a_sentence("DC at the battery")
    ('charge cable', 'DC at the battery')
    """
    return words[0].lower() + words[1:] if len(words) > 1 and words[1].islower() else words


def another_reading(label: str) -> str:
    """A reading that is to be taken again, in a few words.

    label: what is read

    >>> another_reading("Charge fuse")
    'another reading of charge fuse'
    """
    return f"another reading of {inside_a_sentence(label)}"


def label_of(circuit: Circuit, cause: str, read: Collection[str] = ()) -> tuple[str, str]:
    """A cause in words, and what to do about it. read: ids of the points that were read"""
    kind, element = cause.split(":", 1)
    label = next((e.label for e in circuit.elements if e.id == element), element)
    words = fault_table().faults[kind].words(circuit, element)
    return words.title.format(label=label), words.then(element, read)


def sureness(probability: float) -> str:
    """How sure, in words; nothing here is ever certain."""
    return f"{probability:.0%} sure" if probability < 0.99 else "over 99% sure"

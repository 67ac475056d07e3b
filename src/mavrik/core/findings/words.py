"""Words that several findings are made of."""

from __future__ import annotations


def inside_a_sentence(words: str) -> str:
    """A label as it stands inside a sentence; a name or an abbreviation stays as it is.

    >>> inside_a_sentence("Charge cable"), inside_a_sentence("DC at the battery")
    ('charge cable', 'DC at the battery')
    """
    return words[0].lower() + words[1:] if len(words) > 1 and words[1].islower() else words

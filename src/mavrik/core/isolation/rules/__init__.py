"""What may be asked of a disconnect, a file a subject: found by their names in the purposes."""

from __future__ import annotations

from mavrik.core.isolation.rules.base import Answer, Rule, RuleOutcome
from mavrik.core.registry import parts_of

RULES: dict[str, Rule] = {r.name: r for r in parts_of(__name__, Rule, lambda r: r.order)}
"""All rules by name, in the order they are shown in."""

__all__ = ["RULES", "Answer", "Rule", "RuleOutcome"]

"""The stages of the work, a file a stage; nothing else lists them."""

from mavrik.core.registry import parts_of
from mavrik.core.workflow.stages.base import JobFacts, Stage, StageState, Standing

STAGES: tuple[Stage, ...] = parts_of(__name__, Stage, lambda s: s.order)
"""All stages, in the order of the work."""

__all__ = ["STAGES", "JobFacts", "Stage", "StageState", "Standing"]

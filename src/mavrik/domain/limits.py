"""How much a job holds: the same for what comes in and what goes out, so that what is kept can be printed and sent."""

from __future__ import annotations

MOST_CIRCUITS = 200
"""Revisions of all roles together."""
MOST_DOCUMENTS = 200
MOST_RUNS = 700
MOST_CAPTURES = 40
MOST_CHANNEL_NAME = 80
MOST_JOB_CHARACTERS = 5_000_000
"""Of circuits, runs and documents together, as JSON: with their indentation they fill two thirds of the largest bundle."""

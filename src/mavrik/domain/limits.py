"""How much a job holds: the same for what comes in and what goes out, so that what is kept can be printed and sent."""

from __future__ import annotations

MOST_CIRCUITS = 200
"""Revisions of all roles together."""
MOST_DOCUMENTS = 200
MOST_RUNS = 700
MOST_CAPTURES = 40
MOST_PHOTOS, MOST_PHOTO_BYTES = 24, 110_000
"""Sharp enough to read a tag on a plug, and few enough that all of them travel with the job."""
MOST_CHANNEL_NAME = 80
MOST_JOB_CHARACTERS = 5_000_000
"""Of circuits, runs and documents together, as JSON: with their indentation they fill half of the largest bundle."""

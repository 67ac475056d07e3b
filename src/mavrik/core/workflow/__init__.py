"""Stages of the work, progress, cautions."""

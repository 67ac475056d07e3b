"""Meters, readings and how well they are known; limits; waveforms."""

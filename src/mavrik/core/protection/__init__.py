"""Fuses against loads, cables and short circuits."""

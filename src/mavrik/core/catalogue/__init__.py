"""Tables as data with their source: conductors, fuses, chemistry, what alternators give."""

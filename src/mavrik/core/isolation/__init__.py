"""What stays live behind a disconnect, and whether the engine stops: switching parts, steps, truth table, purposes."""

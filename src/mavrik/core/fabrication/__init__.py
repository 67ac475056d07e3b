"""Making leads: how long, with what ends, out of which reel."""

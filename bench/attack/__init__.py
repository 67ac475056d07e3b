"""Attacks on a running product of one's own: what is killed, what comes at once, what is nonsense."""

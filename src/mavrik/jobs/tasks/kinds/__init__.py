"""Kinds of long work, a file each."""

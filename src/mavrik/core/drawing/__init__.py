"""Coordinates of the pictures: loop and staircase."""

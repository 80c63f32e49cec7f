"""Clips as wholes: loops, ranges, speed, the way along the ground."""

"""Clips, posing and weights."""

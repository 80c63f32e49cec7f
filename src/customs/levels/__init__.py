"""Levels as lists of placements: read through a mapping, their names resolved in libraries."""

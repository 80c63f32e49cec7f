"""Tests of lists of placements."""

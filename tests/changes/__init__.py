"""Tests of what several steps do to a scene."""

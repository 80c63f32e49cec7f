"""Tests of a sheet from examples."""

"""Numeric work on arrays."""

"""The desk Motion."""

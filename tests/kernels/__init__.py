"""Compiled loops against the numpy way."""

"""Customs: the core, without interface code."""

__version__ = "0.1.0"

"""Kinds of archives, each a file of its own."""

"""Whole levels: what kinds of things they are made of, how large, how they are lit."""

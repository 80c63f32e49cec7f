"""Texture work."""

"""Texture file formats, one file each."""

"""Headless renderer: numpy image out."""

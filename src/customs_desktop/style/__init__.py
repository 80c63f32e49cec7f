"""Part of the window: style."""

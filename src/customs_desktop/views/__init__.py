"""Part of the window: views."""

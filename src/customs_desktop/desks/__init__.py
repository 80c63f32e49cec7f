"""Part of the window: desks."""

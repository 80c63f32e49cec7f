"""Running work on many assets."""

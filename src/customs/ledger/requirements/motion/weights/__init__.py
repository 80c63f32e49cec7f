"""Requirements on weights."""

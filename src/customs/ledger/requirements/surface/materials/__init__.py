"""Requirements on materials."""

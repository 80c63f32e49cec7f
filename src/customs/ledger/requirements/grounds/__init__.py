"""Requirements on whole levels."""

"""Requirements on clips."""

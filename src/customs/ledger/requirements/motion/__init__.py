"""Requirements of the desk motion."""

"""Steps of the desk motion."""

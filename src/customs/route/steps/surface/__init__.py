"""Steps of the desk surface."""

"""Steps of the desk dispatch."""

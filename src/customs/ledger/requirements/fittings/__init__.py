"""Requirements of the desk dispatch."""

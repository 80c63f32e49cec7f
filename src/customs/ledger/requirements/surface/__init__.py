"""Requirements of the desk surface."""

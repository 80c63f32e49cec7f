"""Requirements of the desk intake."""

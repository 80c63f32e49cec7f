"""Requirements on which texture stands for what, and where it lies."""

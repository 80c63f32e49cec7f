"""Steps of the desk Surface that change which texture stands for what, and where it lies."""

"""Steps of the desk Surface that change textures."""

"""The desk Surface."""

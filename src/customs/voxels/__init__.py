"""Meshes as unit cells: filled or hollow, coloured from their textures, as few colours as asked for."""

"""Requirements on textures."""

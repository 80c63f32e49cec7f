"""Requirements on size, place and the tree of nodes."""

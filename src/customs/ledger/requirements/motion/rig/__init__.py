"""Requirements on skeletons and their donors."""

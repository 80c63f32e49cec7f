"""A kit folder, which is not ours: what is changed in it is written down first, each original kept, all of it undone again."""

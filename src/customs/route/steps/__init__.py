"""The steps, one file each, grouped by desk."""

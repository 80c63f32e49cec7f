"""The requirements, one file each, grouped by desk."""

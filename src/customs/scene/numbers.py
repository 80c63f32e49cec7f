"""Names of the numbers some kits want in files."""

VERSION = "version_number"
"""In the extras of the first root: the version of the kit."""
ORDER = "order_number"
"""In the extras of mesh nodes: the order they are drawn in."""

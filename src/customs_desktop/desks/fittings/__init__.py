"""The desk Fittings."""

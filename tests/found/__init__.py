"""Files that were ported wrong once."""

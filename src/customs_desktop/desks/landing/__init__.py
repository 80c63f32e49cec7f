"""The desk Landing."""

"""The desk Dispatch."""

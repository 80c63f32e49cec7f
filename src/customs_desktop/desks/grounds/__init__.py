"""The desk Grounds."""

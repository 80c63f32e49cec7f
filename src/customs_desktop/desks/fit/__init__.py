"""The desk Fit."""

"""The desk Intake."""

"""Steps of whole levels."""

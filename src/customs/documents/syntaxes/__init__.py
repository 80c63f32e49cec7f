"""One file for each syntax."""

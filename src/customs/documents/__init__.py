"""Documents of a kit: read as they are written, changed at single places, everything else byte for byte as it was."""

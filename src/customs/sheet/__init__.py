"""The destination sheet: what one engine or mod kit expects, as data."""

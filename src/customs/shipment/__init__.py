"""The project file: its states, its edits, its store of sources."""

"""Reading and writing files: one module or package a format."""

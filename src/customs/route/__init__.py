"""The ordered steps that take an asset from origin to destination."""

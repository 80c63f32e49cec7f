"""A destination sheet read off packages the destination already has."""

"""Which joints move a vertex, and by how much."""

"""Requirements on meshes."""

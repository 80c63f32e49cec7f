"""What several steps do to a scene, each judgement once."""

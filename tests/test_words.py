"""Numbers in sentences."""

from customs.words import many


def test_one_is_one() -> None:
    said = [
        many(0, "clip"),
        many(1, "clip"),
        many(1200, "mesh"),
        many(2, "body"),
        many(1, "vertex"),
        many(3, "vertex"),
    ]
    assert said == ["0 clips", "1 clip", "1,200 meshes", "2 bodies", "1 vertex", "3 vertices"]

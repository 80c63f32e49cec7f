"""Settings outside what a stop takes: each is refused with the stop's field, what was found and what was
expected.
"""

from __future__ import annotations

import pytest

from customs.errors import StepError
from customs.route.step import get_step, make_settings, steps

WRONG = [
    ("arrive", "metres_per_unit", 0),
    ("arrive", "metres_per_unit", -0.01),
    ("arrive", "metres_per_unit", 10000000.0),
    ("arrive", "up", "up"),
    ("arrive", "faces", "+W"),
    ("arrive", "hand", "both"),
    ("arrive", "front", "inside"),
    ("arrive", "v", "sideways"),
    ("arrive", "scale", 0),
    ("arrive", "turn", [0, 90]),
    ("arrive", "stated", "guess"),
    ("weightless", "least", 0),
    ("weightless", "least", 1),
    ("turn-axes", "up", "Y"),
    ("turn-axes", "hand", "ambidextrous"),
    ("turn", "degrees", [90]),
    ("turn", "degrees", ["x", 0, 0]),
    ("scale", "factor", 0),
    ("scale", "factor", -3),
    ("scale", "factor", 1000000000000.0),
    ("scale", "factor", "twice"),
    ("pose", "seconds", -1),
    ("pose", "turns", [["hip", 10]]),
    ("static", "drop", "everything"),
    ("leave-out", "texcoord_sets", -1),
    ("leave-out", "texcoord_sets", 9),
    ("leave-out", "cameras", "perhaps"),
    ("lay-uvs", "sets", 0),
    ("lay-uvs", "sets", 9),
    ("simplify", "ratio", 0),
    ("simplify", "ratio", 1.5),
    ("simplify", "triangles", 0),
    ("simplify", "vertices", 2),
    ("simplify", "total", 0),
    ("simplify", "error", -1),
    ("lods", "ratios", [0.5, 0.5]),
    ("lods", "ratios", [1.0]),
    ("lods", "ratios", [0]),
    ("lods", "triangles", [100, 200]),
    ("lods", "errors", [2, 1]),
    ("lods", "shares", [0.1, 0.2]),
    ("lods", "distances", [10, 5]),
    ("lods", "field", 180),
    ("lods", "last", 0),
    ("kept-levels", "last", 0),
    ("posts", "things", [["hook"]]),
    ("picture", "light", "moon"),
    ("shapes", "hits", "cylinder"),
    ("shapes", "by", "joint"),
    ("shapes", "corners", 3),
    ("shapes", "hulls", 1),
    ("shapes", "triangles", 3),
    ("shapes", "out", 0.5),
    ("shapes", "edits", [["hits", 0, [0, 0, 0], [0, 0, 0], [0, 1, 1]]]),
    ("posts", "posts", [["", [0, 0, 0], [0, 0, 1], "", ""]]),
    ("posts", "posts", [["a", [0, 0, 0], [0, 0, 0], "", ""]]),
    ("posts", "posts", [["a", [0, 0, 0], [0, 0, 1], "", "../out.glb"]]),
    ("posts", "posts", [["a", [0, 0, 0], [0, 0, 1], "", ""], ["a", [0, 0, 0], [0, 0, 1], "", ""]]),
    ("picture", "angle", "below"),
    ("picture", "turn", [0, 90]),
    ("picture", "margin", 0.5),
    ("picture", "margin", -0.1),
    ("picture", "backdrop", "stripes"),
    ("picture", "text", "x" * 41),
    ("plot", "cell", 0),
    ("plot", "rows", ["A B"]),
    ("plot", "rows", ["A" * 300]),
    ("rigid", "name", ""),
    ("rigid", "name", "xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx"),
    ("common-root", "name", ""),
    ("common-root", "name", "yyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyyy"),
    ("flatten", "depth", 0),
    ("flatten", "depth", 65),
    ("weld", "distance", -0.1),
    ("weld", "distance", 2),
    ("drop-broken", "doubled", "some"),
    ("donor", "step", 7),
    ("donor", "clips", "theirs"),
    ("donor", "limit", 0),
    ("donor", "limit", 17),
    ("donor", "soften", -1),
    ("donor", "soften", 21),
    ("donor", "pairs", [["one"]]),
    ("unwrap", "padding", -1),
    ("unwrap", "padding", 65),
    ("unwrap", "resolution", 63),
    ("unwrap", "resolution", 8193),
    ("footing", "kind", "corner"),
    ("footing", "point", [0, 0]),
    ("merge-joints", "limit", -1),
    ("merge-joints", "limit", 4097),
    ("normals", "angle", -1),
    ("normals", "angle", 181),
    ("normals", "only", "some"),
    ("bind", "source", "air"),
    ("bind", "near", 0),
    ("bind", "near", 11),
    ("bind", "limit", 0),
    ("paint", "limit", 0),
    ("paint", "edits", [["a", "b", "set"]]),
    ("retarget", "ground", "always"),
    ("retarget", "pairs", [["one", "two", "three"]]),
    ("humanoid", "bones", ["hips"]),
    ("weights", "limit", 0),
    ("weights", "limit", 17),
    ("weights", "least", 0.5),
    ("weights", "least", -0.1),
    ("split-joints", "limit", 3),
    ("split-joints", "limit", 5000),
    ("merge-clips", "name", ""),
    ("merge-clips", "gap", -1),
    ("merge-clips", "gap", 61),
    ("clips", "unit", "beats"),
    ("clips", "rate", 0),
    ("clips", "rate", 1001),
    ("clips", "ranges", [["a", 0, 1]]),
    ("clips", "ranges", [["a", "b", 1, ""]]),
    ("retime", "speed", 0),
    ("retime", "speed", 101),
    ("retime", "rate", -1),
    ("retime", "rate", 1001),
    ("loop", "seconds", 0),
    ("loop", "seconds", 61),
    ("travel", "way", "forward"),
    ("travel", "name", ""),
    ("still", "key", "last"),
    ("reduce", "millimetres", -1),
    ("reduce", "millimetres", 1001),
    ("reduce", "degrees", 46),
    ("close-holes", "edges", 2),
    ("from-goods", "scale", 0),
    ("from-goods", "near", 0),
    ("from-goods", "limit", 17),
    ("from-goods", "soften", 101),
    ("from-goods", "bind", "glue"),
    ("clip-files", "how", "some"),
    ("numbers", "version_number", -1),
    ("numbers", "version_number", 10000000),
    ("tangents", "where", "nowhere"),
    ("light", "roughness", 1.1),
    ("light", "metallic", -0.1),
    ("alpha", "mode", "glass"),
    ("alpha", "cutoff", 1.5),
    ("height-normal", "depth", -1),
    ("detail", "strength", 5),
    ("detail", "scale", [1]),
    ("glow", "tolerance", 2),
    ("glow", "gap", 33),
    ("glow", "speck", -1),
    ("tint", "strength", 2),
    ("colour-space", "space", "film"),
    ("preset", "state", "wet"),
    ("variants", "first", ""),
    ("atlas", "limit", 8),
    ("atlas", "padding", 300),
    ("resize", "limit", 0),
    ("resize", "least", 20000),
    ("convert-textures", "form", "gif"),
    ("convert-textures", "bits", 12),
    ("convert-textures", "block", "bc9"),
    ("convert-textures", "quality", "fine"),
    ("convert-textures", "header", "old"),
    ("convert-textures", "also", ["gif"]),
    ("rename", "max_length", 0),
    ("rename", "max_length", 256),
    ("rename", "allowed", "[a-z"),
    ("rename", "asset", " "),
    *(
        ("rename", field, "{moon}_{name}")
        for field in ("node", "mesh", "material", "image", "skin", "clip", "later")
    ),
]
"""(stop, field, a value it cannot have)."""


@pytest.mark.parametrize(("step", "field", "value"), WRONG)
def test_it_is_refused_by_name(step: str, field: str, value: object) -> None:
    with pytest.raises(StepError) as problem:
        make_settings(get_step(step), {field: value})
    text = str(problem.value)
    assert field in text and problem.value.expected, text


def test_every_stop_with_limits_is_in_the_table() -> None:
    """A limit nobody tries is one nobody knows to hold."""
    limited = {
        (s.id, name) for s in steps().values() for name, f in s.settings.model_fields.items() if f.metadata
    }
    tried = {(step, field) for step, field, _ in WRONG}
    assert limited - tried <= UNTRIED, sorted(limited - tried - UNTRIED)


UNTRIED = {
    ("glow", "feather"),
    ("glow", "strength"),
    ("tint", "tolerance"),
    ("tint", "feather"),
    ("arrive", "suffixes"),
}
"""Ratios of the same kind as one that is tried."""


@pytest.mark.parametrize("step", sorted(steps()))
def test_what_a_stop_does_not_know_is_refused(step: str) -> None:
    with pytest.raises(StepError, match="moonlight"):
        make_settings(get_step(step), {"moonlight": 1})
    assert make_settings(get_step(step), {}) is not None or get_step(step).settings.model_fields

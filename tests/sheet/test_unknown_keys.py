"""A key that is not known is told with the nearest that is, wherever it stands."""

from __future__ import annotations

import pytest

from customs.errors import SheetError
from customs.sheet.load import parse_sheet

HEAD = 'version = 1\nextends = "metre-yup-pbr"\nid = "x"\ntitle = "X"\n'


@pytest.mark.parametrize(
    ("text", "where", "near"),
    [
        ("[textures]\nmax_egde = 4", "textures.max_egde", "'max_edge'"), ("[txtures]\nmax_edge = 4", "txtures", "'textures'"),
        ("[textures.blocks]\ncolor = 'bc1'", "textures.blocks.color", "'colour'"), ("qwertz = 1", "qwertz", "one of version, "),
        ("[[form]]\nid = 'a'\ntitle = 'A'\nkind = 'text'\nrequird = true", "form.0.requird", "'required'"),
        ("[kit]\nplac = 'a'", "kit.plac", "'place'"),
    ],
)  # fmt: skip
def test_the_nearest_key_is_told(text: str, where: str, near: str) -> None:
    with pytest.raises(SheetError) as caught:
        parse_sheet(HEAD + text, "mine.toml")
    assert caught.value.where == where and near in caught.value.expected
    assert "there is no key" in caught.value.found

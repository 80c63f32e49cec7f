"""Pictures of an asset beside its model: image files that no model uses, of one size everywhere."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from customs.learning.examples import Example
from customs.learning.found import Detector, Found, register
from customs.surface.files.base import FORMATS

WRITTEN = {"png", "jpeg"}


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    ends = tuple(e for f in FORMATS.all().values() if f.id in WRITTEN for e in f.endings)
    seen: dict[str, list[tuple[str, int, int, str, bool]]] = {}
    for e in examples:
        used = {
            i.uri.replace("\\", "/").rpartition("/")[2].casefold()
            for m in e.models
            for i in m.scene.images
            if i.uri
        }
        for path in e.files:
            last = path.rpartition("/")[2]
            if not last.lower().endswith(ends) or last.casefold() in used or e.name not in last:
                continue
            info = e.picture(path)
            if info is not None:
                pattern = re.sub(r"\.\w+$", "{ending}", path.replace(e.name, "{asset}"))
                seen.setdefault(pattern, []).append(
                    (e.name, info.width, info.height, info.form, info.form == "png" and info.has_alpha)
                )
    rows, support = list[dict[str, object]](), 0
    for pattern, found in seen.items():
        if len(found) == len(examples) and len({f[1:] for f in found}) == 1 and found[0][3] in WRITTEN:
            _, width, height, form, clear = found[0]
            stem = pattern.removesuffix("{ending}").rpartition("/")[2].replace("{asset}", "").strip("_-. ")
            rows.append(
                {
                    "name": stem or "picture",
                    "width": width,
                    "height": height,
                    "format": form,
                    "clear": clear,
                    "path": pattern,
                }
            )
            support += len(found)
    if rows:
        yield Found(
            "pictures",
            rows,
            support,
            support,
            (),
            "likely",
            "image files no model uses, of one size everywhere",
        )
    else:
        yield Found(
            "pictures",
            None,
            0,
            len(examples),
            sure="undecided",
            why="no picture that every one has in one size",
        )


register(
    Detector(
        "pictures", ("pictures",), "image files that no model uses: their sizes, formats and paths", _find
    )
)

"""Sheets found again from five packages delivered to each: a table sheet × key by the rules of the page A sheet from examples of the guide; and the time five
packages of 20 MB take.

.venv/bin/python benchmarks/learning.py [--write docs/benchmarks-learning.md]
"""

from __future__ import annotations

import argparse
import re
import shutil
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from tables import told

from customs.demo.write import GOODS, write_goods
from customs.formats.registry import WriteOptions, get_format
from customs.learning.examples import read_example
from customs.learning.found import Found
from customs.learning.learned import learn
from customs.patterns import fits
from customs.sheet.load import shipped_texts
from customs.sheet.model import Sheet
from customs.work.asset import Request, prepare
from customs.work.donors import read_donor
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
from customs.work.requests.learn import LearnRequest, run_learn

FORMS = {
    "config-text-kit": (
        ("title", "A thing"),
        ("region", "palm house"),
        ("decades", "1880s"),
        ("licence", "CC0-1.0"),
    ),
    "numbered-item-kit": (("title", "A thing"), ("maker", "12"), ("number", "7"), ("like", "fern_lamp")),
    "mirror-bundle-kit": (("mirror", "props/glass"),),
}
STRICTER = {"required": 2, "forbidden": 2, "with-normal-map": 1, "allowed": 0}
"""How much a rule refuses."""
SETS = ("materials.models", "textures.formats", "textures.bits", "rig.clip_files")
RULES = ("settled", "single_mesh", "mesh_under_root", "power_of_two", "square", "welded", "lower", "unique")
SAMPLES = ("a", "A", "a_b", "A b", "a.b", "a-b", "0a", "ü", "a b.c")
"""Names that show what an expression lets through."""


def packages(sheet: Sheet, goods: dict[str, Path], out: Path, count: int = 5) -> list[Path]:
    """The first goods that can be delivered to a sheet as they are planned."""
    donor, made = read_donor(goods["house_warden"], find_origin("metre-yup")), list[Path]()
    for good in GOODS:
        if len(made) == count:
            break
        path = goods[good.id]
        request = Request(
            path, path.parent, sheet, find_origin(good.origin), donor=donor, form=FORMS.get(sheet.id, ())
        )
        done = prepare(request)
        if done.ledger.verdict != "held":
            made.append(run_dispatch(DispatchRequest(done, sheet, out)).folder)
            # A destination has no source: only what goes into its kit.
            shutil.rmtree(made[-1] / "source", ignore_errors=True)
    return made


def right(found: Found, sheet: Sheet) -> bool:
    """By the guide's rules."""
    meant: Any = sheet
    for part in found.key.split("."):
        meant = meant.get(part) if isinstance(meant, dict) else getattr(meant, part)
    key, value = found.key, found.value
    if key == "shapes.optional":
        return set(value) <= set(sheet.shapes.taken)
    if key == "rig.rate":
        return meant in (None, value)
    if key in SETS:
        return set(value) <= set(meant)
    if key == "textures.suffixes":
        return all(meant.get(k, v) == v for k, v in value.items()) and bool(meant)
    if key == "pictures":
        rows = {(p.width, p.height, p.format, p.path) for p in meant}
        return all((p["width"], p["height"], p["format"], p["path"]) in rows for p in value)
    if key == "rig.influences":
        return bool(value <= meant)
    if key == "names.allowed":
        return all(fits(meant, s) for s in SAMPLES if fits(value, s))
    if key in ("shapes.form",):
        return meant in (value, "both")
    if key.startswith("names.") and isinstance(value, str):
        return meant == value or meant in ("{name}", "{asset}_{name}")
    if key.startswith("layout."):
        return meant == value or re.fullmatch(_any(meant), value) is not None
    if key.rpartition(".")[2] in RULES:
        return bool(value) or not meant
    if isinstance(value, str) and value in STRICTER and meant in STRICTER:
        return value == meant or STRICTER[value] >= STRICTER[meant]
    return bool(value == meant)


def _any(pattern: str) -> str:
    """A layout as an expression that a learned one, with its literal folders, has to fit."""
    return re.sub(r"\\\{(mirror|original)\\\}", ".+", re.escape(pattern))


def heavy(folder: Path) -> list[Path]:
    """Five packages of a model of about 20 MB."""
    from customs.scene.arrays import frozen
    from customs.scene.key import Key
    from customs.scene.model import Mesh, Node, Primitive, Scene

    out, rng = list[Path](), np.random.default_rng(3)
    write = get_format("glb").write
    assert write is not None
    for n in range(5):
        side = 700
        u, v = np.meshgrid(np.linspace(-1, 1, side), np.linspace(-1, 1, side))
        height = rng.normal(0, 1e-3, u.shape) + 0.5 + 0.5 * np.cos(3 * u) * np.cos(3 * v)
        points = np.stack([u, height - height.min(), v], axis=2).reshape(-1, 3).astype(np.float32)
        at = np.arange(side * side).reshape(side, side)
        quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], axis=2).reshape(-1, 4)
        faces = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]).astype(np.uint32)
        d = f"heavy{n}"
        prim = Primitive(Key(d, "primitive", 0), frozen(points), indices=frozen(faces.reshape(-1), np.uint32))
        scene = Scene(
            d,
            d,
            nodes=(Node(Key(d, "node", 0), d, mesh=0),),
            roots=(0,),
            meshes=(Mesh(Key(d, "mesh", 0), d, (prim,)),),
        )
        place = folder / d
        place.mkdir(parents=True)
        (place / f"{d}.glb").write_bytes(b"".join(map(bytes, write(scene, WriteOptions(d))[".glb"])))
        out.append(place)
    return out


def main() -> None:
    """Print the tables, and write them where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    asked = parser.parse_args()
    rows, decided, good, wrong_sure = [], 0, 0, 0
    with tempfile.TemporaryDirectory() as place:
        goods = write_goods(Path(place) / "goods")
        for id_ in shipped_texts():
            sheet = find_sheet(id_)
            made = packages(sheet, goods, Path(place) / id_)
            found = [
                f
                for f in learn([read_example(p) for p in made])
                if f.value is not None and f.sure != "undecided"
            ]
            bad = [f for f in found if not right(f, sheet)]
            decided, good = decided + len(found), good + len(found) - len(bad)
            wrong_sure += sum(f.sure == "sure" for f in bad)
            sure = sum(f.sure == "sure" for f in found)
            rows.append(
                (
                    id_,
                    f"{len(made)}",
                    f"{len(found)}, {sure} of them sure",
                    f"{len(found) - len(bad)}",
                    ", ".join(f"{f.key} = {f.value} ({f.sure})" for f in bad) or "none",
                )
            )
        large = heavy(Path(place) / "heavy")
        size = sum(p.stat().st_size for f in large for p in f.iterdir()) / 5e6
        began = time.perf_counter()
        run_learn(LearnRequest(tuple(large), "heavy"))
        seconds = time.perf_counter() - began
    share = 100 * good / decided
    rows.append(
        ("all", "", f"{decided}", f"{good} ({share:.1f} %, goal 95 %)", f"{wrong_sure} called sure (goal 0)")
    )
    rows.append(
        (
            f"five packages of {size:.0f} MB, read, learned and judged",
            "",
            "",
            f"{seconds:.1f} s (goal 10 s)",
            "",
        )
    )
    heads = ("sheet", "packages", "keys told", "right", "wrong")
    told(
        "Sheets from examples",
        "Made by `benchmarks/learning.py`; what is right: the page A sheet from examples of the guide.",
        heads,
        rows,
        asked.write,
    )


if __name__ == "__main__":
    main()

"""Readers against files that were damaged on purpose: a clear error or a scene, never anything else."""

from __future__ import annotations

import atexit
import shutil
import tempfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from customs.errors import CustomsError
from customs.formats.registry import WriteOptions, formats, get_format, read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.scene.model import Scene
from tests.assets import cube, lettered, saved, scene_of
from tests.formats.test_text_files import BVH

FOLDER = Path(tempfile.mkdtemp(prefix="customs-fuzz-"))
atexit.register(shutil.rmtree, FOLDER, ignore_errors=True)
QUICK = settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True)


def seeds() -> dict[str, bytes]:
    """A sound file of each format."""
    out = {}
    for ending in ("glb", "gltf", "obj", "ply", "stl"):
        scene = lettered() if ending in ("glb", "gltf") else scene_of(cube(), cube(0.5, 1))
        out[ending] = saved(scene, FOLDER / f"seed.{ending}").read_bytes()
    for ending in ("fbx", "dae"):
        parts = get_format(ending).write(lettered(), WriteOptions("seed"))[f".{ending}"]  # type: ignore[misc]
        out[ending] = b"".join(bytes(part) for part in parts)
    out["bvh"] = BVH.encode()
    return out


SEEDS = seeds()


def survives(data: bytes, ending: str) -> Scene | None:
    """Read it; only errors of our own may come out."""
    path = FOLDER / f"fuzzed.{ending}"
    path.write_bytes(data)
    try:
        scene = read_scene(Source(path))
        counts(scene)
        return scene
    except CustomsError as problem:
        assert problem.found and "fuzzed" in str(problem)
        return None


@pytest.mark.parametrize("ending", list(SEEDS))
def test_bytes_changed_at_random(ending: str) -> None:
    rng = np.random.default_rng(len(ending) * 7)
    for _ in range(150):
        data = bytearray(SEEDS[ending])
        for at in rng.integers(0, min(len(data), 6000), rng.integers(1, 8)):
            data[at] = int(rng.integers(0, 256))
        survives(bytes(data), ending)


@pytest.mark.parametrize("ending", list(SEEDS))
def test_cut_off_anywhere(ending: str) -> None:
    data = SEEDS[ending]
    for at in np.linspace(0, len(data) - 1, 60).astype(int):
        survives(data[:at], ending)


@QUICK
@given(st.binary(max_size=300), st.sampled_from(list(SEEDS)))
def test_arbitrary_bytes(data: bytes, ending: str) -> None:
    survives(data, ending)


@QUICK
@given(st.sampled_from(["count", "byteOffset", "byteLength", "componentType", "bufferView", "joints", "children", "mesh"]),
       st.one_of(st.integers(-5, 10**13), st.floats(allow_nan=False, allow_infinity=False), st.none(), st.sampled_from(["", "three", "-1", "ü"])),
       st.integers(0, 40))  # fmt: skip
def test_numbers_of_a_gltf_that_lie(name: str, value: object, which: int) -> None:
    import json
    import re

    text = SEEDS["gltf"].decode()
    spots = [m for m in re.finditer(rf'"{name}":[^,}}\]]+', text)]
    if spots:
        m = spots[which % len(spots)]
        survives((text[: m.start()] + f'"{name}":{json.dumps(value)}' + text[m.end() :]).encode(), "gltf")


@QUICK
@given(st.lists(st.sampled_from(["v 1 2 3", "v nan 1 2", "v 1", "f 1 2 3", "f 1//1 2 3/", "f -1 -2 -3", "vt 0", "l 1", "p 1 2",
                                 "usemtl x", "g", "s 99999999999", "mtllib", "\\", "f", "#", "o " + "x" * 500]), max_size=12))  # fmt: skip
def test_odd_obj_lines(lines: list[str]) -> None:
    survives("\n".join(lines).encode(), "obj")


def test_every_format_was_fuzzed() -> None:
    assert {e for f in formats().values() for e in f.endings} == {f".{e}" for e in SEEDS} | {".vrm", ".zae"}

"""Readers against files that were damaged on purpose: a clear error or a scene, never anything else."""

from __future__ import annotations

import atexit
import shutil
import tempfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from customs.errors import CustomsError
from customs.formats.registry import formats, read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.scene.model import Scene
from tests import fuzzing
from tests.conftest import WHOLE

FOLDER = Path(tempfile.mkdtemp(prefix="customs-fuzz-"))
atexit.register(shutil.rmtree, FOLDER, ignore_errors=True)
QUICK = settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True)


SEEDS = {
    e: fuzzing.seeds()[e][0]
    for e in ("glb", "gltf", "obj", "ply", "stl", "fbx", "dae", "bvh", "level", "map", "figure")
}


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


@pytest.mark.parametrize("reader", list(fuzzing.seeds()))
def test_mutations_end_well(reader: str, tmp_path: Path) -> None:
    count = 100 if WHOLE else 40
    tally = fuzzing.run(fuzzing.Tally(reader), count, tmp_path)
    assert tally.done == count and tally.clean, tally.offenders


def test_a_case_is_made_again_from_its_number() -> None:
    for reader in fuzzing.seeds():
        made = [fuzzing.mutated(reader, k) for k in range(12)]
        assert made == [fuzzing.mutated(reader, k) for k in range(12)] and len(set(made)) > 3


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

"""Remedies on assets drawn at random: pressed alone, each clears its row or betters it, and holds nothing
that was not held.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from customs.ledger.ledger import effective
from customs.planning.plan import Plan, Subject, fresh_route, plan, press
from customs.route.route import SceneCache
from customs.scene.arrays import frozen
from customs.scene.model import Image, Material, Primitive, Scene, TextureUse
from customs.work.lookup import find_sheet
from tests.assets import key, letter_primitive, loaded, saved
from tests.drawn import SHAPES, drawn_shared

SHEETS = (
    "metre-yup-pbr",
    "one-mesh-kit",
    "split-texture-kit",
    "packed-parameters-kit",
    "centimetre-zup-lh",
    "clips-apart-kit",
)
PATIENT = settings(
    max_examples=6,
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture],
)


def dressed(scene: Scene, seed: int) -> Scene:
    """The scene with a second material that is textured, some of it packed, some missing, and its parts
    broken a little.
    """
    rng = np.random.default_rng(seed)
    images = tuple(
        Image(
            key("image", k),
            f"t{k}",
            pixels=frozen(rng.integers(0, 255, (8, 8, 4 if k == 0 else 3)), np.uint8),
        )
        for k in range(3)
    )
    uses = {"base_colour": TextureUse(0), "metallic_roughness": TextureUse(1), "occlusion": TextureUse(1)}
    if rng.random() < 0.5:
        uses["normal"] = TextureUse(2, scale=(2.0, 2.0))
    coat = Material(
        key("material", len(scene.materials)),
        "coat",
        textures=uses,
        alpha_mode=str(rng.choice(["opaque", "mask", "blend"])),
    )  # type: ignore[arg-type]
    parts = [letter_primitive(90 + k, material=len(scene.materials)) for k in range(2)]
    parts[0] = _broken(parts[0], rng)
    # The first two meshes morph or hang on joints: the coat goes on the others.
    meshes = tuple(
        replace(m, primitives=(*m.primitives, parts[k - 2])) if k >= 2 else m
        for k, m in enumerate(scene.meshes)
    )
    return replace(scene, meshes=meshes, materials=(*scene.materials, coat), images=images)


def _broken(p: Primitive, rng: np.random.Generator) -> Primitive:
    """Some of: no normals, a doubled face, faces turned over."""
    faces = p.indices.reshape(-1, 3) if p.indices is not None else np.zeros((0, 3), np.uint32)
    if rng.random() < 0.5:
        faces = np.concatenate([faces, np.roll(faces[:2], 1, axis=1)])
    if rng.random() < 0.5:
        faces = np.concatenate([faces[:6, ::-1], faces[6:]])
    return replace(
        p,
        indices=frozen(faces.reshape(-1), np.uint32),
        normals=None if rng.random() < 0.5 else p.normals,
        tangents=None,
    )


def held(now: Plan) -> Counter[str]:
    """How many rows of each requirement are held."""
    return Counter(r.requirement for r in now.ledger.open() if r.verdict == "held")


@pytest.mark.breadth(2)
@pytest.mark.parametrize("sheet", SHEETS)
@PATIENT
@given(seed=st.integers(0, 10_000), shape=st.sampled_from(SHAPES))
def test_a_pressed_remedy_does_what_its_row_says(seed: int, shape: str, sheet: str, tmp_path: Path) -> None:
    path = saved(dressed(drawn_shared(seed % 50, shape), seed), tmp_path / f"drawn_{seed}.glb")
    scene, cache = loaded(path), SceneCache()
    subject = Subject(scene, str(seed), find_sheet(sheet))
    now = plan(subject, fresh_route(None), cache)
    seen: set[tuple[str, str]] = set()
    for row in now.ledger.open():
        if row.remedy is None or (row.requirement, row.remedy.label) in seen:
            continue
        seen.add((row.requirement, row.remedy.label))
        after = press(subject, now, row.remedy, cache)
        again = next((r for r in after.ledger.rows if r.id == row.id and effective(r) != "cleared"), None)
        better = (
            again is not None and None not in (again.badness, row.badness) and again.badness < row.badness
        )  # type: ignore[operator]
        assert again is None or better, (row.requirement, row.remedy.label, row.delivering, again.delivering)
        assert not held(after) - held(now), (row.requirement, row.remedy.label)
        assert not [a.error for a in after.passed if a.error]

"""What is made of an import: clips put in order, joints that are none, weights that are broken, corners
outside.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.aside.pack import Answer, Packer
from customs.errors import ReadError
from customs.formats.interchange.build import scene_of
from customs.formats.source import Source
from customs.motion.curves.keys import sample
from customs.scene.convention import Convention
from customs.scene.model import Camera, Scene

Json = dict[str, Any]
UNIT = np.eye(4).reshape(-1).tolist()


class Made:
    """An import put together by hand."""

    def __init__(self, tmp_path: Path) -> None:
        self.pack = Packer()
        self.header: Json = {"metadata": {}, "nodes": [], "meshes": [], "materials": [], "animations": [], "textures": [],
                             "lights": [], "cameras": []}  # fmt: skip
        path = tmp_path / "made.fbx"
        path.write_bytes(b"made")
        self.source = Source(path)

    def node(
        self, name: str, parent: int = -1, matrix: list[float] | None = None, meshes: tuple[int, ...] = ()
    ) -> None:
        """One node."""
        self.header["nodes"].append(
            {"name": name, "parent": parent, "matrix": matrix or UNIT, "meshes": list(meshes), "metadata": {}}
        )

    def channel(self, name: str, times: Any, values: Any) -> Json:
        """A channel of places."""
        empty = {"times": self.pack.add(np.zeros(0)), "values": self.pack.add(np.zeros((0, 3), np.float32))}
        return {
            "name": name, "position": {"times": self.pack.add(np.array(times, float)), "values": self.pack.add(np.array(values, np.float32))},
            "rotation": empty, "scaling": empty,
        }  # fmt: skip

    def clip(self, *channels: Json, rate: float = 1.0, name: str = "clip") -> None:
        """One animation."""
        self.header["animations"].append(
            {"name": name, "duration": 1.0, "rate": rate, "channels": list(channels), "morphs": []}
        )

    def mesh(
        self,
        bones: list[tuple[str, list[int], list[float]]],
        corners: Any = (0, 1, 2, 0, 2, 3),
        sizes: Any = (3, 3),
    ) -> None:
        """A square with weights."""
        square = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32)
        self.header["meshes"].append({
            "name": "square", "material": 0, "vertices": self.pack.add(square), "normals": None, "tangents": None, "bitangents": None,
            "colours": [], "texcoords": [], "sizes": self.pack.add(np.array(sizes, np.uint32)),
            "corners": self.pack.add(np.array(corners, np.uint32)), "targets": [],
            "bones": [{"name": n, "offset": UNIT, "vertices": self.pack.add(np.array(v, np.uint32)),
                       "weights": self.pack.add(np.array(w, np.float32))} for n, v, w in bones],
        })  # fmt: skip

    def scene(self) -> Scene:
        """The scene made of it."""
        data = b"".join(a.tobytes() + b"\0" * (-a.nbytes % 16) for a in self.pack.arrays)
        return scene_of(Answer(self.header, memoryview(data)), self.source, Convention())

    @property
    def said(self) -> str:
        """All remarks."""
        return "; ".join(r.text for r in self.source.remarks)


@pytest.fixture
def made(tmp_path: Path) -> Made:
    out = Made(tmp_path)
    out.node("RootNode")
    out.node("hip", 0)
    out.node("knee", 1)
    return out


def test_keys_out_of_order_and_doubled_are_put_right_and_said(made: Made) -> None:
    made.clip(made.channel("hip", [2, 0, 1, 1], [[2, 0, 0], [0, 0, 0], [9, 0, 0], [1, 0, 0]]))
    clip = made.scene().clips[0]
    assert clip.channels[0].times.tolist() == [0, 1, 2] and sample(clip.channels[0], 1.0)[0] == 1, (
        "the last of equal times counts"
    )
    assert "out of order" in made.said and "share their time" in made.said


def test_times_before_zero_are_moved_and_broken_keys_dropped(made: Made) -> None:
    made.clip(made.channel("hip", [-2, -1, np.nan, 1], [[0, 0, 0], [1, 0, 0], [5, 0, 0], [np.inf, 0, 0]]))
    clip = made.scene().clips[0]
    assert (
        clip.channels[0].times.tolist() == [0, 1] and "before zero" in made.said and "not finite" in made.said
    )


@pytest.mark.parametrize("rate", [0.0, -5.0, float("nan"), 1e12])
def test_rates_that_cannot_be_are_read_as_usual(made: Made, rate: float) -> None:
    made.clip(made.channel("hip", [0, 50], [[0, 0, 0], [1, 0, 0]]), rate=rate)
    assert made.scene().clips[0].seconds == 2.0 and "read as 25" in made.said


def test_a_clip_of_one_key_and_one_of_nothing(made: Made) -> None:
    made.clip(made.channel("hip", [0], [[3, 0, 0]]), name="pose")
    made.clip(made.channel("hip", [0, 1], [[0, 0, 0], [0, 0, 0]]), name="rest")
    made.clip(made.channel("gone", [0, 1], [[0, 0, 0], [1, 0, 0]]), name="lost")
    scene = made.scene()
    assert [c.name for c in scene.clips] == ["pose"] and len(scene.clips[0].channels[0].times) == 1
    assert "moves gone, which is not there" in made.said


def test_helpers_are_folded_with_their_movement(tmp_path: Path) -> None:
    made = Made(tmp_path)
    turn = np.eye(4)
    turn[:3, :3] = [[0, -1, 0], [1, 0, 0], [0, 0, 1]]
    made.node("RootNode")
    made.node("hip_$AssimpFbx$_Translation", 0)
    made.node("hip_$AssimpFbx$_PreRotation", 1, turn.reshape(-1).tolist())
    made.node("hip", 2)
    made.node("knee", 3)
    made.clip(
        made.channel("hip_$AssimpFbx$_Translation", [0, 1], [[0, 0, 0], [2, 0, 0]]),
        made.channel("hip", [0, 1], [[0, 0, 0], [1, 0, 0]]),
    )
    scene = made.scene()
    assert [n.name for n in scene.nodes] == ["hip", "knee"] and scene.roots == (0,)
    assert np.allclose(scene.nodes[0].rotation, [0, 0, np.sqrt(0.5), np.sqrt(0.5)])
    place = next(c for c in scene.clips[0].channels if c.path == "translation")
    assert np.allclose(place.values[-1], [2, 1, 0], atol=1e-6), "the inner move is turned by the outer"


def test_weights_of_joints_that_are_none_and_broken_ones_are_left_out(made: Made) -> None:
    made.mesh(
        [("hip", [0, 1, 2, 3], [1, 1, 0.5, np.nan]), ("knee", [2, 3, 99], [0.5, 1, 1]), ("ghost", [0], [1])]
    )
    made.header["nodes"][0]["meshes"] = [0]
    scene = made.scene()
    p = scene.meshes[0].primitives[0]
    assert len(scene.skins) == 1 and len(scene.skins[0].joints) == 2 and "ghost" in made.said
    assert (
        p.weights is not None
        and np.isfinite(p.weights).all()
        and np.allclose(np.sort(p.weights.sum(axis=1)), 1)
    )


def test_corners_outside_are_refused_with_the_file_and_the_mesh(made: Made) -> None:
    made.mesh([], corners=(0, 1, 7), sizes=(3,))
    made.header["nodes"][0]["meshes"] = [0]
    with pytest.raises(ReadError) as problem:
        made.scene()
    assert (
        "made.fbx" in str(problem.value)
        and "square" in str(problem.value)
        and "below 4" in str(problem.value)
    )


def test_faces_lines_and_points_part_and_polygons_stay(made: Made) -> None:
    made.mesh([], corners=(0, 1, 2, 3, 0, 1, 2), sizes=(4, 2, 1))
    made.header["nodes"][0]["meshes"] = [0]
    modes = {p.mode: p for p in made.scene().meshes[0].primitives}
    assert set(modes) == {"polygons", "lines", "points"} and modes["polygons"].sizes is not None
    assert modes["polygons"].sizes.tolist() == [4] and len(np.asarray(modes["polygons"].triangulation)) == 2


def test_mirrored_and_scaled_joints_keep_their_matrices(tmp_path: Path) -> None:
    made = Made(tmp_path)
    made.node("RootNode")
    made.node("hip", 0, np.diag([-1.0, 2, 1, 1]).reshape(-1).tolist())
    made.node("bad", 0, [float("nan")] * 16)
    scene = made.scene()
    assert sorted(np.abs(scene.nodes[0].scale)) == [1, 1, 2] and np.prod(scene.nodes[0].scale) < 0
    assert np.array_equal(np.asarray(scene.nodes[1].matrix), np.eye(4)), "what is no number becomes nothing"


def test_lights_and_cameras_hang_on_their_nodes(made: Made) -> None:
    made.header["lights"] = [{"name": "hip", "type": 3, "position": [0, 1, 0], "direction": [0, -1, 0], "up": [0, 0, 1], "diffuse": [2, 1, 0],
                              "inner": 0.4, "outer": 0.8}, {"name": "hip", "type": 4}]  # fmt: skip
    made.header["cameras"] = [{"name": "knee", "position": [0, 0, 0], "up": [0, 1, 0], "look": [1, 0, 0], "fov": 1.0, "near": 0.1, "far": 50,
                               "aspect": 1.5, "width": 0.0}]  # fmt: skip
    scene = made.scene()
    assert len(scene.lights) == 1 and scene.lights[0].kind == "spot" and scene.lights[0].intensity == 2
    assert abs(scene.cameras[0].yfov - 2 * np.arctan(np.tan(0.5) / 1.5)) < 1e-9
    aim = next(n for n in scene.nodes if any(isinstance(h, Camera) for h in n.holds))
    from customs.scene.transforms import quaternion_matrix

    assert np.allclose(quaternion_matrix(aim.rotation) @ [0, 0, -1], [1, 0, 0], atol=1e-9)

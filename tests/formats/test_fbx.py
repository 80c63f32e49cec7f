"""The FBX writer, record by record, by a small reader of its own; and what the file says of materials,
textures, rigs.
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.demo import gardener, stork
from customs.errors import WriteError
from customs.formats.fbx.percent import rest_percents
from customs.formats.fbx.record import END, MAGIC, Long, Record, document_bytes, property_bytes
from customs.formats.fbx.write_material import PROPERTIES, phong_exponent
from customs.formats.registry import WriteOptions, get_format
from customs.intake.take import take
from customs.motion.posing.pose import posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.model import MorphTarget, Scene
from tests.assets import cube, loaded, saved, scene_of
from tests.motion.rigs import bar

SCALARS = {b"C": "<?", b"Y": "<h", b"I": "<i", b"F": "<f", b"D": "<d", b"L": "<q"}
ARRAYS = {b"f": "<f4", b"d": "<f8", b"i": "<i4", b"l": "<i8"}


@dataclass
class Read:
    """A record read back."""

    name: str
    values: list[Any]
    inside: list[Read] = field(default_factory=list)

    def all(self, name: str) -> list[Read]:
        """Records of that name directly in this one."""
        return [r for r in self.inside if r.name == name]

    def settings(self) -> dict[str, list[Any]]:
        """The property table by name."""
        return {str(p.values[0]): p.values[4:] for t in self.all("Properties70") for p in t.inside}


def value_at(data: bytes, at: int) -> tuple[Any, int]:
    kind = data[at : at + 1]
    if kind in SCALARS:
        size = struct.calcsize(SCALARS[kind])
        return struct.unpack_from(SCALARS[kind], data, at + 1)[0], at + 1 + size
    if kind in (b"S", b"R"):
        size = struct.unpack_from("<I", data, at + 1)[0]
        raw = data[at + 5 : at + 5 + size]
        return (raw.decode() if kind == b"S" else raw), at + 5 + size
    count, packed, size = struct.unpack_from("<III", data, at + 1)
    raw = data[at + 13 : at + 13 + size]
    out = np.frombuffer(zlib.decompress(raw) if packed else raw, ARRAYS[kind])
    assert len(out) == count
    return out, at + 13 + size


def record_at(data: bytes, at: int) -> tuple[Read | None, int]:
    end, count, size, length = struct.unpack_from("<IIIB", data, at)
    if not end:
        return None, at + 13
    name = data[at + 13 : at + 13 + length].decode()
    place, values = at + 13 + length, []
    first = place
    for _ in range(count):
        value, place = value_at(data, place)
        values.append(value)
    assert place - first == size, name
    out = Read(name, values)
    while place < end:
        child, place = record_at(data, place)
        if child is not None:
            out.inside.append(child)
    assert place == end, name
    return out, end


def parsed(data: bytes) -> Read:
    """A whole file, every offset and length checked on the way, the footer too."""
    assert data.startswith(MAGIC) and struct.unpack_from("<I", data, 23)[0] == 7400
    out, at = Read("", []), 27
    while True:
        record, at = record_at(data, at)
        if record is None:
            break
        out.inside.append(record)
    assert data.endswith(END) and (len(data) - 16 - 120 - 4) % 16 == 0
    assert struct.unpack_from("<I", data, len(data) - 140)[0] == 7400 and data[-136:-16] == b"\0" * 120
    return out


def written(scene: Scene, **paths: str) -> Read:
    """The records of a scene."""
    parts = get_format("fbx").write(scene, WriteOptions("out", {int(k[1:]): v for k, v in paths.items()}))[
        ".fbx"
    ]  # type: ignore[misc]
    return parsed(b"".join(bytes(p) for p in parts))


def test_properties_are_written_by_their_kind() -> None:
    assert (
        property_bytes(True) == b"C\x01"
        and property_bytes(7) == b"I\x07\0\0\0"
        and property_bytes(Long(7))[:1] == b"L"
    )
    assert (
        property_bytes("ab") == b"S\x02\0\0\0ab"
        and property_bytes(b"x")[:1] == b"R"
        and property_bytes(1.5)[:1] == b"D"
    )
    long = np.arange(1000, dtype="<i4")
    back, end = value_at(property_bytes(long), 0)
    assert np.array_equal(back, long) and end < 4000, "long arrays are packed"
    with pytest.raises(TypeError):
        property_bytes(None)
    whole = b"".join(document_bytes([Record("Empty"), Record("One", [1], [Record("Two", ["x"])])]))
    tree = parsed(whole)
    assert [r.name for r in tree.inside] == ["Empty", "One"] and tree.inside[1].inside[0].values == ["x"]


def test_the_document_says_what_it_holds_and_everything_is_connected() -> None:
    tree = written(stork.scene())
    names = [r.name for r in tree.inside]
    assert names == ["FBXHeaderExtension", "FileId", "CreationTime", "Creator", "GlobalSettings", "Documents", "References",
                     "Definitions", "Objects", "Connections", "Takes"]  # fmt: skip
    objects, links = tree.all("Objects")[0].inside, tree.all("Connections")[0].inside
    ids = {r.values[0] for r in objects}
    assert len(ids) == len(objects), "numbers are unique"
    assert all(link.values[1] in ids and link.values[2] in {*ids, 0} for link in links)
    said = {r.values[0]: r.all("Count")[0].values[0] for r in tree.all("Definitions")[0].all("ObjectType")}
    for kind in {r.name for r in objects}:
        assert said[kind] == sum(r.name == kind for r in objects), kind
    limbs = [r for r in objects if r.name == "Model" and r.values[2] == "LimbNode"]
    clusters = [r for r in objects if r.name == "Deformer" and r.values[2] == "Cluster"]
    assert len(limbs) == 25 and len(clusters) == 25 * 14
    pose = next(r for r in objects if r.name == "Pose")
    assert pose.all("NbPoseNodes")[0].values[0] == len(pose.all("PoseNode")) == 25 + 14


def test_a_cluster_keeps_the_inverse_bind_matrix_and_every_weight() -> None:
    scene = bar()
    tree = written(scene)
    clusters = [r for r in tree.all("Objects")[0].inside if r.name == "Deformer" and r.values[2] == "Cluster"]
    total = np.zeros(4)
    for k, c in enumerate(clusters):
        transform = np.asarray(c.all("Transform")[0].values[0]).reshape(4, 4).T
        link = np.asarray(c.all("TransformLink")[0].values[0]).reshape(4, 4).T
        assert np.abs(transform - scene.skins[0].inverse_bind[k]).max() < 1e-12
        assert np.abs(link @ transform - np.eye(4)).max() < 1e-12, "the mesh stands at the origin"
        total[k] = np.sum(c.all("Weights")[0].values[0]) if c.all("Weights") else 0
    points = (
        next(r for r in tree.all("Objects")[0].inside if r.name == "Geometry").all("Vertices")[0].values[0]
    )
    assert abs(total.sum() - len(points) / 3) < 1e-4, "every point's weights sum to one"


def test_points_are_shared_and_corners_keep_normals_and_uvs() -> None:
    scene = scene_of(cube())
    mesh = next(r for r in written(scene).all("Objects")[0].inside if r.name == "Geometry")
    assert len(mesh.all("Vertices")[0].values[0]) == 8 * 3
    corners = np.asarray(mesh.all("PolygonVertexIndex")[0].values[0])
    assert (
        len(corners) == 36
        and (corners[2::3] < 0).all()
        and (np.delete(corners, slice(2, None, 3)) >= 0).all()
    )
    normals = mesh.all("LayerElementNormal")
    if normals:
        assert len(normals[0].all("Normals")[0].values[0]) == 36 * 3
    layers = {e.all("Type")[0].values[0] for e in mesh.all("Layer")[0].all("LayerElement")}
    assert "LayerElementMaterial" in layers


def test_textures_apart_are_named_and_inside_are_whole() -> None:
    scene = gardener.scene()
    apart = written(scene, _0="textures/gardener_c.png")
    video = next(r for r in apart.all("Objects")[0].inside if r.name == "Video")
    assert video.all("RelativeFilename")[0].values == ["textures/gardener_c.png"] and not video.all("Content")
    inside = next(r for r in written(scene).all("Objects")[0].inside if r.name == "Video")
    assert inside.all("Content")[0].values[0][:4] == b"\x89PNG"
    linked = [
        c.values[3] for c in apart.all("Connections")[0].inside if c.values[0] == "OP" and len(c.values) > 3
    ]
    assert "DiffuseColor" in linked and set(PROPERTIES.values()) >= {"DiffuseColor", "NormalMap"}


@pytest.mark.parametrize("roughness", [0.1, 0.35, 0.6, 0.9])
def test_roughness_survives_as_an_exponent(roughness: float, tmp_path: Path) -> None:
    scene = gardener.scene()
    scene = replace(scene, materials=tuple(replace(m, roughness=roughness) for m in scene.materials))
    path = tmp_path / "g.fbx"
    path.write_bytes(b"".join(bytes(p) for p in get_format("fbx").write(scene, WriteOptions("g"))[".fbx"]))  # type: ignore[misc]
    assert take(path).scene.materials[0].roughness == pytest.approx(roughness, abs=1e-4)
    assert phong_exponent(1.0) == 0


def test_clips_are_stacks_with_times_in_ticks() -> None:
    tree = written(bar())
    objects = tree.all("Objects")[0].inside
    stack = next(r for r in objects if r.name == "AnimationStack")
    assert stack.values[1].split("\0")[0] == "bend" and stack.settings()["LocalStop"][0] == 46_186_158_000
    curves = [r for r in objects if r.name == "AnimationCurve"]
    assert len(curves) == 3
    times = np.asarray(curves[0].all("KeyTime")[0].values[0])
    assert times[0] == 0 and times[-1] == 46_186_158_000 and (np.diff(times) > 0).all()
    assert curves[0].all("KeyAttrRefCount")[0].values[0][0] == len(times)
    assert tree.all("GlobalSettings")[0].settings()["TimeMode"] == [6], "30 frames a second"


def test_what_fbx_cannot_say_is_refused_with_a_way_out() -> None:
    sheared = np.eye(4)
    sheared[0, 1] = 0.5
    scene = scene_of(cube())
    bad = replace(scene, nodes=(replace(scene.nodes[0], matrix=sheared), *scene.nodes[1:]))
    with pytest.raises(WriteError, match="is sheared") as problem:
        written(bad)
    assert "Flatten" in str(problem.value)
    p = scene.meshes[0].primitives[0]
    lines = replace(
        scene,
        meshes=(
            replace(
                scene.meshes[0], primitives=(replace(p, mode="lines", indices=frozen([0, 1], np.uint32)),)
            ),
        ),
    )
    for form in ("fbx", "dae"):
        with pytest.raises(WriteError, match="points or lines"):
            get_format(form).write(lines, WriteOptions("x"))  # type: ignore[misc]


def leaning(percent: float) -> Scene:
    """A cube with two morph targets, one of them on at rest."""
    p = cube(1.0)
    targets = tuple(
        MorphTarget(frozen(np.tile(way, (len(p.positions), 1)))) for way in ([0.0, 0.1, 0.0], [0.3, 0.0, 0.0])
    )
    scene = scene_of(replace(p, targets=targets))
    mesh = replace(scene.meshes[0], weights=frozen([0.0, percent / 100]), target_names=("rise", "lean"))
    return replace(scene, meshes=(mesh,))


@pytest.mark.parametrize("percent", [0.0, 30.0, 100.0, -25.0, 130.0])
def test_morph_weights_at_rest_are_read_by_ourselves(percent: float, tmp_path: Path) -> None:
    scene = leaning(percent)
    path = saved(scene, tmp_path / "lean.fbx")
    said = rest_percents(path.read_bytes())
    assert said == ({"node 0": {"lean": pytest.approx(percent, abs=1e-4)}} if percent else {})
    again = loaded(path)
    one, other = (np.concatenate(posed_scene_points(s)) for s in (scene, again))
    assert np.abs(np.sort(one, axis=0) - np.sort(other, axis=0)).max() < 1e-5


TEXT = """; FBX 7.4.0 project file
FBXHeaderExtension:  {
    FBXHeaderVersion: 1003
    FBXVersion: 7400
}
GlobalSettings:  {
    Version: 1000
    Properties70:  {
        P: "UpAxis", "int", "Integer", "",1
        P: "UpAxisSign", "int", "Integer", "",1
        P: "UnitScaleFactor", "double", "Number", "",100
    }
}
Objects:  {
    Geometry: 10, "Geometry::leaf", "Mesh" {
        Vertices: *9 {
            a: 0,0,0,1,0,0,0,1,0
        }
        PolygonVertexIndex: *3 {
            a: 0,1,-3
        }
    }
    Geometry: 50, "Geometry::curl", "Shape" {
        Indexes: *1 {
            a: 1
        }
        Vertices: *3 {
            a: 0,0,0.5
        }
    }
    Deformer: 41, "SubDeformer::rest", "BlendShapeChannel" {
        DeformPercent: 0
    }
    Model: 20, "Model::fern", "Mesh" {
        Version: 232
    }
    Deformer: 30, "Deformer::leaf", "BlendShape" {
        Version: 100
    }
    Deformer: 40, "SubDeformer::curl", "BlendShapeChannel" {
        Version: 100
        Properties70:  {
            P: "DeformPercent", "Number", "", "A",62.5
        }
        FullWeights: *1 {
            a: 100
        }
    }
}
Connections:  {
    C: "OO",20,0
    C: "OO",10,20
    C: "OO",41,30
    C: "OO",30,10
    C: "OO",40,30
    C: "OO",50,40
}
"""


def test_files_in_text_say_them_too(tmp_path: Path) -> None:
    assert rest_percents(TEXT.encode()) == {"fern": {"curl": 62.5}}
    (tmp_path / "fern.fbx").write_text(TEXT)
    assert loaded(tmp_path / "fern.fbx").nodes[0].weights == pytest.approx([0.625])
    assert rest_percents(TEXT.replace("62.5", "many").encode()) == {}
    assert rest_percents(TEXT.replace('C: "OO",30,10', "").encode()) == {}, (
        "a channel that hangs on no model moves nothing"
    )
    blank = "\n \t" * 200_000
    assert rest_percents((TEXT + blank).encode()) == {"fern": {"curl": 62.5}}, (
        "blank lines are walked through once"
    )
    assert rest_percents(
        TEXT.replace('P: "Def', 'P: "DeformPercent", ' + '"DeformPercent",' * 100_000 + '"Def').encode()
    ) == {"fern": {"curl": 62.5}}


@pytest.mark.parametrize("seed", range(40))
def test_damaged_bytes_say_nothing_and_break_nothing(seed: int, tmp_path: Path) -> None:
    data = bytearray(saved(leaning(30.0), tmp_path / "lean.fbx").read_bytes())
    rng = np.random.default_rng(seed)
    for at in rng.integers(23, len(data), 6):
        data[at] = rng.integers(256)
    found = rest_percents(bytes(data[: int(rng.integers(200, len(data)))]))
    assert isinstance(found, dict)

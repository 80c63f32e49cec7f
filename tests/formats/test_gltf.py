"""glTF in and out: every component type, sparse accessors, strides, buffers of all kinds, round trips, clear
refusals.
"""

from __future__ import annotations

import base64
import json
import struct
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.errors import CustomsError, LimitError, ReadError, UnsupportedError
from customs.formats.registry import WriteOptions, get_format
from customs.geometry.triangles import triangles_of
from customs.motion.posing.pose import posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.model import Image, Material, Sampler, Scene, TextureUse
from tests.assets import cube, key, letter_primitive, loaded, saved, scene_of

TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)


def document(
    buffer: bytes, accessors: list[dict[str, Any]], views: list[dict[str, Any]], **more: Any
) -> dict[str, Any]:
    """A glTF with one node, one mesh and an embedded buffer."""
    uri = "data:application/octet-stream;base64," + base64.b64encode(buffer).decode()
    return {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "buffers": [{"byteLength": len(buffer), "uri": uri}],
        "bufferViews": views,
        "accessors": accessors,
    } | more


def plain(**more: Any) -> dict[str, Any]:
    """A sound triangle."""
    data = TRIANGLE.tobytes()
    view = {"buffer": 0, "byteLength": len(data)}
    accessor = {
        "bufferView": 0,
        "componentType": 5126,
        "count": 3,
        "type": "VEC3",
        "min": [0, 0, 0],
        "max": [1, 1, 0],
    }
    return document(data, [accessor], [view], **more)


def read(doc: Any, tmp_path: Path) -> Scene:
    """A document through a file."""
    path = tmp_path / "thing.gltf"
    path.write_text(json.dumps(doc) if not isinstance(doc, str) else doc)
    return loaded(path)


@pytest.mark.parametrize(
    ("code", "dtype", "top"), [(5120, "i1", 127), (5121, "u1", 255), (5122, "i2", 32767), (5123, "u2", 65535)]
)
def test_normalized_integers_follow_the_specification(
    code: int, dtype: str, top: int, tmp_path: Path
) -> None:
    # glTF 2.0, 3.6.2.2: f = max(c / 127, −1) for signed, c / 255 for unsigned
    values = np.array([[0, top], [top // 3, 1], [top, top // 2]], dtype)
    padded = np.zeros((3, 4 if dtype[1] == "1" else 2), dtype)
    padded[:, :2] = values
    data = TRIANGLE.tobytes() + padded.tobytes()
    doc = plain()
    stride = padded.itemsize * padded.shape[1]
    doc |= document(data, doc["accessors"], [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": padded.nbytes, "byteStride": stride}])  # fmt: skip
    doc["accessors"] = [
        *plain()["accessors"],
        {"bufferView": 1, "componentType": code, "normalized": True, "count": 3, "type": "VEC2"},
    ]
    doc["meshes"][0]["primitives"][0]["attributes"]["TEXCOORD_0"] = 1
    got = read(doc, tmp_path).meshes[0].primitives[0].texcoords[0]
    assert np.allclose(got, values.astype(float) / top, atol=1e-6)


def test_signed_normalized_stops_at_minus_one(tmp_path: Path) -> None:
    data = TRIANGLE.tobytes() + np.array([[-128, 0, 0, 0], [127, 0, 0, 0], [0, 127, 0, 0]], np.int8).tobytes()
    doc = document(data, [
        plain()["accessors"][0],
        {"bufferView": 1, "componentType": 5120, "normalized": True, "count": 3, "type": "VEC3"},
    ], [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 12, "byteStride": 4}])  # fmt: skip
    doc["meshes"][0]["primitives"][0]["attributes"]["NORMAL"] = 1
    normals = read(doc, tmp_path).meshes[0].primitives[0].normals
    assert normals is not None and normals[0, 0] == -1.0


def test_quantized_positions_are_plain_numbers(tmp_path: Path) -> None:
    # KHR_mesh_quantization: integer positions without `normalized` count as they stand
    data = np.array([[0, 0, 0, 0], [100, 0, 0, 0], [0, -50, 0, 0]], np.int16).tobytes()
    doc = document(data, [{"bufferView": 0, "componentType": 5122, "count": 3, "type": "VEC3", "min": [0, -50, 0], "max": [100, 0, 0]}],
                   [{"buffer": 0, "byteLength": 24, "byteStride": 8}], extensionsUsed=["KHR_mesh_quantization"],
                   extensionsRequired=["KHR_mesh_quantization"])  # fmt: skip
    assert read(doc, tmp_path).meshes[0].primitives[0].positions.tolist() == [
        [0, 0, 0],
        [100, 0, 0],
        [0, -50, 0],
    ]


@pytest.mark.parametrize(("code", "dtype"), [(5121, "u1"), (5123, "u2"), (5125, "u4")])
def test_sparse_accessors(code: int, dtype: str, tmp_path: Path) -> None:
    index = np.array([1], dtype).tobytes().ljust(4, b"\0")
    value = np.array([[7, 8, 9]], np.float32).tobytes()
    data = TRIANGLE.tobytes() + index + value
    sparse = {"count": 1, "indices": {"bufferView": 1, "componentType": code}, "values": {"bufferView": 2}}
    accessor = plain()["accessors"][0] | {"sparse": sparse}
    views = [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 4}, {"buffer": 0, "byteOffset": 40, "byteLength": 12}]  # fmt: skip
    positions = read(document(data, [accessor], views), tmp_path).meshes[0].primitives[0].positions
    assert positions.tolist() == [[0, 0, 0], [7, 8, 9], [0, 1, 0]]


def test_a_sparse_accessor_without_a_view_starts_from_zero(tmp_path: Path) -> None:
    data = np.array([2], np.uint32).tobytes() + np.array([[1, 2, 3]], np.float32).tobytes()
    sparse = {"count": 1, "indices": {"bufferView": 0, "componentType": 5125}, "values": {"bufferView": 1}}
    doc = document(data, [{"componentType": 5126, "count": 3, "type": "VEC3", "sparse": sparse}],
                   [{"buffer": 0, "byteLength": 4}, {"buffer": 0, "byteOffset": 4, "byteLength": 12}])  # fmt: skip
    assert read(doc, tmp_path).meshes[0].primitives[0].positions.tolist() == [[0, 0, 0], [0, 0, 0], [1, 2, 3]]


def test_interleaved_views_are_read_with_their_stride(tmp_path: Path) -> None:
    mixed = np.zeros(3, [("p", "<f4", 3), ("uv", "<f4", 2)])
    mixed["p"], mixed["uv"] = TRIANGLE, [[0, 1], [1, 1], [0, 0]]
    accessors = [
        plain()["accessors"][0],
        {"bufferView": 0, "byteOffset": 12, "componentType": 5126, "count": 3, "type": "VEC2"},
    ]
    doc = document(mixed.tobytes(), accessors, [{"buffer": 0, "byteLength": 60, "byteStride": 20}])
    doc["meshes"][0]["primitives"][0]["attributes"]["TEXCOORD_0"] = 1
    prim = read(doc, tmp_path).meshes[0].primitives[0]
    assert (prim.positions == TRIANGLE).all() and prim.texcoords[0].tolist() == [[0, 1], [1, 1], [0, 0]]


def test_external_embedded_and_glb_buffers_give_the_same(tmp_path: Path) -> None:
    doc = plain()
    embedded = read(doc, tmp_path).meshes[0].primitives[0].positions
    (tmp_path / "a b.bin").write_bytes(TRIANGLE.tobytes())
    doc["buffers"][0]["uri"] = "a%20b.bin"
    external = read(doc, tmp_path).meshes[0].primitives[0].positions
    del doc["buffers"][0]["uri"]
    path = tmp_path / "thing.glb"
    path.write_bytes(glb(doc, TRIANGLE.tobytes()))
    inside = loaded(path).meshes[0].primitives[0].positions
    assert (embedded == external).all() and (embedded == inside).all()


def glb(doc: dict[str, Any], data: bytes) -> bytes:
    """A GLB around a document and its binary chunk."""
    text = json.dumps(doc).encode()
    text += b" " * (-len(text) % 4)
    data += b"\0" * (-len(data) % 4)
    body = struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(data), b"BIN\0") + data
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def broken(change: Callable[[dict[str, Any]], object]) -> dict[str, Any]:
    """The sound triangle with one thing wrong."""
    doc = plain()
    change(doc)
    return doc


BAD = {
    "index out of range": lambda d: d["meshes"][0]["primitives"][0].update(indices=0),
    "accessor number": lambda d: d["meshes"][0]["primitives"][0]["attributes"].update(POSITION=9),
    "count too large": lambda d: d["accessors"][0].update(count=4),
    "count of millions": lambda d: d["accessors"][0].update(count=10**12),
    "count negative": lambda d: d["accessors"][0].update(count=-1),
    "count as text": lambda d: d["accessors"][0].update(count="three"),
    "offset past the end": lambda d: d["accessors"][0].update(byteOffset=24),
    "offset unaligned": lambda d: d["accessors"][0].update(byteOffset=1),
    "view past the end": lambda d: d["bufferViews"][0].update(byteLength=99),
    "view of no buffer": lambda d: d["bufferViews"][0].update(buffer=3),
    "stride too small": lambda d: d["bufferViews"][0].update(byteStride=4),
    "buffer of gigabytes": lambda d: d["buffers"][0].update(byteLength=4_000_000_000),
    "unknown component": lambda d: d["accessors"][0].update(componentType=5124),
    "unknown type": lambda d: d["accessors"][0].update(type="VEC7"),
    "positions of two": lambda d: d["accessors"][0].update(type="VEC2"),
    "cyclic nodes": lambda d: d.update(nodes=[{"mesh": 0, "children": [1]}, {"children": [0]}]),
    "own child": lambda d: d.update(nodes=[{"mesh": 0, "children": [0]}]),
    "two parents": lambda d: d.update(nodes=[{"children": [1, 2]}, {"children": [2]}, {"mesh": 0}]),
    "no positions": lambda d: d["meshes"][0]["primitives"][0].update(attributes={}),
    "no primitives": lambda d: d["meshes"][0].update(primitives=[]),
    "mode nine": lambda d: d["meshes"][0]["primitives"][0].update(mode=9),
    "material that is not": lambda d: d["meshes"][0]["primitives"][0].update(material=0),
    "nodes as text": lambda d: d.update(nodes="none"),
    "scale not finite": lambda d: d["nodes"][0].update(scale=[1, 1, float("inf")]),
    "rotation of zeros": lambda d: d["nodes"][0].update(rotation=[0, 0, 0, 0]),
    "matrix of nine": lambda d: d["nodes"][0].update(matrix=[1] * 9),
    "uri out of the folder": lambda d: d["buffers"][0].update(uri="../../../../../../etc/hostname"),
    "uri that is not there": lambda d: d["buffers"][0].update(uri="gone.bin"),
    "data uri without data": lambda d: d["buffers"][0].update(uri="data:application/octet-stream;base64"),
    "no version": lambda d: d.update(asset={}),
    "version one": lambda d: d.update(asset={"version": "1.0"}),
    "required extension": lambda d: d.update(extensionsRequired=["EXT_made_up_by_nobody"]),
    "alpha mode": lambda d: d.update(materials=[{"alphaMode": "SOMETIMES"}]),
    "metallic of two": lambda d: d.update(materials=[{"pbrMetallicRoughness": {"metallicFactor": 2}}]),
    "texture that is not": lambda d: d.update(materials=[{"normalTexture": {"index": 0}}]),
    "extensions as list": lambda d: d["meshes"][0]["primitives"][0].update(extensions=[]),
    "skin without joints": lambda d: d.update(skins=[{"joints": []}]),
    "camera of no type": lambda d: d.update(cameras=[{"type": "pinhole"}]),
    "too deep": lambda d: d.update(
        nodes=[{"mesh": 0}] + [{"children": [i]} for i in range(800)], scenes=[{"nodes": [800]}]
    ),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_give_one_clear_error(name: str, tmp_path: Path) -> None:
    with pytest.raises(CustomsError) as problem:
        read(broken(BAD[name]), tmp_path)
    text = str(problem.value)
    assert "thing.gltf" in text and problem.value.found
    assert problem.value.expected or problem.value.todo, text


@pytest.mark.parametrize(
    "text", ["", "{", "[]", "nul", '{"asset": ' + "[" * 3000, '{"asset":{"version":"2.0"},"nodes":1}']
)
def test_json_that_is_none(text: str, tmp_path: Path) -> None:
    with pytest.raises(CustomsError):
        read(text, tmp_path)


def test_zeros_without_data_are_limited(tmp_path: Path) -> None:
    doc = document(b"\0" * 4, [{"componentType": 5126, "count": 50_000_000, "type": "MAT4"}], [])
    with pytest.raises(LimitError, match="zeros"):
        read(doc, tmp_path)


def test_one_view_cannot_be_unpacked_without_end(tmp_path: Path) -> None:
    data = np.zeros(3_000_000, np.uint8).tobytes()
    accessor = {"bufferView": 0, "componentType": 5121, "count": 1_000_000, "type": "VEC3"}
    doc = document(
        data,
        [accessor] * 400,
        [{"buffer": 0, "byteLength": len(data)}],
        extensionsUsed=["KHR_mesh_quantization"],
    )
    doc["meshes"][0]["primitives"] = [{"attributes": {"POSITION": i}} for i in range(400)]
    with pytest.raises(LimitError):
        read(doc, tmp_path)


def sound_glb(tmp_path: Path) -> bytes:
    return saved(scene_of(cube()), tmp_path / "cube.glb").read_bytes()


@pytest.mark.parametrize("share", [0.0, 0.001, 0.01, 0.3, 0.6, 0.95, 0.999])
def test_cut_off_glb(share: float, tmp_path: Path) -> None:
    data = sound_glb(tmp_path)
    path = tmp_path / "cut.glb"
    path.write_bytes(data[: int(len(data) * share)])
    with pytest.raises(CustomsError):
        loaded(path)


def test_glb_of_version_one_and_wrong_magic(tmp_path: Path) -> None:
    data = sound_glb(tmp_path)
    path = tmp_path / "old.glb"
    path.write_bytes(data[:4] + struct.pack("<I", 1) + data[8:])
    with pytest.raises(UnsupportedError, match="version 1"):
        loaded(path)
    path.write_bytes(b"what" + data[4:])
    with pytest.raises(ReadError):
        loaded(path)


def test_unknown_things_are_kept_and_said(tmp_path: Path) -> None:
    doc = plain(extensionsUsed=["MADE_up"])
    doc["nodes"][0] |= {"extensions": {"MADE_up": {"a": 1}}, "extras": {"mine": 2}, "novelty": True}
    scene = read(doc, tmp_path)
    kept = scene.nodes[0].extras
    assert kept["mine"] == 2 and kept["kept"] == {"novelty": True, "extensions": {"MADE_up": {"a": 1}}}
    assert "MADE_up" in scene.unknown and "property novelty" in scene.unknown
    again = loaded(saved(scene, tmp_path / "again.glb"))
    assert again.nodes[0].extras["kept"] == kept["kept"]


def test_cut_off_last_triangle_is_left_out_with_a_remark(tmp_path: Path) -> None:
    data = np.concatenate([TRIANGLE, TRIANGLE[:1]]).tobytes()
    accessor = plain()["accessors"][0] | {"count": 4}
    scene = read(document(data, [accessor], [{"buffer": 0, "byteLength": len(data)}]), tmp_path)
    assert len(triangles_of(scene.meshes[0].primitives[0])) == 1
    assert any("left out" in r.text for r in scene.remarks)


def test_everything_round_trips(letter: Scene, tmp_path: Path) -> None:
    again = loaded(saved(letter, tmp_path / "f.glb"))
    for clip_a, clip_b, t in [
        (None, None, 0.0),
        *((letter.clips[0], again.clips[0], t) for t in (0.0, 0.35, 0.8)),
    ]:
        for a, b in zip(posed_scene_points(letter, clip_a, t), posed_scene_points(again, clip_b, t)):
            assert np.abs(a - b).max() < 1e-5
    assert [n.name for n in again.nodes] == [n.name for n in letter.nodes]
    assert again.meshes[0].target_names == ("lean",)
    assert [c.interpolation for c in again.clips[0].channels] == [
        c.interpolation for c in letter.clips[0].channels
    ]
    assert again.lights[0].kind == "spot" and again.lights[0].range == 4.0 and again.cameras[0].zfar == 50.0
    assert again.skins[0].root is not None


def test_json_and_glb_say_the_same(letter: Scene, tmp_path: Path) -> None:
    a, b = loaded(saved(letter, tmp_path / "f.glb")), loaded(saved(letter, tmp_path / "f.gltf"))
    assert (tmp_path / "f.bin").is_file()
    for p, q in zip(posed_scene_points(a), posed_scene_points(b)):
        assert (p == q).all()


def textured(tmp_path: Path) -> Scene:
    """A cube whose material uses everything a material can."""
    from customs.demo.build import image
    from customs.demo.textures import brass

    colour, packed = brass(16, 1)
    images = (image("x", 0, "colour", colour), image("x", 1, "packed", packed, "jpeg"))
    use = TextureUse(0, 0, Sampler(9729, 9987, 33071, 33648), 1.0, (0.25, 0.5), 0.3, (2.0, 3.0))
    material = Material(
        key("material", 0), "brass", base_colour=(1, 0.5, 0.25, 0.75), metallic=0.5, roughness=0.25,
        emissive=(1.0, 0.5, 0.0), emissive_strength=4.0, alpha_mode="mask", alpha_cutoff=0.25, double_sided=True,
        textures={"base_colour": use, "metallic_roughness": TextureUse(1), "normal": TextureUse(0, strength=0.5),
                  "occlusion": TextureUse(1, strength=0.75), "emissive": TextureUse(0)},
    )  # fmt: skip
    glossy = Material(key("material", 1), "old", model="specular_glossiness", diffuse=(0.5, 0.5, 0.5, 1), glossiness=0.25,
                      specular=(0.1, 0.2, 0.3), textures={"diffuse": TextureUse(0), "specular_glossiness": TextureUse(1)})  # fmt: skip
    flat = Material(key("material", 2), "flat", model="unlit", textures={"base_colour": TextureUse(0)})
    base = letter_primitive(0)
    prims = (base, replace(base, key=key("primitive", 1), material=1, variants=((0, (0,)), (2, (1,)))),
             replace(base, key=key("primitive", 2), material=2))  # fmt: skip
    return scene_of(*prims, materials=(material, glossy, flat), images=images, variants=("plain", "rare"))


def test_materials_round_trip(tmp_path: Path) -> None:
    scene = textured(tmp_path)
    for ending in ("glb", "gltf"):
        again = loaded(saved(scene, tmp_path / f"m.{ending}"))
        for a, b in zip(scene.materials, again.materials):
            for name in ("model", "base_colour", "metallic", "roughness", "emissive", "emissive_strength", "alpha_mode",
                         "alpha_cutoff", "double_sided", "diffuse", "specular", "glossiness"):  # fmt: skip
                assert getattr(a, name) == pytest.approx(getattr(b, name)), name
            assert set(a.textures) == set(b.textures)
        use = again.materials[0].textures["base_colour"]
        assert (use.offset, use.scale, use.sampler) == (
            (0.25, 0.5),
            (2.0, 3.0),
            Sampler(9729, 9987, 33071, 33648),
        )
        assert use.rotation == pytest.approx(0.3)
        assert again.variants == ("plain", "rare") and again.meshes[1].primitives[0].variants == (
            (0, (0,)),
            (2, (1,)),
        )


def test_an_unreadable_texture_is_noted_and_the_rest_read(tmp_path: Path) -> None:
    doc = plain(images=[{"uri": "broken.png"}, {"uri": "gone.png"}], textures=[{"source": 0}, {"source": 1}],
                materials=[{"normalTexture": {"index": 0}, "occlusionTexture": {"index": 1}}])  # fmt: skip
    (tmp_path / "broken.png").write_bytes(b"\x89PNG\r\n\x1a\nnot really")
    scene = read(doc, tmp_path)
    assert "image" in scene.images[0].problem and "not there" in scene.images[1].problem


def test_missing_texture_survives_a_round_trip_as_missing(tmp_path: Path) -> None:
    lost = Image(key("image", 0), "lost", uri="lost.png", problem="lost.png is not there")
    material = Material(key("material", 0), "m", textures={"base_colour": TextureUse(0)})
    scene = scene_of(letter_primitive(0), materials=(material,), images=(lost,))
    again = loaded(saved(scene, tmp_path / "lost.gltf"))
    assert again.images[0].content is None and again.images[0].uri == "lost.png"


def test_large_meshes_get_wide_indices_and_small_ones_narrow(tmp_path: Path) -> None:
    for count, code in ((65535, 5123), (65538, 5125)):
        points = np.random.default_rng(1).random((count, 3)).astype(np.float32)
        prim = replace(
            cube(), positions=frozen(points), normals=None, indices=frozen(np.arange(count), np.uint32)
        )
        parts = get_format("glb").write(scene_of(prim), WriteOptions("x"))[".glb"]  # type: ignore[misc]
        body = json.loads(bytes(parts[2]))
        assert body["accessors"][body["meshes"][0]["primitives"][0]["indices"]]["componentType"] == code

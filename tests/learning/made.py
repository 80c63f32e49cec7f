"""Packages written by code that shares nothing with our writers: numpy and Pillow alone, by rules drawn at random."""

from __future__ import annotations

import json
import random
import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

NAMES = ("kettle", "trellis", "lantern_post", "snail", "rain_gauge", "bell_jar", "trowel")


@dataclass(frozen=True)
class Rules:
    """What a made-up destination asks."""

    format: str
    up: str
    apart: bool
    folder: str
    prefix: str
    role: bool
    power: bool
    normals: bool
    capitals: bool
    centred: bool
    colours: bool
    picture: tuple[int, int] | None

    @classmethod
    def drawn(cls, seed: int) -> Rules:
        """Rules by chance; glTF keeps its own axes (Khronos glTF 2.0, 3.4)."""
        r = random.Random(seed)
        form = r.choice(["glb", "obj"])
        return cls(
            form, "+Y" if form == "glb" else r.choice(["+Y", "+Z"]), form == "obj" or r.random() < 0.5, r.choice(["", "tex/", "images/maps/"]),
            r.choice(["", "m_", "mat_"]), r.random() < 0.5, r.random() < 0.5, r.random() < 0.7, r.random() < 0.4, r.random() < 0.7,
            form == "glb" and r.random() < 0.5, r.choice([None, (64, 64), (120, 90)]),
        )  # fmt: skip


def box(size: np.ndarray, rules: Rules) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """(corners (24, 3), normals (24, 3), UV (24, 2), faces (12, 3)) of a box on the ground, outside by the right-hand rule."""
    points, normals, faces = [], [], []
    for axis in range(3):
        for sign in (-1.0, 1.0):
            u, v = (axis + 1) % 3, (axis + 2) % 3
            ring = np.zeros((4, 3))
            ring[:, axis] = sign
            ring[:, u] = np.array([-1, 1, 1, -1]) * sign
            ring[:, v] = [-1, -1, 1, 1]
            start = 4 * len(normals) // 4
            faces += [[start, start + 1, start + 2], [start, start + 2, start + 3]]
            points.append(ring)
            n = np.zeros((4, 3))
            n[:, axis] = sign
            normals += list(n)
    where = np.concatenate(points) * size / 2
    up = 1 if rules.up == "+Y" else 2
    where[:, up] += size[up] / 2
    if not rules.centred:
        where += size * np.array([0.7, 0.3, 0.4])
    uv = np.tile(np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float), (6, 1))
    return where.astype("<f4"), np.array(normals, "<f4"), uv.astype("<f4"), np.array(faces, "<u2")


def written(folder: Path, rules: Rules, count: int, seed: int) -> list[Path]:
    """Packages by the rules."""
    r, out = random.Random(seed), []
    for name in NAMES[:count]:
        own = "".join(p.capitalize() for p in name.split("_")) if rules.capitals else name
        place = folder / own
        (place / rules.folder).mkdir(parents=True, exist_ok=True)
        textures = [
            (f"{own}_{k}" if not rules.role else f"{own}_{end}") for k, end in (("1", "col"), ("2", "nrm"))
        ]
        edges = [r.choice([64, 128, 256]) if rules.power else r.choice([60, 100, 130]) for _ in textures]
        for stem, edge in zip(textures, edges):
            target = place / rules.folder if rules.apart else place
            Image.new("RGB", (edge, edge), (128, 128, 255)).save(target / f"{stem}.png")
        size = np.array([r.uniform(0.4, 2), r.uniform(0.5, 2), r.uniform(0.4, 2)])
        (_glb if rules.format == "glb" else _obj)(place, own, rules, textures, box(size, rules), r)
        if not rules.apart:
            for stem in textures:
                (place / f"{stem}.png").unlink()
        if rules.picture:
            Image.new("RGBA", rules.picture, (9, 9, 9, 40)).save(place / f"{own}_badge.png")
        out.append(place)
    return out


def _obj(
    place: Path, name: str, rules: Rules, textures: list[str], shape: tuple[np.ndarray, ...], r: random.Random
) -> None:
    """As Wavefront's specification of 1995 has it."""
    points, normals, uv, faces = shape
    material = f"{rules.prefix}{r.choice(['brass', 'oak', 'glass'])}_{name.lower()[:3]}"
    lines = [f"mtllib {name}.mtl", f"o {name}"]
    lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in points] + [f"vt {u:.6f} {v:.6f}" for u, v in uv]
    lines += [f"vn {x:.6f} {y:.6f} {z:.6f}" for x, y, z in normals] if rules.normals else []
    lines.append(f"usemtl {material}")
    form = "{0}/{0}/{0}" if rules.normals else "{0}/{0}"
    lines += ["f " + " ".join(form.format(i + 1) for i in face) for face in faces]
    (place / f"{name}.obj").write_text("\n".join(lines) + "\n")
    (place / f"{name}.mtl").write_text(
        f"newmtl {material}\nKd 1 1 1\nmap_Kd {rules.folder}{textures[0]}.png\nnorm {rules.folder}{textures[1]}.png\n"
    )


def _glb(
    place: Path, name: str, rules: Rules, textures: list[str], shape: tuple[np.ndarray, ...], r: random.Random
) -> None:
    """As the Khronos glTF 2.0 specification has it, sections 3 and 4.4."""
    points, normals, uv, faces = shape
    body, views, accessors = bytearray(), [], []

    def view(data: bytes) -> int:
        views.append({"buffer": 0, "byteOffset": len(body), "byteLength": len(data)})
        body.extend(data + b"\0" * (-len(data) % 4))
        return len(views) - 1

    def accessor(values: np.ndarray, kind: str, component: int, **more: object) -> int:
        accessors.append(
            {
                "bufferView": view(values.tobytes()),
                "componentType": component,
                "count": len(values),
                "type": kind,
                **more,
            }
        )
        return len(accessors) - 1

    attributes = {
        "POSITION": accessor(points, "VEC3", 5126, min=points.min(0).tolist(), max=points.max(0).tolist()),
        "TEXCOORD_0": accessor(uv, "VEC2", 5126),
    }
    if rules.normals:
        attributes["NORMAL"] = accessor(normals, "VEC3", 5126)
    if rules.colours:
        attributes["COLOR_0"] = accessor(np.full((len(points), 3), 0.5, "<f4"), "VEC3", 5126)
    indices = accessor(faces.reshape(-1), "SCALAR", 5123)
    images = [
        {"uri": f"{rules.folder}{t}.png"} if rules.apart else {"bufferView": view((place / f"{t}.png").read_bytes()), "mimeType": "image/png", "name": t}
        for t in textures
    ]  # fmt: skip
    material = f"{rules.prefix}{r.choice(['brass', 'oak', 'glass'])}_{name.lower()[:3]}"
    table = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0, "name": name}],
        "meshes": [{"name": name, "primitives": [{"attributes": attributes, "indices": indices, "material": 0}]}],
        "materials": [{"name": material, "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}, "normalTexture": {"index": 1}}],
        "textures": [{"source": 0}, {"source": 1}], "images": images, "accessors": accessors, "bufferViews": views, "buffers": [{"byteLength": len(body)}],
    }  # fmt: skip
    text = json.dumps(table).encode()
    text += b" " * (-len(text) % 4)
    head = struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(body))
    data = (
        head
        + struct.pack("<I4s", len(text), b"JSON")
        + text
        + struct.pack("<I4s", len(body), b"BIN\0")
        + bytes(body)
    )
    (place / f"{name}.glb").write_bytes(data)

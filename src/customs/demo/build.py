"""From shapes to scenes."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.demo.shapes import Shape
from customs.demo.textures import encoded
from customs.geometry.normals import corner_normals
from customs.geometry.weld import unique_rows
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Image, Material, Mesh, Primitive, Sampler, Scene, TextureUse

MADE_BY = "Verdigris Glasshouse workshop"


def digest_of(name: str) -> str:
    """A stable stand-in for a file digest."""
    return hashlib.sha256(name.encode()).hexdigest()[:12]


def image(asset: str, number: int, name: str, pixels: npt.NDArray[Any], form: str = "png") -> Image:
    """An image with its encoded bytes."""
    ending = {"jpeg": "jpg"}.get(form, form)
    content = Encoded(encoded(pixels, form), f"image/{form}")
    return Image(Key(digest_of(asset), "image", number), name, content, uri=f"{name}.{ending}")


def material(asset: str, number: int, name: str, textures: Mapping[str, int], **values: Any) -> Material:
    """A material; `textures` gives an image index a slot."""
    sampler = Sampler(9729, 9987)
    uses = {slot: TextureUse(i, sampler=sampler) for slot, i in textures.items()}
    return Material(Key(digest_of(asset), "material", number), name, textures=uses, **values)


def primitive(asset: str, number: int, shape: Shape, material_: int | None, angle: float = 40.0) -> Primitive:
    """A smooth-shaded, indexed primitive of a shape."""
    points, faces = frozen(shape.points), frozen(shape.faces, np.uint32)
    corners = corner_normals(points, faces, angle).reshape(-1, 3)
    flat = faces.reshape(-1)
    uvs = frozen(shape.uvs)[flat]
    first, inverse = unique_rows([points[flat], uvs, np.round(corners * 500).astype(np.int32)])
    return Primitive(
        key=Key(digest_of(asset), "primitive", number),
        positions=frozen(points[flat][first]),
        indices=frozen(inverse, np.uint32),
        normals=frozen(corners[first]),
        texcoords=(frozen(uvs[first]),),
        material=material_,
    )


def mesh(asset: str, number: int, name: str, parts: Sequence[Primitive]) -> Mesh:
    """A mesh of some primitives."""
    return Mesh(Key(digest_of(asset), "mesh", number), name, tuple(parts))


def signed(scene: Scene) -> Scene:
    """With the maker's name and terms on it."""
    return replace(scene, copyright=f"{MADE_BY}, free to use with this program", generator=MADE_BY)

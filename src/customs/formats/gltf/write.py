"""Writing glTF 2.0 and GLB."""

from __future__ import annotations

import json
from typing import Any
from urllib.parse import quote

from customs.errors import WriteError
from customs.formats.gltf.buffers import CHUNK, HEADER, MAGIC
from customs.formats.gltf.form import QUANTISED, GltfForm
from customs.formats.gltf.pack import Packer
from customs.formats.gltf.person import add_person
from customs.formats.gltf.springs import SPRINGS, springs_json
from customs.formats.gltf.squeeze import DRACO, MESHOPT
from customs.formats.gltf.strangers import put_back
from customs.formats.gltf.vrm import NEW, avatar_json
from customs.formats.gltf.write_nodes import node_list, rows_below
from customs.formats.gltf.write_parts import (
    Textures,
    camera_json,
    clip_json,
    extras_of,
    light_json,
    material_json,
    mesh_json,
    places_of,
    skin_json,
)
from customs.formats.gltf.xmp import XMP, xmp_json
from customs.formats.image_write import deliveries, encode
from customs.formats.registry import Parts, WriteOptions
from customs.scene.model import GLTF_SLOTS, Image, Scene
from customs.scene.prune import prune
from customs.surface.files.base import SUPERCOMPRESSED, texture_format
from customs.surface.pixels import content_info

GENERATOR = "Customs"
FORMS = ("png", "jpeg", "webp")
"""File formats of textures glTF has a place for; of WebP by its extension."""
BY_EXTENSION = {"webp": "EXT_texture_webp", "ktx2": "KHR_texture_basisu"}
NEEDED = frozenset({MESHOPT, DRACO, QUANTISED, *BY_EXTENSION.values()})
"""Extensions without which a file that uses them cannot be read."""


def _image(scene: Scene, index: int, options: WriteOptions, pack: Packer) -> dict[str, Any]:
    image = scene.images[index]
    how = deliveries(image, scene.wishes)[0]
    form = how.form
    if form not in FORMS and not _is_basis(image, form):
        raise WriteError(
            f"texture {image.name} is {form}", "PNG, JPEG or WebP in glTF", "Add Convert textures."
        )
    out: dict[str, Any] = {"name": image.name}
    if index in options.image_path:
        out["uri"] = quote(options.image_path[index])
    elif not image.there:
        out["uri"] = quote(image.uri or f"{image.name}.png")
    else:
        content = image.content if _is_basis(image, form) else None
        data = content.read() if content is not None else encode(image, how)
        out |= {"bufferView": pack.view(data), "mimeType": texture_format(form).mime}
    return out | extras_of(image.extras)


def _is_basis(image: Image, form: str) -> bool:
    """True for a KTX2 file of Basis Universal that goes out as it came: what its extension takes."""
    if form != "ktx2" or image.pixels is not None or image.content is None:
        return False
    return content_info(image.content).block in SUPERCOMPRESSED


def document(scene: Scene, options: WriteOptions) -> tuple[dict[str, Any], Packer]:
    """The glTF JSON of a scene and its packed arrays. Raises WriteError."""
    form = options.settings if isinstance(options.settings, GltfForm) else GltfForm()
    pack, used = Packer(form), set[str]()
    # Textures in roles glTF has no place for are left to files beside the model.
    standard = {u.image for m in scene.materials for r, u in m.textures.items() if r in GLTF_SLOTS}
    numbers = {old: new for new, old in enumerate(sorted(standard))}
    forms = {i: deliveries(scene.images[i], scene.wishes)[0].form for i in numbers}
    by = {i: BY_EXTENSION[form] for i, form in forms.items() if form in BY_EXTENSION}
    textures = Textures(numbers, by)
    out: dict[str, Any] = {"asset": {"version": "2.0", "generator": GENERATOR}}
    if scene.copyright:
        out["asset"]["copyright"] = scene.copyright
    roots = [*scene.roots, *rows_below(scene).get(-1, [])]
    top: dict[str, Any] = {"nodes": roots} if roots else {}
    out["scene"], out["scenes"] = 0, [{"name": scene.name, **top}]
    lists: dict[str, list[Any]] = {
        "nodes": node_list(scene, used),
        "meshes": [mesh_json(m, pack, used) for m in scene.meshes],
        "materials": [material_json(m, textures, used) for m in scene.materials],
        "textures": textures.textures,
        "samplers": textures.samplers,
        "images": [_image(scene, i, options, pack) for i in numbers],
        "skins": [skin_json(s, pack) for s in scene.skins],
        "animations": [
            a for c in scene.clips if (a := clip_json(c, pack, places_of(scene), used))["channels"]
        ],
        "cameras": [camera_json(c) for c in scene.cameras],
        "accessors": pack.accessors,
        "bufferViews": pack.views,
    }
    out |= {name: items for name, items in lists.items() if items}
    used.update(by.values())
    extensions: dict[str, Any] = {}
    if scene.lights:
        extensions["KHR_lights_punctual"] = {"lights": [light_json(x) for x in scene.lights]}
    if "KHR_materials_variants" in used:
        extensions["KHR_materials_variants"] = {"variants": [{"name": v} for v in scene.variants]}
    packet = xmp_json(scene.rights)
    if packet is not None:
        extensions[XMP] = {"packets": [packet]}
        out["asset"]["extensions"] = {XMP: {"packet": 0}}
    avatar = avatar_json(scene)
    if avatar is not None:
        extensions[NEW] = avatar
        add_person(scene, avatar, out["nodes"], used)
        if (springs := springs_json(scene)) is not None:
            extensions[SPRINGS] = springs
    if extensions:
        out["extensions"] = extensions
        used.update(extensions)
    if pack.plain:
        used.add(MESHOPT)
    out |= extras_of(scene.extras)
    put_back(out, scene, used)
    if used:
        out["extensionsUsed"] = sorted(used)
    if needed := sorted(used & NEEDED):
        out["extensionsRequired"] = needed
    return out, pack


def _json(document_: dict[str, Any]) -> bytes:
    return json.dumps(document_, separators=(",", ":"), ensure_ascii=False, allow_nan=False).encode("utf-8")


def write_glb(scene: Scene, options: WriteOptions) -> dict[str, Parts]:
    """`{".glb": buffers}`. Raises WriteError."""
    out, pack = document(prune(scene), options)
    if pack.size:
        out["buffers"] = pack.buffers()
    text = _json(out)
    text += b" " * (-len(text) % 4)
    total = HEADER.size + CHUNK.size + len(text) + (CHUNK.size + pack.size if pack.size else 0)
    if total >= 2**32:
        raise WriteError(f"{total:,} bytes", "under 4 GiB, the most a GLB can say", "Split the asset.")
    parts: Parts = [HEADER.pack(MAGIC, 2, total), CHUNK.pack(len(text), b"JSON"), text]
    if pack.size:
        parts += [CHUNK.pack(pack.size, b"BIN\0"), *pack.parts]
    return {".glb": parts}


def write_gltf(scene: Scene, options: WriteOptions) -> dict[str, Parts]:
    """`{".gltf": …, ".bin": …}`: JSON with its buffer in a file beside it. Raises WriteError."""
    out, pack = document(prune(scene), options)
    files: dict[str, Parts] = {}
    if pack.size:
        out["buffers"] = pack.buffers(quote(f"{options.stem}.bin"))
        files[".bin"] = pack.parts
    return {".gltf": [_json(out)], **files}

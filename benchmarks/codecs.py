"""Compressed geometry and textures unpacked, against their libraries alone: `python benchmarks/codecs.py [--write FILE]`."""

from __future__ import annotations

import argparse
import json
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import DracoPy
import meshopt
import opengl_basisu
from heap import took
from run import blob

from customs.aside.ask import keeper
from customs.demo.gulls import written
from customs.formats.gltf.buffers import load_buffer, open_document
from customs.formats.gltf.compressed import unpacked
from customs.formats.gltf.document import Obj
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Image
from customs.surface.pixels import image_pixels

VERTICES = 1_000_000
EMPTY = 70 << 20
"""Bytes of a child before it does anything: Python, numpy and the libraries (a Basis texture of 32 pixels: 67 MB)."""


def child_of(work: Callable[[], object]) -> int:
    """Bytes the child held at most that did some work."""
    answers: list[dict[str, Any]] = []
    ask = keeper.ask

    def asked(question: dict[str, Any]) -> dict[str, Any]:
        answers.append(ask(question))
        return answers[-1]

    keeper.ask = asked  # type: ignore[method-assign]
    work()
    keeper.ask = ask  # type: ignore[method-assign]
    return int(answers[-1]["peak"]) * 1024


def parts(path: Path) -> tuple[Source, Obj, list[memoryview], dict[str, Any], bytes]:
    """A GLB opened: its source, its document, its buffers, the same as plain JSON and bytes."""
    source = Source(path)
    raw, binary = open_document(source)
    root = Obj(raw, "", source)
    buffers = [load_buffer(o, i, binary, source) for i, o in enumerate(root.children("buffers"))]
    return source, root, buffers, json.loads(json.dumps(raw)), bytes(binary or b"")


def alone(body: dict[str, Any], data: bytes) -> int:
    """Everything compressed unpacked by the libraries alone; bytes that came of it."""
    size = 0
    for view in body["bufferViews"]:
        said = view.get("extensions", {}).get("EXT_meshopt_compression")
        if said is not None:
            packed = data[said["byteOffset"] : said["byteOffset"] + said["byteLength"]]
            size += meshopt.decode_gltf_buffer(packed, said["count"], said["byteStride"], said["mode"]).nbytes
    for mesh in body["meshes"]:
        for prim in mesh["primitives"]:
            said = prim.get("extensions", {}).get("KHR_draco_mesh_compression")
            if said is not None:
                view = body["bufferViews"][said["bufferView"]]
                found = DracoPy.decode(data[view["byteOffset"] : view["byteOffset"] + view["byteLength"]])
                size += found.faces.nbytes + sum(a["data"].nbytes for a in found.attributes)
    return size


def geometry(name: str, folder: Path, **form: Any) -> str:
    """A row of the table for one compression."""
    path = folder / f"{name}.glb"
    path.write_bytes(written(blob(VERTICES), **form))
    source, root, buffers, body, data = parts(path)
    read_scene(Source(path))
    library = took(lambda: alone(body, data))
    size = alone(body, data)
    ours = took(lambda: unpacked(root, buffers, source))
    held = child_of(lambda: unpacked(root, buffers, source))
    whole = took(lambda: read_scene(Source(path)))
    return (
        f"| {name}, {VERTICES:,} vertices, {path.stat().st_size / 1e6:.1f} MB → {size / 1e6:.0f} MB | {ours:.3f} s | {library:.3f} s "
        f"| {ours / library:.2f} | ≤ 1.5 | {held / size:.1f} (of that {EMPTY / size:.1f} before it begins) | {whole:.2f} s |"
    )


def texture(name: str, data: bytes) -> str:
    """A row of the table for one kind of Basis texture."""
    image_pixels(Image(Key("", "image", 0), "x", Encoded(data)))
    ours = took(lambda: image_pixels(Image(Key("", "image", 0), "x", Encoded(data))))
    library = took(lambda: opengl_basisu.open(data).transcode("rgba8", level=0))
    return f"| {name}, {len(data) / 1e6:.2f} MB | {ours:.3f} s | {library:.3f} s | {ours / library:.2f} | ≤ 1.5 | | |"


def main() -> None:
    """Print the table, and write it where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    parser.add_argument("--basis", type=Path, nargs="*", default=[], help="KTX2 files of Basis Universal")
    asked = parser.parse_args()
    out = [
        "# Codecs",
        "",
        "Made by `benchmarks/codecs.py`; ours is unpacking in a child with limits, copies and checks included.",
        "",
    ]
    out += [
        "| what | ours | the library alone | times | goal | most memory of the child, in decoded arrays | the whole file read |",
        "|---|---|---|---|---|---|---|",
    ]
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        out.append(geometry("meshopt", folder, compression="meshopt"))
        out.append(geometry("meshopt, quantised", folder, compression="meshopt", quantised=True))
        out.append(geometry("Draco", folder, compression="draco"))
    out += [texture(f"Basis, {p.stem}", p.read_bytes()) for p in asked.basis]
    text = "\n".join(out) + "\n"
    print(text)
    if asked.write:
        asked.write.write_text(text)


if __name__ == "__main__":
    main()

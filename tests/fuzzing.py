"""Mutated files into readers: nothing but errors of our own may come out, soon, and with little memory.

    scripts/fuzz READER N        goes on from where it stopped, up to N cases; `all` for every reader; no
    arguments: the table

A case is made from its number alone, so it can be made again: `python -m tests.fuzzing READER --case 123 >
file`.
"""

from __future__ import annotations

import argparse
import contextlib
import io
import json
import multiprocessing
import re
import resource
import shutil
import struct
import sys
import tempfile
import time
import traceback
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, field
from functools import cache
from importlib import resources
from pathlib import Path

import numpy as np
import PIL.Image

from customs.aside.ask import LEAST_SECONDS
from customs.errors import CustomsError
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.intake.heap import Heap
from customs.scene.content import Encoded
from customs.scene.model import Image
from customs.sheet.load import parse_sheet, sheet_texts
from customs.surface.files.base import Coding, texture_format
from customs.surface.pixels import image_pixels
from tests.assets import cube, key, lettered, saved, scene_of
from tests.formats.test_fbx import TEXT
from tests.formats.test_text_files import BVH
from tests.fuzzing_kept import KEPT, kept_seeds
from tests.intake.made import seven_of, tar_of, zip_of, zstd_of
from tests.surface.light import exr_of, hdr_of, rgbe_of

STATE = Path(__file__).parent.parent / "build" / "fuzz"
SLOW, LARGE = 4.0, 1 << 30
"""Seconds a case may take, and bytes it may add to the most its process ever held."""
THROUGH_A_CHILD = ("fbx", "dae", "draco", "meshopt", "basis", "exr")
"""A library reads these in a process with limits of its own: LEAST_SECONDS is what a small file may take
there.
"""
PACKED: dict[str, dict[str, object]] = {
    "draco": {"compression": "draco"}, "meshopt": {"compression": "meshopt", "quantised": True},
}  # fmt: skip
"""GLBs whose geometry is compressed, by the form that is asked of the writer."""
BASIS = tuple(resources.files("customs.demo") / "basis" / f"gull_{kind}.ktx2" for kind in ("etc1s", "uastc"))
"""Made by ktx2-encoder 0.6.0 (npm) of 32 × 32 pixels."""
ARCHIVES = ("zip", "tar", "gz", "xz", "zst", "7z")
MADE: dict[str, Callable[[Path, Mapping[str, bytes]], Path]] = {
    "zip": zip_of, "tar": tar_of, "zst": zstd_of, "7z": seven_of,
    "gz": lambda path, files: tar_of(path, files, "w:gz"), "xz": lambda path, files: tar_of(path, files, "w:xz"),
}  # fmt: skip
BATCH = 500
NUMBERS = (0, 1, -1, 255, 256, 65535, 2**31 - 1, 2**31, 2**32 - 1, 2**63 - 1, 10**30)
VALUES = (*NUMBERS, 0.5, -1e300, 1e400, None, True, "", "x", "../x", "\0", "\ud800", [], {}, [[]], [1, 2, 3])
WORDS = (
    b"0",
    b"-1",
    b"1e999",
    b"nan",
    b"4294967296",
    b"99999999999999999999",
    b"1,5",
    b"0x10",
    b"\0",
    b"/",
    b"//",
    b"{",
    b"}",
    b"\xff",
)


def _picture(channels: int, size: tuple[int, int] = (12, 9), deep: bool = False) -> np.ndarray:
    rng = np.random.default_rng(channels)
    return rng.integers(0, 65535 if deep else 255, (*size, channels)).astype(np.uint16 if deep else np.uint8)


@cache
def seeds() -> dict[str, tuple[bytes, ...]]:
    """Small sound files of every reader, made by code."""
    folder = Path(tempfile.mkdtemp(prefix="customs-fuzz-"))
    out: dict[str, tuple[bytes, ...]] = {"bvh": (BVH.encode(),)}
    for ending in ("glb", "gltf", "obj", "ply", "stl"):
        scene = lettered() if ending in ("glb", "gltf") else scene_of(cube(), cube(0.5, 1))
        out[ending] = (saved(scene, folder / f"seed.{ending}").read_bytes(),)
    for ending in ("fbx", "dae"):
        write = get_format(ending).write
        assert write is not None
        out[ending] = (b"".join(bytes(p) for p in write(lettered(), WriteOptions("seed"))[f".{ending}"]),)
    out["fbx"] += (TEXT.encode(),)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("seed.dae", out["dae"][0])
    out["dae"] += (packed.getvalue(),)
    text = (
        "ply\nformat ascii 1.0\nelement vertex 4\n"
        + "".join(f"property float {c}\n" for c in "xyz")
        + "property uchar red\n"
    )
    text += "element face 2\nproperty list uchar int vertex_indices\nend_header\n0 0 0 9\n1 0 0 9\n1 1 0 9\n0 1 0 9\n3 0 1 2\n4 0 1 2 3\n"
    out["ply"] += (text.encode(),)
    facet = "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n"
    out["stl"] += (f"solid a\n{facet * 2}endsolid a\n".encode(),)
    out["obj"] += (b"mtllib a.mtl\nvt 0 1\nvn 0 0 1\nv 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 0 1 0 0 0 1\ng a\nusemtl m\ns 1\nf 1/1/1 2/1/1 3/1/1\n"
                   b"f -1//-1 -2//-1 -3//-1\nl 1 2\np 1\n",)  # fmt: skip
    matrix = ",".join(["1", "0", "0", "0", "0", "1", "0", "0", "0", "0", "1", "0", "2", "3", "4", "1"])
    rows = ",".join(
        f'{{"id":"{k}","name":"thing_{k % 2}","parent":"{k - 1}","matrix":[{matrix}]}}' for k in range(3)
    )
    out["level"] = (
        f'{{"placements":[{rows}]}}'.encode(),
        b'{"level":1,"lists":["seed.level"],"libraries":[".."],"mapping":{"fields":{"name":"/a","position":"/b"}}}',
    )
    planes = ("( 0 0 0 ) ( 0 1 0 ) ( 0 0 1 )", "( 0 0 0 ) ( 0 0 1 ) ( 1 0 0 )", "( 0 0 0 ) ( 1 0 0 ) ( 0 1 0 )",
              "( 8 8 4 ) ( 8 9 4 ) ( 9 8 4 )", "( 8 8 4 ) ( 9 8 4 ) ( 8 8 5 )", "( 8 8 4 ) ( 8 8 5 ) ( 8 9 4 )")  # fmt: skip
    two = ("0 0 45 1 1", "[ 1 0 0 4 ] [ 0 -1 0 0 ] 0 0.5 0.5 0 0 0")
    solids = "".join("{\n" + "".join(f"{p} wall {t}\n" for p in planes) + "}\n" for t in two)
    out["map"] = (
        f'// a\n{{\n"classname" "world"\n{solids}}}\n{{\n"classname" "light"\n"origin" "1 2 3"\n"_light" "9 9 9 200"\n}}\n'.encode(),
    )
    box = '{"from":[0,0,0],"size":[2,3,4],"cell":[1,2],"grow":0.1,"mirror":true,"rotation":[1,2,3],"pivot":[0,0,1],"faces":{"up":[0,0,1,1]}}'
    out["figure"] = (
        f'{{"figure":1,"unit":0.1,"texture":{{"size":[8,8]}},"parts":[{{"name":"a","pivot":[0,1,0],"boxes":[{box}],"parts":[{{"boxes":[{box}]}}]}}]}}'.encode(),
        b'{"figure":1,"source":"seed.figure","mapping":{"parts":"/parts/*","part":{"parent":"/name"},"box":{"end":"/size"}}}',
    )
    out["mtl"] = (
        b"newmtl m\nKd 0.5 0.5 0.5\nd 0.5\nmap_Kd -s 2 2 1 -o 0.5 0 0 a.png\nPr 0.3\nnewmtl n\nTr 0.2\nmap_Bump -bm 0.8 b.png\n",
    )
    for form in ("png", "jpeg", "tga", "bmp", "webp", "dds", "ktx2"):
        entry = texture_format(form)
        coding = Coding()
        out[form] = (
            entry.encode([_picture(3)], coding),
            entry.encode([_picture(4 if form not in ("jpeg", "bmp") else 3)], coding),
        )
    out["png"] += (texture_format("png").encode([_picture(4, deep=True)], Coding()),)
    for block in ("bc1", "bc3", "bc5", "bc7"):
        for form in ("dds", "ktx2"):
            out[form] += (texture_format(form).encode([_picture(4, (16, 16))], Coding(block=block)),)
    gif = io.BytesIO()
    PIL.Image.fromarray(_picture(3)).convert("P").save(gif, "GIF")
    out["gif"] = (gif.getvalue(),)
    several, frames = io.BytesIO(), [PIL.Image.fromarray(np.full((8, 8), 60 * k, np.uint8)) for k in range(3)]
    frames[0].save(several, "GIF", save_all=True, append_images=frames[1:])
    out["gif"] += (several.getvalue(),)
    for packed_as, form in PACKED.items():
        entry = get_format("glb")
        assert entry.write is not None
        options = WriteOptions("seed", settings=entry.settings(**form))
        out[packed_as] = (b"".join(bytes(p) for p in entry.write(lettered(), options)[".glb"]),)
    out["basis"] = tuple(p.read_bytes() for p in BASIS)
    out["exr"] = tuple(
        exr_of(_picture(n, (16, 16)).astype(np.float32) / 200, folder / f"seed{n}.exr") for n in (3, 4)
    )
    out["hdr"] = tuple(hdr_of(rgbe_of(_picture(3, (12, 40)) / 90), runs) for runs in (True, False))
    files = {"a.txt": b"Water the ferns.\n" * 9, "b/c.png": out["png"][0], "d.gltf": out["gltf"][0][:900]}
    for archive in ARCHIVES:
        out[archive] = (MADE[archive](folder / f"seed.{archive}", files).read_bytes(),)
    out["sheet"] = tuple(body.encode() for body, _ in sheet_texts().values())
    out |= kept_seeds(folder)
    return out


def mutated(reader: str, number: int) -> bytes:
    """Case `number`: the same bytes every time."""
    rng = np.random.default_rng([number, sum(reader.encode())])
    choices = seeds()[reader]
    data = choices[int(rng.integers(len(choices)))]
    ways: list[Callable[[bytes, np.random.Generator], bytes]] = [_bytes, _lengths, _cut, _pieces]
    if reader in ("gltf", "glb", *PACKED):
        ways += [_json, _json, _json]
    if b"\0" not in data:
        ways += [_lines, _words, _words]
    for _ in range(int(rng.integers(1, 3))):
        data = ways[int(rng.integers(len(ways)))](data, rng)
    return data


def _bytes(data: bytes, rng: np.random.Generator) -> bytes:
    out = bytearray(data)
    for at in rng.integers(0, max(len(out), 1), int(rng.integers(1, 8))):
        if out:
            out[at % len(out)] = int(rng.integers(256))
    return bytes(out)


def _lengths(data: bytes, rng: np.random.Generator) -> bytes:
    """A number of one, two, four or eight bytes somewhere near the front is another."""
    form = str(rng.choice(["<B", "<H", ">H", "<I", ">I", "<Q"]))
    value = int(rng.choice([0, 1, 2, 255, 65535, 2**31 - 1, 2**32 - 1])) % 256 ** struct.calcsize(form)
    at = int(rng.integers(0, max(1, min(len(data), 600))))
    return data[:at] + struct.pack(form, value) + data[at + struct.calcsize(form) :]


def _cut(data: bytes, rng: np.random.Generator) -> bytes:
    return data[: int(rng.integers(0, len(data) + 1))]


def _pieces(data: bytes, rng: np.random.Generator) -> bytes:
    """A piece goes, comes twice, or lands elsewhere."""
    a, b = sorted(rng.integers(0, len(data) + 1, 2).tolist())
    b = min(b, a + 64)
    piece, rest = data[a:b], data[:a] + data[b:]
    at = int(rng.integers(0, len(rest) + 1))
    return {0: rest, 1: data[:b] + piece + data[b:], 2: rest[:at] + piece + rest[at:]}[int(rng.integers(3))]


def _lines(data: bytes, rng: np.random.Generator) -> bytes:
    lines = data.split(b"\n")
    a, b = rng.integers(0, len(lines), 2).tolist()
    way = int(rng.integers(4))
    if way == 0:
        lines[a], lines[b] = lines[b], lines[a]
    elif way == 1:
        lines.insert(a, lines[b])
    elif way == 2:
        del lines[a]
    else:
        lines[a] = lines[a] * int(rng.integers(2, 50))
    return b"\n".join(lines)


def _words(data: bytes, rng: np.random.Generator) -> bytes:
    spots = list(re.finditer(rb"[^\s<>\"=,]+", data))
    if not spots:
        return data
    m = spots[int(rng.integers(len(spots)))]
    return data[: m.start()] + WORDS[int(rng.integers(len(WORDS)))] + data[m.end() :]


def _json(data: bytes, rng: np.random.Generator) -> bytes:
    """A value of the JSON is another, gone, or there twice; a GLB's lengths are made to fit."""
    glb = data[:4] == b"glTF"
    text = data[20 : 20 + int.from_bytes(data[12:16], "little")] if glb else data
    try:
        tree = json.loads(text)
    except (ValueError, RecursionError):
        return data
    places: list[tuple[object, object]] = []
    stack = [tree]
    while stack:
        node = stack.pop()
        items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
        for k, v in items:
            places.append((node, k))
            stack.append(v)
    if not places:
        return data
    node, k = places[int(rng.integers(len(places)))]
    if rng.random() < 0.2 and isinstance(node, dict):
        del node[k]
    else:
        node[k] = VALUES[int(rng.integers(len(VALUES)))]  # type: ignore[index]
    body = json.dumps(tree).encode()
    if not glb:
        return body
    body += b" " * (-len(body) % 4)
    rest = data[20 + int.from_bytes(data[12:16], "little") :]
    return (
        b"glTF"
        + struct.pack("<II", 2, 20 + len(body) + len(rest))
        + struct.pack("<I4s", len(body), b"JSON")
        + body
        + rest
    )


def read(reader: str, data: bytes, folder: Path) -> None:
    """One reading. Raises only what must not come out of it."""
    try:
        if reader in ARCHIVES:
            path = folder / "a.bin"
            path.write_bytes(data)
            _through(path, folder / "cache")
        elif reader == "sheet":
            parse_sheet(data.decode("utf-8", "replace"), folder / "a.toml")
        elif reader in KEPT:
            KEPT[reader](data, folder)
        elif reader in seeds() and reader not in (
            "glb",
            "gltf",
            "obj",
            "ply",
            "stl",
            "bvh",
            "fbx",
            "dae",
            "mtl",
            *PACKED,
        ):
            image_pixels(Image(key("image", 0), "x", Encoded(data), uri="x"))
        else:
            path = folder / f"a.{'glb' if reader in PACKED else reader}"
            path.write_bytes(data)
            if reader == "mtl":
                path = folder / "a.obj"
                path.write_bytes(b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl m\nf 1 2 3\n")
            counts(read_scene(Source(path)))
    except CustomsError as problem:
        assert problem.found


def _through(path: Path, cache: Path) -> None:
    """An archive listed, and everything in it read."""
    heap = Heap(cache=cache)
    try:
        heap.add(path)
        for entry in heap.entries:
            if not entry.problem and entry.item is not None:
                with contextlib.suppress(CustomsError):
                    heap.read(entry.place, 1 << 26)
    finally:
        heap.close()
        shutil.rmtree(cache, ignore_errors=True)


@dataclass
class Tally:
    """What was seen with one reader so far."""

    reader: str
    done: int = 0
    foreign: int = 0
    slow: int = 0
    large: int = 0
    deaths: int = 0
    seconds: float = 0.0
    slowest: float = 0.0
    offenders: list[str] = field(default_factory=list)

    @property
    def clean(self) -> bool:
        """True when nothing was seen that must not be."""
        return not (self.foreign or self.slow or self.large or self.deaths)


def run(tally: Tally, until: int, folder: Path) -> Tally:
    """Cases up to `until`, in this process."""
    mutated(tally.reader, 0)  # what is made once is no case's time
    for number in range(tally.done, until):
        (folder / "now").write_text(str(number))
        held, began = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.perf_counter()
        try:
            read(tally.reader, mutated(tally.reader, number), folder)
        except Exception as problem:  # noqa: BLE001 (this is what is looked for)
            tally.foreign += 1
            where = traceback.extract_tb(problem.__traceback__)[-1]
            tally.offenders.append(
                f"case {number}: {type(problem).__name__}: {str(problem)[:80]} ({Path(where.filename).name}:{where.lineno})"
            )
        took = time.perf_counter() - began
        limit = LEAST_SECONDS if tally.reader in THROUGH_A_CHILD else SLOW
        if took > limit:
            # The machine may have been busy, or the process stopped for a while: it is the case's fault when
            # it is so again.
            took = min(took, _seconds(tally.reader, number, folder))
        tally.seconds, tally.slowest = tally.seconds + took, max(tally.slowest, took)
        if took > limit:
            tally.slow += 1
            tally.offenders.append(f"case {number}: {took:.1f} s")
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - held) * 1024
        if grown > LARGE:
            tally.large += 1
            tally.offenders.append(f"case {number}: {grown / 1e9:.1f} GB")
        tally.done = number + 1
    return tally


def _seconds(reader: str, number: int, folder: Path) -> float:
    began = time.perf_counter()
    with contextlib.suppress(Exception):
        read(reader, mutated(reader, number), folder)
    return time.perf_counter() - began


def _work(tally: Tally, until: int, folder: Path) -> None:
    (folder / "told").write_text(json.dumps(asdict(run(tally, until, folder))))


def sitting(reader: str, until: int) -> Tally:
    """Goes on to `until` cases, each batch in a process of its own, so that a death is counted and the rest
    goes on.
    """
    STATE.mkdir(parents=True, exist_ok=True)
    kept = STATE / f"{reader}.json"
    tally = Tally(**json.loads(kept.read_text())) if kept.is_file() else Tally(reader)
    context = multiprocessing.get_context("spawn")
    with tempfile.TemporaryDirectory(prefix="customs-fuzz-") as name:
        folder = Path(name)
        while tally.done < until:
            (folder / "told").unlink(missing_ok=True)
            child = context.Process(target=_work, args=(tally, min(until, tally.done + BATCH * 10), folder))
            child.start()
            child.join()
            if (folder / "told").is_file():
                tally = Tally(**json.loads((folder / "told").read_text()))
            else:
                number = int((folder / "now").read_text())
                tally.deaths, tally.done = tally.deaths + 1, number + 1
                tally.offenders.append(f"case {number}: the process died ({child.exitcode})")
            kept.write_text(json.dumps(asdict(tally), indent=1))
    return tally


def table() -> str:
    """What was seen so far."""
    lines = ["reader      cases  foreign  slow  large  deaths    a case   slowest"]
    for path in sorted(STATE.glob("*.json")):
        t = Tally(**json.loads(path.read_text()))
        each = t.seconds / max(t.done, 1) * 1000
        lines.append(
            f"{t.reader:8} {t.done:8,} {t.foreign:8} {t.slow:5} {t.large:6} {t.deaths:7} {each:7.2f} ms {t.slowest:7.2f} s"
        )
        lines += [f"    {o}" for o in t.offenders[:12]]
    return "\n".join(lines)


def main() -> int:
    """See the module."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("reader", nargs="?", choices=["all", *seeds()])
    parser.add_argument("cases", nargs="?", type=int, default=500)
    parser.add_argument("--case", type=int)
    options = parser.parse_args()
    if options.case is not None:
        sys.stdout.buffer.write(mutated(options.reader, options.case))
        return 0
    readers = list(seeds()) if options.reader == "all" else [options.reader] if options.reader else []
    clean = all([sitting(r, options.cases).clean for r in readers])
    print(table())
    return 0 if clean else 1


if __name__ == "__main__":
    raise SystemExit(main())

"""Textures: what is told of them and how often that is wrong, and the speed of the chain from file to file.

    .venv/bin/python benchmarks/textures.py [--write docs/benchmarks-textures.md]

The textures are made by rules the classifier does not share (benchmarks/textures_made.py). Speed is a ratio
inside one run.
"""

from __future__ import annotations

import argparse
import io
import os
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

import numpy as np
import numpy.typing as npt
import PIL.Image
from run import median
from textures_made import aligned, coloured, labelled, normal_of, pictures, reliefs

from customs.demo.many import scene as many
from customs.formats.image_write import encode
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Image
from customs.scene.wishes import Delivery
from customs.surface.blocks.encode import close_workers, encode_level, fast_library
from customs.surface.classify import classify
from customs.surface.compare import psnr
from customs.surface.files.base import texture_format
from customs.surface.green import green_direction
from customs.surface.mipmap import Kind, chain
from customs.surface.pixels import image_pixels
from customs.surface.resize import resize
from customs.work.roles import role_table

U8 = npt.NDArray[np.uint8]


def confusion(count: int = 360) -> str:
    """Rows what it is, columns what the classifier says."""
    seen: Counter[tuple[str, str]] = Counter()
    for what, pixels in labelled(count):
        seen[(what, classify(pixels).content)] += 1
    kinds = sorted({k for pair in seen for k in pair})
    total = sum(seen.values())
    right = sum(n for (a, b), n in seen.items() if a == b)
    lines = [
        f"## What a texture holds: {right} of {total} right",
        "",
        "| is \\ said | " + " | ".join(kinds) + " |",
    ]
    lines += ["|---" * (len(kinds) + 1) + "|"]
    lines += [
        f"| {a} | " + " | ".join(str(seen[(a, b)] or "") for b in kinds) + " |"
        for a in kinds
        if any(seen[(a, b)] for b in kinds)
    ]
    return "\n".join(lines)


def green(rounds: int = 12) -> str:
    """How many maps are decided, and how many of those wrongly; both ways round, plain, baked and of two
    channels.
    """
    rng = np.random.default_rng(3)
    decided = wrong = asked = 0
    for _ in range(rounds):
        for _, height in reliefs(rng):
            for up in (True, False):
                baked = normal_of(height, up, rng)
                for pixels in (normal_of(height, up), baked, normal_of(height, up)[:, :, :2]):
                    answer = green_direction(pixels).direction
                    asked += 1
                    decided += answer != "undecidable"
                    wrong += answer not in ("undecidable", "up" if up else "down")
    along = [green_direction(normal_of(h, up)).direction for _, h in aligned(rng) for up in (True, False)]
    undecided = sum(a == "undecidable" for a in along)
    return (
        f"## Green direction\n\n{decided} of {asked} maps decided ({decided / asked * 100:.1f} %), {wrong} of those wrong; "
        f"{undecided} of {len(along)} axis-aligned ones called undecidable."
    )


def enlarging() -> str:
    """PSNR of twice enlarged pictures, ours against bicubic (Pillow), after halving with Pillow's own box."""
    lines = ["## Enlarging twofold", "", "| picture | ours | bicubic |", "|---|---|---|"]
    for name, pixels in pictures():
        small = np.asarray(PIL.Image.fromarray(pixels).reduce(2))
        ours = resize(small, 256, 256, colour=False, normal=name == "normals", wrap=(True, True))
        cubic = np.asarray(PIL.Image.fromarray(small).resize((256, 256), PIL.Image.Resampling.BICUBIC))
        lines.append(f"| {name} | {psnr(pixels, ours):.2f} dB | {psnr(pixels, cubic):.2f} dB |")
    lines += ["", "![As it was, bicubic, ours](enlarging.png) *Left as it was, middle bicubic, right ours*"]
    return "\n".join(lines)


def enlarging_picture(path: Path) -> None:
    """A corner of each stated picture, three times as large on paper: as it was, bicubic, ours."""
    rows = []
    for name, pixels in pictures():
        small = np.asarray(PIL.Image.fromarray(pixels).reduce(2))
        cubic = np.asarray(PIL.Image.fromarray(small).resize((256, 256), PIL.Image.Resampling.BICUBIC))
        ours = resize(small, 256, 256, colour=False, normal=name == "normals", wrap=(True, True))
        rows.append(np.concatenate([p[40:104, 40:168] for p in (pixels, cubic, ours)], axis=1))
    whole = PIL.Image.fromarray(np.concatenate(rows))
    whole.resize((whole.width * 3, whole.height * 3), PIL.Image.Resampling.NEAREST).save(path)


def sources(edge: int) -> Iterator[tuple[str, U8, Kind, str]]:
    """(name, pixels, kind, block) of a set: colour, normal, packed."""
    rng = np.random.default_rng(9)
    times = edge // 256

    def tile(pixels: U8) -> U8:
        out = np.tile(pixels, (times, times, 1)).astype(np.int16) + rng.integers(
            -6, 7, (edge, edge, 1), dtype=np.int16
        )
        return np.clip(out, 0, 255).astype(np.uint8)

    yield "colour", tile(coloured(rng)), Kind(colour=True), "bc1"
    yield "normal", tile(normal_of(next(iter(reliefs(rng)))[1], True)), Kind(normal=True), "bc5"
    yield "packed", tile(coloured(rng)), Kind(), "bc7"


def ours(data: bytes, kind: Kind, block: str, edge: int) -> bytes:
    """Decode, resize to half, mips, compress, DDS."""
    image = Image(Key("b", "image", 0), "x", Encoded(data), uri="x.png")
    pixels = resize(image_pixels(image), edge // 2, edge // 2, kind.colour, kind.normal)
    made = Image(image.key, "x", pixels=pixels)
    return encode(made, Delivery("dds", block, "quick", True), kind)


def plainly(data: bytes, block: str, edge: int) -> bytes:
    """Pillow and the same codec called plainly: no linear light, no unit vectors, one thread."""
    picture = (
        PIL.Image.open(io.BytesIO(data))
        .convert("RGBA")
        .resize((edge // 2, edge // 2), PIL.Image.Resampling.LANCZOS)
    )
    library, out = fast_library(), b""
    while True:
        flat = np.asarray(picture)
        if min(flat.shape[:2]) < 4:
            return out
        if block == "bc7":
            params = library.BC7CompressBlockParams()
            params.m_max_partitions, params.m_uber_level = 16, 0
            out += library.compress_bc7(flat.tobytes(), flat.shape[1], flat.shape[0], params)
        else:
            out += getattr(library, f"compress_{block}")(flat.tobytes(), flat.shape[1], flat.shape[0])
        picture = picture.resize(
            (max(1, picture.width // 2), max(1, picture.height // 2)), PIL.Image.Resampling.BOX
        )


def _another(data: bytes, kind: Kind, block: str, edge: int, numbers: Iterator[int]) -> bytes:
    """`ours` of what has not been asked for before."""
    return ours(data, Kind(kind.colour, kind.normal, next(numbers) + 2.0), block, edge)


def once(work: Callable[[], object]) -> float:
    """Seconds of one run, for what takes many."""
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def pipeline() -> str:
    """The chain for 2048² and 4096², and what the second core brings to BC7."""
    lines = [
        "## PNG → half size → mips → blocks → DDS",
        "",
        "| texture | ours | Pillow and the codec, plainly | ratio |",
        "|---|---|---|---|",
    ]
    for edge in (2048, 4096):
        for name, pixels, kind, block in sources(edge):
            out = io.BytesIO()
            PIL.Image.fromarray(pixels).save(out, "PNG", compress_level=1)
            data = out.getvalue()
            measure = once if block == "bc7" else median
            if block == "bc7":
                encode_level(np.zeros((1024, 1024, 4), np.uint8), "bc7", "quick")  # the processes are up
            # Another source each time, or the answer would be looked up by its content.
            numbers = iter(range(1000))
            mine = measure(partial(_another, data, kind, block, edge, numbers))
            theirs = measure(partial(plainly, data, block, edge))
            lines.append(
                f"| {name} {edge}², {block.upper()} | {mine * 1000:.0f} ms | {theirs * 1000:.0f} ms | {mine / theirs:.2f} |"
            )
    return "\n".join(lines)


CORES = """
import os, sys, time, numpy as np
os.sched_setaffinity(0, set(list(os.sched_getaffinity(0))[: int(sys.argv[1])]))
from customs.surface.blocks.encode import encode_level, close_workers
rng = np.random.default_rng(1)
pixels = np.kron(rng.integers(20, 235, (256, 256, 4), dtype=np.uint8), np.ones((8, 8, 1), np.uint8)) + rng.integers(0, 20, (2048, 2048, 1), dtype=np.uint8)
if __name__ == "__main__":
    encode_level(pixels, sys.argv[2], sys.argv[3])
    start = time.perf_counter(); encode_level(pixels, sys.argv[2], sys.argv[3]); print(time.perf_counter() - start)
    close_workers()
"""


def cores() -> str:
    """BC7 and the best BC1 held to one core, and on all."""
    lines = ["## Cores", "", "| work | one core | all | ratio |", "|---|---|---|---|"]
    with tempfile.TemporaryDirectory() as place:
        script = Path(place) / "cores.py"
        script.write_text(CORES)
        for block, quality in (("bc7", "quick"), ("bc1", "best")):
            times = [
                float(
                    subprocess.run(
                        [sys.executable, str(script), str(n), block, quality],
                        capture_output=True,
                        text=True,
                        check=True,
                    ).stdout
                )
                for n in (1, os.cpu_count() or 1)
            ]
            lines.append(
                f"| {block.upper()} {quality}, 2048² | {times[0]:.2f} s | {times[1]:.2f} s | {times[0] / times[1]:.2f} |"
            )
    return "\n".join(lines)


def rates() -> str:
    """Megapixels a second of each compression, and mips against Pillow's reduce."""
    flat = next(iter(sources(2048)))[1]
    four = np.dstack([flat, np.full(flat.shape[:2], 255, np.uint8)])
    lines = ["## Rates", "", "| work | figure |", "|---|---|"]
    for block in ("bc1", "bc3", "bc5"):
        for quality in ("quick", "best"):
            seconds = once(lambda: encode_level(four, block, quality))  # type: ignore[arg-type]  # noqa: B023
            lines.append(
                f"| {block.upper()} {quality} | {four.shape[0] * four.shape[1] / seconds / 1e6:.0f} MP/s |"
            )
    large = np.tile(flat, (2, 2, 1))
    mine, reduce = (
        median(lambda: chain(large, Kind(colour=True))),
        median(lambda: [PIL.Image.fromarray(large).reduce(2**k) for k in range(1, 13)]),
    )
    lines.append(
        f"| mips in linear light, 4096² | {mine / reduce:.1f} × Pillow reduce of all levels, without linear light (goal ≤ 3) |"
    )
    library = many(3000)
    lines.append(
        f"| role table, 3,000 materials | {median(lambda: role_table(library)) * 1000:.0f} ms (goal < 1 s) |"
    )
    decoded = texture_format("png").decode
    out = io.BytesIO()
    PIL.Image.fromarray(flat).save(out, "PNG")
    theirs = median(lambda: np.asarray(PIL.Image.open(io.BytesIO(out.getvalue()))))
    lines.append(f"| PNG read, 2048² | {median(lambda: decoded(out.getvalue())) / theirs:.2f} × Pillow |")
    return "\n".join(lines)


def main() -> None:
    """Measure and print, and write where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    options = parser.parse_args()
    head = f"# Textures\n\nMade by `benchmarks/textures.py` on {os.cpu_count()} cores; read the ratios, the machine is noisy (about 30 %)."
    parts = [head]
    for part in (confusion, green, enlarging, rates, pipeline, cores):
        parts.append(part())
        print(parts[-1], flush=True)
    close_workers()
    if options.write:
        enlarging_picture(options.write.with_name("enlarging.png"))
        options.write.write_text("\n\n".join(parts) + "\n", "utf-8")


if __name__ == "__main__":
    main()

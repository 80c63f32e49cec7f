"""The stores of the glasshouse: a heap as people find it. Archives in an archive, models here and textures there, most
of it not needed; one archive locked, one cut off, one name twice, one texture nowhere.
"""

from __future__ import annotations

import io
import tarfile
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.gulls import gulls
from customs.demo.handwork import handwork
from customs.demo.place import VERSION
from customs.demo.shapes import box, lathe
from customs.demo.textures import brass, encoded, noise, ramp, stone, verdigris
from customs.demo.write import write_goods
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.scene.key import Key
from customs.scene.model import Node, Scene

NAME = "glasshouse_stores.tar"
STORES = f"{VERSION}.4"
"""Raised when the stores change."""
PASSWORD = "verdigris"
"""Of the locked archive; it is no secret."""
DAY = (2024, 5, 1, 8, 0, 0)
FIGURES = ("stork", "warden", "moss", "hedgehog", "lamplighter", "gardener")
TEXTURES = (".png", ".jpg", ".bmp")
POTS, SOUNDS, NOTES, LABELS = 120, 640, 420, 560
LICENCE = "The stores of the Verdigris Glasshouse\nCopyright (c) 2024 Glasshouse workshop\n\nCC-BY 4.0\n"


def write_stores(folder: Path) -> Path:
    """The stores as one tar in `folder`. One written by this version is left as it is."""
    path, stamp = folder / NAME, folder / ".stores"
    if path.is_file() and stamp.is_file() and stamp.read_text() == STORES:
        return path
    files = write_goods(folder / "goods")
    held = {p.relative_to(folder / "goods").as_posix(): p.read_bytes() for p in _below(folder / "goods")}
    partial = path.with_suffix(".partial")
    with tarfile.open(partial, "w") as tar:
        for name, data in _archives(held, files["watering_stork"]):
            info = tarfile.TarInfo(name)
            info.size, info.mtime = len(data), 1714550400
            tar.addfile(info, io.BytesIO(data))
    partial.rename(path)
    stamp.write_text(STORES)
    return path


def _below(folder: Path) -> Iterator[Path]:
    return (p for p in sorted(folder.rglob("*")) if p.is_file() and not p.name.startswith("."))


def _archives(held: Mapping[str, bytes], stork: Path) -> Iterator[tuple[str, bytes]]:
    figures = {n: d for n, d in held.items() if n.partition("/")[0] in FIGURES and not n.endswith(TEXTURES)}
    skins = {n: d for n, d in held.items() if n.endswith(TEXTURES)}
    rest = {n: d for n, d in held.items() if n not in figures and n not in skins}
    # One texture lies nowhere, and another twice.
    skins.pop("hedgehog/hedgehog_copper.png")
    skins |= _lantern_skins()
    skins["old/cart_brass.png"] = encoded(brass(128, 77)[0], "png")
    yield "licence.txt", LICENCE.encode()
    yield "version.txt", b"stores 3.2\n"
    yield "figures.zip", zipped({**figures, **dict(_notes("figures", 60))})
    yield "props.zip", zipped({**rest, **dict(_pots())})
    yield "clips.zip", zipped(_clips(stork))
    yield "textures.zip", zipped({**skins, **dict(_pot_skins()), **dict(_labels())})
    yield "gulls.zip", zipped(gulls())
    yield "handwork.zip", zipped(handwork())
    yield "sounds.zip", zipped(dict(_sounds()))
    yield "notes.zip", zipped(dict(_notes("notes", NOTES)))
    yield "keepers.7z", _locked({"keepers/moss_keeper.glb": held["moss/moss_keeper.glb"]})
    whole = zipped({"torn/spring_basin.stl": held["basin/spring_basin.stl"]})
    yield "torn.zip", whole[: len(whole) // 2]


def zipped(files: Mapping[str, bytes]) -> bytes:
    """A zip of files by name, the same bytes each time."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name in sorted(files):
            made.writestr(zipfile.ZipInfo(name, DAY), files[name], zipfile.ZIP_DEFLATED, 6)
    return out.getvalue()


def _locked(files: Mapping[str, bytes]) -> bytes:
    import py7zr

    out = io.BytesIO()
    with py7zr.SevenZipFile(out, "w", password=PASSWORD, header_encryption=True) as made:
        for name, data in files.items():
            made.writestr(data, name)
    return out.getvalue()


def _clips(stork: Path) -> dict[str, bytes]:
    """The stork's clip in a file of its own, under two other names, one of them for one joint too many."""
    scene = read_scene(Source(stork))
    nodes = tuple(replace(n, mesh=None, skin=None, weights=None) for n in scene.nodes)
    bare = replace(scene, nodes=nodes, meshes=(), skins=(), materials=(), images=())
    out = {}
    for name, last in (("watering_stork_drink", ""), ("watering_stork_preen", "crest")):
        clip = replace(bare.clips[0], name=name.rpartition("_")[2])
        moved = clip.channels[-1].node
        renamed = tuple(replace(n, name=last) if last and k == moved else n for k, n in enumerate(nodes))
        entry = get_format("glb")
        assert entry.write is not None
        made = entry.write(replace(bare, nodes=renamed, clips=(clip,)), WriteOptions(name))
        out[f"stork/{name}.glb"] = b"".join(bytes(p) for p in made[".glb"])
    return out


def _pots() -> Iterator[tuple[str, bytes]]:
    """Flower pots of all sizes, their textures in another archive."""
    for number in range(POTS):
        entry = get_format("gltf")
        assert entry.write is not None
        name = f"pot_{number:03}"
        scene = _pot(name, number)
        for ending, parts in entry.write(scene, WriteOptions(name, {0: f"pot_{number % 4}_c.png"})).items():
            yield f"pots/{name}{ending}", b"".join(bytes(p) for p in parts)


def _pot(name: str, number: int) -> Scene:
    rng = np.random.default_rng(number)
    wide, tall = rng.uniform(0.08, 0.3), rng.uniform(0.1, 0.45)
    profile = [
        (0.0, 0.0),
        (wide * 0.7, 0.0),
        (wide, tall),
        (wide * 0.9, tall),
        (wide * 0.65, 0.02),
        (0.0, 0.02),
    ]
    shape = lathe(profile, 10 + number % 9) if number % 3 else box(wide * 2, tall, wide)
    skin = image(name, 0, f"pot_{number % 4}_c", np.full((2, 2, 3), 120, np.uint8))
    clay = material(name, 0, "clay", {"base_colour": 0}, metallic=0.0, roughness=0.9)
    node = Node(Key(digest_of(name), "node", 0), name, mesh=0)
    whole = mesh(name, 0, name, [primitive(name, 0, shape, 0)])
    return signed(Scene(name, digest_of(name), (node,), (0,), (whole,), (clay,), (skin,)))


def _pot_skins() -> Iterator[tuple[str, bytes]]:
    """Four skins of the pots: plain, mossed, of stone, of copper."""
    clay = ramp(noise((128, 128), 9, 91), [(150, 84, 58), (178, 104, 74), (196, 124, 92)])
    moss = ramp(noise((128, 128), 7, 92), [(66, 88, 52), (108, 120, 70), (170, 104, 74)])
    for number, pixels in enumerate((clay, moss, stone(128, 93), verdigris(128, 94)[0])):
        yield f"pots/pot_{number}_c.png", encoded(pixels, "png")


def _lantern_skins() -> dict[str, bytes]:
    """Two more skins of the lantern, beside its plain and its winter one: rusty and gilded."""
    out = {}
    for name, dark, light in (
        ("rusty", (92, 44, 26), (176, 96, 52)),
        ("gilded", (150, 110, 30), (240, 206, 110)),
    ):
        for part, seed in (("roof", 95), ("brass", 96)):
            pixels = ramp(noise((256, 256), 24, seed, 3), [dark, light])
            out[f"lantern/lantern_{part}_{name}_c.bmp"] = encoded(pixels, "bmp")
    return out


def _labels() -> Iterator[tuple[str, bytes]]:
    for number in range(LABELS):
        pixels = np.full((8, 8, 3), (number % 200 + 30, (number * 7) % 200 + 30, 120), np.uint8)
        yield f"labels/label_{number:04}_c.png", encoded(pixels, "png")


def _sounds() -> Iterator[tuple[str, bytes]]:
    rng = np.random.default_rng(5)
    for number in range(SOUNDS):
        yield f"drip_{number:04}.ogg", b"OggS" + rng.bytes(900)


def _notes(folder: str, count: int) -> Iterator[tuple[str, bytes]]:
    for number in range(count):
        yield f"{folder}/note_{number:03}.txt", f"Bed {number}: water on Thursdays.\n".encode()

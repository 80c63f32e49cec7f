"""Sources are read through a tree: what lies in no folder of the disk reads the same, and no reader opens
anything by itself.
"""

from __future__ import annotations

import errno
from dataclasses import replace
from pathlib import Path, PurePosixPath

import numpy as np
import pytest

from customs.errors import CustomsError, LimitError, ReadError
from customs.formats import source as formats_source
from customs.formats.image_write import encode
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.formats.tree import Folder
from customs.motion.posing.bounds import world_bounds
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.scene.wishes import Delivery
from customs.surface.pixels import image_pixels
from tests.assets import cube, key, saved, scene_of

ROOT = Path("/nowhere/archive")


class Memory:
    """Files in memory by their places below `ROOT`."""

    root = ROOT

    def __init__(self, files: dict[str, bytes]) -> None:
        self.files = {ROOT / name: data for name, data in files.items()}

    def holds(self, place: Path) -> bool:
        return ROOT in place.parents and ".." not in PurePosixPath(place).parts

    def is_file(self, place: Path) -> bool:
        return place in self.files

    def listing(self, folder: Path) -> list[Path]:
        return sorted(p for p in self.files if p.parent == folder)

    def read(self, place: Path, most: int) -> bytes | None:
        if place not in self.files:
            raise OSError(errno.ENOENT, "no such file", str(place))
        return self.files[place] if len(self.files[place]) <= most else None

    def encoded(self, place: Path, mime: str = "") -> Encoded:
        return Encoded(self.files[place], mime)

    def on_disk(self, place: Path) -> Path:
        raise OSError(errno.ENOENT, "inside an archive", str(place))


def slate() -> Scene:
    """A cube with a texture of four tones."""
    pixels = np.kron(np.array([[20, 90], [160, 230]], np.uint8), np.ones((4, 4), np.uint8))[..., None].repeat(
        3, 2
    )
    return replace(
        scene_of(replace(cube(1.0, material=0), texcoords=(frozen(np.abs(cube(1.0).positions[:, :2])),))),
        materials=(Material(key("material", 0), "slate", textures={"base_colour": TextureUse(0)}, metallic=0.0),),
        images=(Image(key("image", 0), "slate_c", pixels=pixels),),
    )  # fmt: skip


def packed(folder: Path, format_: str) -> Memory:
    """A model with its companions, as they were written to a folder, in memory."""
    saved(slate(), folder / f"slate.{format_}", format_)
    if format_ == "obj":
        (folder / "maps").mkdir()
        (folder / "maps" / "slate_c.png").write_bytes(encode(slate().images[0], Delivery("png")))
        (folder / "slate.mtl").write_text("newmtl slate\nKd 1 1 1\nmap_Kd maps/slate_c.png\n")
    return Memory(
        {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}
    )


@pytest.mark.parametrize("format_", ["gltf", "glb", "obj", "ply", "stl"])
def test_what_lies_in_memory_reads_as_from_a_folder(
    format_: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "goods").mkdir()
    tree = packed(tmp_path / "goods", format_)
    there = read_scene(Source(tmp_path / "goods" / f"slate.{format_}"))
    wanted = [image_pixels(im) for im in there.images]
    monkeypatch.setattr("builtins.open", None)
    monkeypatch.setattr("customs.files.open_regular", None)
    source = Source(ROOT / f"slate.{format_}", tree=tree)
    scene = read_scene(source)
    assert np.array_equal(world_bounds(scene), world_bounds(there)) and len(scene.images) == len(there.images)
    assert all(np.array_equal(image_pixels(a), b) for a, b in zip(scene.images, wanted))
    assert all(p in tree.files for p in source.touched) and not source.absent


def test_names_in_it_go_by_the_same_rules(tmp_path: Path) -> None:
    (tmp_path / "goods").mkdir()
    tree = packed(tmp_path / "goods", "obj")
    mtl = ROOT / "slate.mtl"
    tree.files[mtl] = tree.files[mtl].replace(b"map_Kd maps/", b"map_Kd ../../secret/")
    source = Source(ROOT / "slate.obj", tree=tree)
    assert read_scene(source).images and any("leaves the folder" in r.text for r in source.remarks)
    tree.files[ROOT / "SLATE.MTL"] = tree.files.pop(mtl)
    again = Source(ROOT / "slate.obj", tree=tree)
    assert read_scene(again).materials[0].name == "slate" and any(
        "found as SLATE.MTL" in r.text for r in again.remarks
    )


@pytest.mark.parametrize(
    ("name", "kind", "said"),
    [("gone.glb", ReadError, "no such file"), ("large.glb", LimitError, "larger file")],
)
def test_what_cannot_be_read_is_said(
    name: str, kind: type[CustomsError], said: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(formats_source, "FILE_BYTES", 10)
    with pytest.raises(kind, match=said) as problem:
        read_scene(Source(ROOT / name, tree=Memory({"large.glb": b"glTF" * 10})))
    assert problem.value.file == ROOT / name


def test_what_another_program_reads_must_lie_on_the_disk() -> None:
    with pytest.raises(ReadError, match="no file of the disk"):
        read_scene(
            Source(ROOT / "a.fbx", tree=Memory({"a.fbx": b"Kaydara FBX Binary  \x00\x1a\x00" + b"\0" * 200}))
        )


def test_a_folder_holds_what_no_link_leads_out_of(tmp_path: Path) -> None:
    inside, outside = tmp_path / "in", tmp_path / "out"
    inside.mkdir()
    outside.mkdir()
    (outside / "a.png").write_bytes(b"x")
    (inside / "link.png").symlink_to(outside / "a.png")
    tree = Folder(inside)
    assert (
        tree.holds(inside / "b.png")
        and not tree.holds(inside / "link.png")
        and not tree.holds(outside / "a.png")
    )
    assert tree.listing(inside / "none") == [] and tree.listing(inside) == [inside / "link.png"]

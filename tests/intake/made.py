"""Archives for tests, made by Python and by the programs of the system."""

from __future__ import annotations

import io
import shutil
import subprocess
import tarfile
import zipfile
from collections.abc import Mapping
from pathlib import Path

import py7zr
import pytest
import zstandard

from tests.assets import cube, saved, scene_of

HELLO = b"Water the ferns on Thursdays.\n" * 20


def goods(folder: Path) -> dict[str, bytes]:
    """A small tree: a model with a name of accents, a texture, a text; their bytes by path."""
    saved(scene_of(cube()), folder / "stork" / "body.glb")
    (folder / "stork" / "figur ä.png").write_bytes(b"\x89PNG\r\n" + bytes(range(256)))
    (folder / "readme.txt").write_bytes(HELLO)
    return {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


def zip_of(path: Path, files: Mapping[str, bytes], method: int = zipfile.ZIP_DEFLATED) -> Path:
    with zipfile.ZipFile(path, "w") as made:
        for name, data in files.items():
            made.writestr(zipfile.ZipInfo(name), data, method)
    return path


def tar_of(path: Path, files: Mapping[str, bytes], mode: str = "w") -> Path:
    with tarfile.open(path, mode) as made:  # type: ignore[call-overload]
        for name, data in files.items():
            info = tarfile.TarInfo(name)
            info.size = len(data)
            made.addfile(info, io.BytesIO(data))
    return path


def zstd_of(path: Path, files: Mapping[str, bytes]) -> Path:
    plain = tar_of(path.with_suffix(".plain"), files)
    path.write_bytes(zstandard.ZstdCompressor().compress(plain.read_bytes()))
    return path


def seven_of(
    path: Path, files: Mapping[str, bytes], password: str | None = None, whole: bool = False
) -> Path:
    with py7zr.SevenZipFile(path, "w", password=password, header_encryption=whole) as made:
        for name, data in files.items():
            made.writestr(data, name)
    return path


def by_program(*words: str | Path, cwd: Path) -> None:
    """Run a program of the system; the test is passed over where there is none."""
    if shutil.which(str(words[0])) is None:
        pytest.skip(f"{words[0]} is not on this machine")
    subprocess.run([str(w) for w in words], cwd=cwd, check=True, capture_output=True)

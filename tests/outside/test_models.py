"""Every model of the Debian package assimp-testmodels in the formats we read does what the manifest says."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from customs.formats.registry import endings
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.outside.judges import MODELS, validate

FOLDERS = ("glTF2", "OBJ", "PLY", "STL")
MANIFEST = Path(__file__).with_name("manifest.txt")


def manifest() -> dict[str, tuple[str, str]]:
    """(verdict, reason) by path below the models' folder."""
    out = {}
    for line in MANIFEST.read_text("utf-8").splitlines():
        if line and not line.startswith("#"):
            path, verdict, reason = (part.strip() for part in line.split("|"))
            # A line may name its file by a pattern; it must then be the only one.
            names = (
                sorted(p.relative_to(MODELS).as_posix() for p in MODELS.glob(path)) if "*" in path else [path]
            )
            assert len(names) == 1, path
            out[names[0]] = (verdict, reason)
    return out


def found() -> list[str]:
    """Every model file of ours in the package."""
    assert MODELS.is_dir(), "assimp-testmodels is not installed: run scripts/test"
    files = (p for f in FOLDERS for p in (MODELS / f).rglob("*") if p.suffix.lower() in endings())
    return sorted(p.relative_to(MODELS).as_posix() for p in files if p.is_file())


def test_the_manifest_names_every_file() -> None:
    assert found() == sorted(manifest())
    assert all(reason for _, reason in manifest().values())
    assert {v for v, _ in manifest().values()} <= {"accepted", "repaired", "held", "refused"}


@pytest.mark.breadth(2)
@pytest.mark.parametrize("name", sorted(manifest()))
def test_each_does_what_the_manifest_says(name: str, tmp_path: Path) -> None:
    verdict, _ = manifest()[name]
    path = MODELS / name
    start = time.monotonic()
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr"), out=tmp_path))
    assert time.monotonic() - start < 40, "nothing hangs"
    if verdict == "refused":
        assert result.error is not None and result.code == 3
        assert path.name in str(result.error) and "Traceback" not in str(result.error)
    elif verdict == "held":
        assert result.error is None and result.code == 1
    else:
        assert result.error is None, result.error
        assert result.folder is not None
        assert validate(sorted(result.folder.glob("*.glb"))) == []
        assert (verdict == "repaired") == (result.route is not None and len(result.route.stops) > 1)
        return
    assert list(tmp_path.iterdir()) == []

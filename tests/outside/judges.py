"""Other people's programs as judges: the Khronos validator, assimp, and the models assimp ships for its own
tests.
"""

from __future__ import annotations

import json
import os
import subprocess
import sysconfig
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from customs.formats.fbx.read import PROPERTIES
from customs.formats.interchange.build import read_through, scene_of
from customs.formats.source import Source
from customs.scene.convention import Convention
from customs.scene.model import Scene

ROOT = Path(__file__).parents[2]
NODE_MODULES = ROOT / "build" / "outside" / "node_modules"
MODELS = Path("/usr/share/assimp/models")
"""Debian package assimp-testmodels."""
SCRIPT = """
const v = require('gltf-validator'), fs = require('fs'), path = require('path');
(async () => {
  const out = [];
  for (const f of process.argv.slice(1)) {
    const r = await v.validateBytes(new Uint8Array(fs.readFileSync(f)), {
      maxIssues: 50,
      externalResourceFunction: u => Promise.resolve(new Uint8Array(fs.readFileSync(path.join(path.dirname(f), decodeURIComponent(u))))) });
    out.push([r.issues.numErrors, r.issues.numWarnings, r.issues.messages.filter(m => m.severity < 2)]);
  }
  console.log(JSON.stringify(out));
})();
"""


def validate(paths: Sequence[Path]) -> list[str]:
    """Complaints of the Khronos glTF validator (npm gltf-validator): a line for each error and warning."""
    assert (NODE_MODULES / "gltf-validator").is_dir(), "the validator is not installed: run scripts/test"
    run = subprocess.run(
        ["node", "-e", SCRIPT, *map(str, paths)], capture_output=True, text=True, check=True, timeout=120,
        env={"NODE_PATH": str(NODE_MODULES), "PATH": "/usr/bin:/usr/local/bin:/bin"},
    )  # fmt: skip
    out = []
    for path, (_, _, messages) in zip(paths, json.loads(run.stdout)):
        out += [f"{path.name}: {m['code']} {m['message']} {m.get('pointer', '')}" for m in messages]
    return out


def assimp_info(path: Path) -> dict[str, Any]:
    """What assimp (PyPI cmeel-assimp) counts in a file: triangles and bounds."""
    program = Path(sysconfig.get_path("scripts")) / "assimp"
    assert program.is_file(), "assimp is not installed: run scripts/test"
    run = subprocess.run([str(program), "info", str(path)], capture_output=True, text=True, timeout=120)
    assert run.returncode == 0, run.stdout[-400:]
    out: dict[str, Any] = {}
    for line in run.stdout.splitlines():
        if line.startswith("Faces:"):
            out["faces"] = int(line.split(":")[1])
        elif line.startswith(("Minimum point", "Maximum point")):
            numbers = line.partition("(")[2].rstrip(") ").split()
            out[line.split()[0].lower()] = np.array([float(x) for x in numbers])
    return out


KTX_SCRIPT = """
const ktx = require('ktx-parse'), fs = require('fs');
const t = ktx.read(new Uint8Array(fs.readFileSync(process.argv[1])));
console.log(JSON.stringify({ vkFormat: t.vkFormat, width: t.pixelWidth, height: t.pixelHeight, levels: t.levels.length,
  zstd: t.supercompressionScheme, sizes: t.levels.map(l => l.uncompressedByteLength), model: t.dataFormatDescriptor[0].colorModel,
  transfer: t.dataFormatDescriptor[0].transferFunction, keys: Object.keys(t.keyValue) }));
"""


def ktx_parse(path: Path) -> dict[str, Any]:
    """What ktx-parse (npm) reads of a KTX2 file: its format, size, levels, supercompression and data format
    descriptor.
    """
    run = subprocess.run(
        ["node", "-e", KTX_SCRIPT, str(path)], capture_output=True, text=True, timeout=60,
        env={"NODE_PATH": str(NODE_MODULES), "PATH": "/usr/bin:/usr/local/bin:/bin"},
    )  # fmt: skip
    assert run.returncode == 0, run.stderr[-600:]
    return dict(json.loads(run.stdout))


def _beside(name: str) -> Path:
    """A script of this folder beside the node modules, where it finds them."""
    place = NODE_MODULES.parent / name
    script = (Path(__file__).parent / name).read_bytes()
    if not place.is_file() or place.read_bytes() != script:
        aside = place.with_suffix(f".{os.getpid()}.mjs")
        aside.write_bytes(script)
        aside.replace(place)
    return place


def _run(name: str, *asked: str) -> str:
    run = subprocess.run(["node", str(_beside(name)), *asked], capture_output=True, text=True, timeout=120)
    assert run.returncode == 0, run.stderr[-600:]
    return run.stdout


def compressed(form: str, model: Path, out: Path) -> Path:
    """`model` compressed by glTF-Transform, draco3dgltf, meshoptimizer or ktx2-encoder (npm): `form` as in
    compress.mjs.
    """
    _run("compress.mjs", form, str(model), str(out))
    return out


def read_modern(reader: str, model: Path) -> dict[str, Any]:
    """What glTF-Transform ("transform", with draco3dgltf and meshoptimizer) or three.js ("three") reads of a GLB:
    `positions`, `normals` and `indices` of its parts, `textures`, extensions `used`.
    """
    return dict(json.loads(_run("read_modern.mjs", reader, str(model))))


def judge_scene(path: Path) -> Scene:
    """A file as libassimp reads it with pivots collapsed by itself, not by us."""
    source = Source(path)
    imported = read_through(source, {**PROPERTIES, "IMPORT_FBX_PRESERVE_PIVOTS": 0}, "")
    return scene_of(imported, source, Convention())

"""Meshes and their primitives."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.formats.gltf.accessors import Accessors
from customs.formats.gltf.compressed import DRACO, packed_part
from customs.formats.gltf.document import Obj
from customs.geometry.triangles import flat_indices
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Mesh, Mode, MorphTarget, Primitive

MODES: tuple[Mode, ...] = (
    "points", "lines", "line_loop", "line_strip", "triangles", "triangle_strip", "triangle_fan",
)  # fmt: skip
KNOWN = frozenset({"KHR_materials_variants", DRACO})


@dataclass
class MeshReader:
    """Reads meshes of one document. `ordinal` numbers primitives through the whole file."""

    accessors: Accessors
    digest: str
    materials: int
    variants: int
    unknown: set[str]
    ordinal: int = 0

    def mesh(self, obj: Obj, index: int) -> Mesh:
        """One mesh. Raises ReadError."""
        parts = obj.children("primitives")
        if not parts:
            raise obj.fail("primitives", [], "at least one primitive")
        primitives = tuple(self.primitive(p) for p in parts)
        weights = obj.numbers("weights", None)
        name = obj.text("name") or f"mesh {index}"
        extras = obj.extras(frozenset(), self.unknown)
        names = extras.get("targetNames")
        sound = isinstance(names, list) and all(isinstance(n, str) for n in names)
        targets = {len(p.targets) for p in primitives}
        if len(targets) > 1:
            raise obj.fail("primitives", sorted(targets), "the same number of morph targets in each")
        count = targets.pop()
        if weights is not None and len(weights) != count:
            raise obj.fail("weights", list(weights), f"{count} numbers, one a morph target")
        return Mesh(
            key=Key(self.digest, "mesh", index),
            name=name,
            primitives=primitives,
            weights=frozen(weights) if weights is not None else None,
            target_names=tuple(names[:count]) if sound and names else (),
            extras={k: v for k, v in extras.items() if k != "targetNames" or not sound},
        )

    def primitive(self, obj: Obj) -> Primitive:
        """One primitive. Raises ReadError."""
        attributes = obj.child("attributes")
        if attributes is None or "POSITION" not in attributes.value:
            raise obj.fail("attributes", "no POSITION", "a POSITION attribute")
        mode = MODES[obj.integer("mode", 4, below=7) or 0]
        if (packed := packed_part(obj)) is not None:
            # Draco says triangles, however they were strung before.
            mode = "triangles"
            self._unpack(obj, packed, attributes)
        positions = self._floats(attributes, "POSITION", (3,))
        assert positions is not None
        count = len(positions)
        indices = self._indices(obj, count)
        texcoords = self._sets(attributes, "TEXCOORD_", (2,))
        colours = tuple(_rgba(c) for c in self._sets(attributes, "COLOR_", (3, 4)))
        joints, weights = self._influences(attributes)
        material = obj.integer("material", None, below=self.materials)
        prim = Primitive(
            key=Key(self.digest, "primitive", self.ordinal),
            positions=positions,
            mode=mode,
            indices=indices,
            normals=self._floats(attributes, "NORMAL", (3,)),
            tangents=self._floats(attributes, "TANGENT", (4,)),
            texcoords=texcoords,
            colours=colours,
            joints=joints,
            weights=weights,
            material=material,
            targets=tuple(self._target(t) for t in obj.children("targets")),
            custom=self._custom(attributes),
            variants=self._variants(obj),
            extras=obj.extras(KNOWN, self.unknown),
        )
        self.ordinal += 1
        self._same_counts(attributes, prim, count)
        prim = self._whole_elements(obj, prim)
        self.unknown.update(f"attribute {n}" for n in attributes.value if n not in attributes.seen)
        return prim

    def _unpack(self, obj: Obj, packed: Obj, attributes: Obj) -> None:
        """Lay what Draco unpacked where the accessors of a primitive are asked for it."""
        faces, found = self.accessors.unpacked.parts[packed.need_integer("bufferView")]
        self.accessors.give(obj.need_integer("indices", below=len(self.accessors)), faces)
        ids = packed.child("attributes")
        for name in ids.value if ids is not None else ():
            assert ids is not None
            id_ = str(ids.need_integer(name))
            if id_ not in found:
                raise ids.fail(name, id_, f"one of the unpacked: {', '.join(found)}")
            self.accessors.give(attributes.need_integer(name, below=len(self.accessors)), found[id_])

    def _whole_elements(self, obj: Obj, prim: Primitive) -> Primitive:
        """`prim` without a last triangle or line that is cut off, with a remark."""
        per = {"triangles": 3, "lines": 2}.get(prim.mode, 1)
        flat = flat_indices(prim)
        extra = len(flat) % per
        if not extra:
            return prim
        obj.source.remark(f"{obj.where}: {extra} indices over a whole number of {prim.mode}; left out")
        return replace(prim, indices=frozen(flat[: len(flat) - extra], np.uint32))

    def _floats(self, obj: Obj, name: str, widths: tuple[int, ...]) -> npt.NDArray[np.float32] | None:
        index = obj.integer(name, None, below=len(self.accessors))
        return None if index is None else self.accessors.floats(index, widths, obj, name)

    def _sets(self, obj: Obj, stem: str, widths: tuple[int, ...]) -> tuple[npt.NDArray[np.float32], ...]:
        out: list[npt.NDArray[np.float32]] = []
        while (found := self._floats(obj, f"{stem}{len(out)}", widths)) is not None:
            out.append(found)
        return tuple(out)

    def _indices(self, obj: Obj, count: int) -> npt.NDArray[np.uint32] | None:
        index = obj.integer("indices", None, below=len(self.accessors))
        if index is None:
            return None
        raw = self.accessors.whole(index, 1, obj, "indices")[:, 0]
        top = int(raw.max())
        if top >= count:
            raise obj.fail("indices", f"index {top}", f"below {count}, the number of vertices")
        return frozen(raw, np.uint32)

    def _influences(self, obj: Obj) -> tuple[npt.NDArray[np.uint16] | None, npt.NDArray[np.float32] | None]:
        joints: list[Any] = []
        while (index := obj.integer(f"JOINTS_{len(joints)}", None, below=len(self.accessors))) is not None:
            joints.append(self.accessors.whole(index, 4, obj, f"JOINTS_{len(joints)}"))
        weights = self._sets(obj, "WEIGHTS_", (4,))
        if len(joints) != len(weights):
            raise obj.fail(
                "JOINTS_0", f"{len(joints)} joint sets, {len(weights)} weight sets", "as many of each"
            )
        if not joints:
            return None, None
        if max(int(j.max()) for j in joints) > 65535:
            raise obj.fail("JOINTS_0", "joint number over 65,535", "16-bit joint numbers")
        return frozen(np.concatenate(joints, axis=1), np.uint16), frozen(np.concatenate(weights, axis=1))

    def _target(self, obj: Obj) -> MorphTarget:
        out = MorphTarget(
            positions=self._floats(obj, "POSITION", (3,)),
            normals=self._floats(obj, "NORMAL", (3,)),
            tangents=self._floats(obj, "TANGENT", (3,)),
        )
        self.unknown.update(f"morph attribute {n}" for n in obj.value if n not in obj.seen)
        return out

    def _custom(self, obj: Obj) -> dict[str, npt.NDArray[Any]]:
        out = {}
        for name in sorted(obj.value):
            if name.startswith("_"):
                index = obj.need_integer(name, below=len(self.accessors))
                out[name] = frozen(self.accessors.raw(index)[0], self.accessors.raw(index)[0].dtype)
        return out

    def _variants(self, obj: Obj) -> tuple[tuple[int, tuple[int, ...]], ...]:
        table = obj.extension("KHR_materials_variants")
        if table is None:
            return ()
        return tuple(
            (m.need_integer("material", below=self.materials), m.integers("variants", self.variants))
            for m in table.children("mappings")
        )

    def _same_counts(self, obj: Obj, prim: Primitive, count: int) -> None:
        named = {"NORMAL": prim.normals, "TANGENT": prim.tangents, "JOINTS_0": prim.joints, **prim.custom}
        named |= {f"TEXCOORD_{i}": t for i, t in enumerate(prim.texcoords)}
        named |= {f"COLOR_{i}": t for i, t in enumerate(prim.colours)}
        for i, t in enumerate(prim.targets):
            named |= {f"target {i} position": t.positions, f"target {i} normal": t.normals}
            named |= {f"target {i} tangent": t.tangents}
        for name, values in named.items():
            if values is not None and len(values) != count:
                raise obj.fail(name, f"{len(values)} values", f"{count}, one a vertex")


def _rgba(colour: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """Colours (V, 3) or (V, 4) as (V, 4), alpha 1 where there is none."""
    if colour.shape[1] == 4:
        return colour
    out = np.ones((len(colour), 4), dtype=np.float32)
    out[:, :3] = colour
    return frozen(out)

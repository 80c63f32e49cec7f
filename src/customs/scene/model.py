"""The scene: frozen dataclasses over read-only arrays. A step returns a new Scene that shares what it did not
change.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar

import numpy as np
import numpy.typing as npt

from customs.scene.content import Encoded
from customs.scene.convention import WORKING, Convention
from customs.scene.key import Key
from customs.scene.kinds import NO_KINDS, KindNotes
from customs.scene.layers import LAYER_COLOURS, LAYER_SLOTS, Value
from customs.scene.person import Person
from customs.scene.placements import NO_PLACEMENTS, Placements
from customs.scene.pointers import Pointer
from customs.scene.springs import Spring
from customs.scene.things import NO_EXTRAS as NO_EXTRAS
from customs.scene.things import Camera as Camera
from customs.scene.things import Collider as Collider
from customs.scene.things import CollisionShape as CollisionShape
from customs.scene.things import Held as Held
from customs.scene.things import Light as Light
from customs.scene.things import Post as Post
from customs.scene.voxels import Voxels
from customs.scene.wishes import NO_WISHES, Wishes

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
Array = npt.NDArray[Any]

Mode = Literal[
    "points", "lines", "line_loop", "line_strip", "triangles", "triangle_strip", "triangle_fan", "polygons"
]


@dataclass(frozen=True, eq=False)
class Remark:
    """Something measured or noticed on the way that stops nothing; `values` are its facts as data, by
    name.
    """

    text: str
    subject: Key | None = None
    values: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)


@dataclass(frozen=True, eq=False)
class Node:
    """A node. `translation` (3,), `rotation` (4,) quaternion x y z w, `scale` (3,), all float64.

    `matrix` (4, 4) float64, column vectors, is set only where translation, rotation and scale cannot say it
    (shear). `bone` is the bone of the VRM humanoid map it stands for, "" for none.
    """

    key: Key
    name: str
    children: tuple[int, ...] = ()
    translation: F64 = field(default_factory=lambda: np.zeros(3))
    rotation: F64 = field(default_factory=lambda: np.array([0.0, 0.0, 0.0, 1.0]))
    scale: F64 = field(default_factory=lambda: np.ones(3))
    matrix: F64 | None = None
    mesh: int | None = None
    skin: int | None = None
    holds: tuple[Held, ...] = ()
    weights: F32 | None = None
    bone: str = ""
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)
    made_from: tuple[Key, ...] = ()


@dataclass(frozen=True, eq=False)
class MorphTarget:
    """Offsets of one morph target: `positions`, `normals`, `tangents` each (V, 3) float32 or None."""

    positions: F32 | None = None
    normals: F32 | None = None
    tangents: F32 | None = None


@dataclass(frozen=True, eq=False)
class Primitive:
    """One drawable part of a mesh.

    `positions`, `normals` (V, 3), `tangents` (V, 4), `texcoords` each (V, 2), `colours` each (V, 4) linear,
    all float32; `joints` (V, K) uint16 and `weights` (V, K) float32 with K a multiple of four;
    `indices` flat uint32, or None for 0..V-1. For mode `polygons`, `sizes` (P,) uint32 says how many of the
    flat indices each polygon takes and `triangulation` (F, 3) uint32 is its division into triangles.
    `source_primitive`, `source_face` (F,) uint32 point back to where merged triangles came from.
    """

    key: Key
    positions: F32
    mode: Mode = "triangles"
    indices: U32 | None = None
    normals: F32 | None = None
    tangents: F32 | None = None
    texcoords: tuple[F32, ...] = ()
    colours: tuple[F32, ...] = ()
    joints: npt.NDArray[np.uint16] | None = None
    weights: F32 | None = None
    material: int | None = None
    targets: tuple[MorphTarget, ...] = ()
    custom: Mapping[str, Array] = field(default_factory=lambda: NO_EXTRAS)
    sizes: U32 | None = None
    triangulation: U32 | None = None
    variants: tuple[tuple[int, tuple[int, ...]], ...] = ()
    source_primitive: U32 | None = None
    source_face: U32 | None = None
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)
    made_from: tuple[Key, ...] = ()


@dataclass(frozen=True, eq=False)
class Mesh:
    """Primitives drawn together; `weights` (T,) float32 are the default morph weights.

    `levels` are its coarser versions, the finest first; their primitives have the Keys of those they were made from, whose
    materials count. `reach` is up to how many metres it and each of them is shown, () where nothing is said.
    """

    key: Key
    name: str
    primitives: tuple[Primitive, ...]
    weights: F32 | None = None
    target_names: tuple[str, ...] = ()
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)
    made_from: tuple[Key, ...] = ()
    levels: tuple[Mesh, ...] = ()
    reach: tuple[float, ...] = ()


@dataclass(frozen=True)
class Sampler:
    """Texture sampling, values as in glTF 2.0 (OpenGL numbers)."""

    mag: int | None = None
    min: int | None = None
    wrap_s: int = 10497
    wrap_t: int = 10497


@dataclass(frozen=True, eq=False)
class TextureUse:
    """An image in a material slot. `offset`, `rotation` (radians), `scale` as in KHR_texture_transform."""

    image: int
    texcoord: int = 0
    sampler: Sampler = field(default_factory=Sampler)
    strength: float = 1.0
    offset: tuple[float, float] = (0.0, 0.0)
    rotation: float = 0.0
    scale: tuple[float, float] = (1.0, 1.0)
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)

    @property
    def transformed(self) -> bool:
        """True when offset, rotation or scale is not the default."""
        return self.offset != (0.0, 0.0) or self.rotation != 0.0 or self.scale != (1.0, 1.0)


COLOUR_SLOTS = (
    "base_colour",
    "emissive",
    "diffuse",
    "specular",
    "specular_glossiness",
    "detail",
    *LAYER_COLOURS,
)
"""Roles whose textures are sRGB; all others hold data in linear numbers."""

NORMAL_SLOTS = frozenset({"normal", "detail_normal", "clearcoat_normal"})
"""Roles whose textures hold unit vectors."""

STANDARD_SLOTS = (
    "base_colour",
    "metallic_roughness",
    "normal",
    "occlusion",
    "emissive",
    "diffuse",
    "specular_glossiness",
)
"""Roles glTF 2.0 and KHR_materials_pbrSpecularGlossiness have a place for."""

LOOSE_SLOTS = (
    "metallic", "roughness", "glossiness", "specular", "opacity", "height", "detail", "detail_normal", "parameters",
)  # fmt: skip
"""Roles of textures that come or go apart: one value a texture, a detail laid over, values packed by a
sheet's pattern.
"""

GLTF_SLOTS = (*STANDARD_SLOTS, *LAYER_SLOTS)
"""Roles glTF 2.0 has a place for, with all its material extensions."""

SLOTS = (*GLTF_SLOTS, *LOOSE_SLOTS)


@dataclass(frozen=True, eq=False)
class Material:
    """A material in glTF 2.0 terms. `model` is "pbr", "unlit" or "specular_glossiness". Colours are
    linear. `layers` are values of further extensions (`scene.layers`), those that are not at rest.
    """

    key: Key
    name: str
    model: Literal["pbr", "unlit", "specular_glossiness"] = "pbr"
    base_colour: tuple[float, float, float, float] = (1.0, 1.0, 1.0, 1.0)
    metallic: float = 1.0
    roughness: float = 1.0
    emissive: tuple[float, float, float] = (0.0, 0.0, 0.0)
    emissive_strength: float = 1.0
    diffuse: tuple[float, float, float, float] = (1.0, 1.0, 1.0, 1.0)
    specular: tuple[float, float, float] = (1.0, 1.0, 1.0)
    glossiness: float = 1.0
    alpha_mode: Literal["opaque", "mask", "blend"] = "opaque"
    alpha_cutoff: float = 0.5
    double_sided: bool = False
    layers: Mapping[str, Value] = field(default_factory=lambda: NO_EXTRAS)
    textures: Mapping[str, TextureUse] = field(default_factory=lambda: NO_EXTRAS)
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)
    made_from: tuple[Key, ...] = ()


@dataclass(frozen=True, eq=False)
class Image:
    """A texture image: encoded source bytes, or `pixels` (H, W, C) uint8 or uint16 where a step has changed
    them.

    `problem` says why there are neither. `space` is the colour space a step has marked it with, "" for what
    its file says; `green` the direction of its green channel, "" for what its pixels or its origin say.
    `uri` is the name as the source file spelt it.
    """

    key: Key
    name: str
    content: Encoded | None = None
    pixels: Array | None = None
    uri: str = ""
    problem: str = ""
    space: Literal["", "srgb", "linear"] = ""
    green: Literal["", "up", "down"] = ""
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)
    made_from: tuple[Key, ...] = ()

    @property
    def there(self) -> bool:
        """True when it has bytes or pixels."""
        return self.content is not None or self.pixels is not None


@dataclass(frozen=True, eq=False)
class Skin:
    """`joints` are node indices; `inverse_bind` (J, 4, 4) float64, column vectors."""

    key: Key
    name: str
    joints: tuple[int, ...]
    inverse_bind: F64
    root: int | None = None
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)
    made_from: tuple[Key, ...] = ()


Thing = TypeVar("Thing", bound=Held)
ChannelPath = Literal["translation", "rotation", "scale", "weights"]


@dataclass(frozen=True, eq=False)
class Channel:
    """Keys of one property of one node. `times` (K,) float32 in seconds.

    `values` is (K, N) float32, or (K, 3, N) for "cubic" (in-tangent, value, out-tangent).
    """

    node: int
    path: ChannelPath
    times: F32
    values: F32
    interpolation: Literal["linear", "step", "cubic"] = "linear"


@dataclass(frozen=True, eq=False)
class Clip:
    """One named stretch of animation; `pointers` are what it does to other things than nodes."""

    key: Key
    name: str
    channels: tuple[Channel, ...]
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)
    made_from: tuple[Key, ...] = ()
    pointers: tuple[Pointer, ...] = ()

    @property
    def seconds(self) -> float:
        """Time of the last key of any channel, in seconds; without one, of any pointer."""
        return max((float(c.times[-1]) for c in self.channels or self.pointers if len(c.times)), default=0.0)

    @property
    def alive(self) -> bool:
        """True where it moves or changes anything."""
        return bool(self.channels or self.pointers)


@dataclass(frozen=True, eq=False)
class Scene:
    """An asset. All indices are into the tuples of this scene; `placements` are meshes it repeats, beside
    those its nodes show; `suffixes` are the parts of texture names its origin has.

    `kinds` is what lists and persons say of the kinds of its things, `parts` in which list of their own some are delivered; `wishes` are what steps wish of the delivery; `rights` what the file itself says of
    author, licence and terms; `listed` is how many of each the file lists and numbers.
    """

    name: str
    digest: str
    nodes: tuple[Node, ...] = ()
    roots: tuple[int, ...] = ()
    meshes: tuple[Mesh, ...] = ()
    materials: tuple[Material, ...] = ()
    images: tuple[Image, ...] = ()
    skins: tuple[Skin, ...] = ()
    clips: tuple[Clip, ...] = ()
    variants: tuple[str, ...] = ()
    springs: tuple[Spring, ...] = ()
    person: Person | None = None
    placements: Placements = NO_PLACEMENTS
    voxels: Voxels | None = None
    suffixes: Mapping[str, tuple[str, ...]] = field(default_factory=lambda: NO_EXTRAS)
    wishes: Wishes = NO_WISHES
    kinds: KindNotes = NO_KINDS
    parts: KindNotes = NO_KINDS
    listed: Mapping[str, int] = field(default_factory=lambda: NO_EXTRAS)
    convention: Convention = WORKING
    format: str = ""
    unknown: tuple[str, ...] = ()
    copyright: str = ""
    rights: Mapping[str, str] = field(default_factory=lambda: NO_EXTRAS)
    generator: str = ""
    remarks: tuple[Remark, ...] = ()
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)

    @property
    def cameras(self) -> tuple[Camera, ...]:
        """Cameras its nodes hold, each once."""
        return self.held(Camera)

    @property
    def lights(self) -> tuple[Light, ...]:
        """Lights its nodes hold, each once."""
        return self.held(Light)

    def held(self, kind: type[Thing]) -> tuple[Thing, ...]:
        """Things of a kind that its nodes hold, each once, in the order of the nodes."""
        return tuple({id(h): h for n in self.nodes for h in n.holds if isinstance(h, kind)}.values())

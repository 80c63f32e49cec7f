"""The schema of a destination sheet. Lengths are metres unless a name says otherwise."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, field_validator, model_validator

from customs.conventions.axes import check_axes
from customs.conventions.origin import Footing
from customs.errors import CustomsError
from customs.patterns import problem_of
from customs.scene.convention import Axis, Convention, Front, Hand, Up
from customs.scene.model import SLOTS
from customs.sheet.documents import Bundle, DocumentRules, KitRules
from customs.sheet.fittings import LevelRules, PictureRules, PlotRules, PostRules, ShapeRules
from customs.sheet.form import FieldRules
from customs.sheet.grounds import GroundRules
from customs.sheet.part import Part, check_pattern, filled, inside_package
from customs.sheet.told import LogRules
from customs.sheet.voxels import VoxelRules
from customs.surface.pattern import parse_pattern, pattern_text

Rule = Literal["required", "allowed", "forbidden"]
ClipFiles = Literal["together", "each", "first-with-mesh", "only"]
"""Clips all in the model's file; each in a file with mesh; the first with the mesh and the others alone; all
alone.
"""


class Axes(Part):
    """Axes, unit and sides."""

    up: Axis = "+Y"
    faces: Axis = "+Z"
    hand: Hand = "right"
    metres_per_unit: float = Field(default=1.0, gt=0, le=1e6)
    front: Front = "ccw"
    green: Up = "up"
    unit_name: str = "m"

    @model_validator(mode="after")
    def _axes(self) -> Axes:
        try:
            check_axes(self.up, self.faces)
        except CustomsError as problem:
            raise ValueError(f"{problem.found}: {problem.expected}") from None
        return self

    def convention(self, v: Up) -> Convention:
        """As a convention, with the V direction of the model format."""
        return Convention(
            up=self.up,
            faces=self.faces,
            hand=self.hand,
            metres_per_unit=self.metres_per_unit,
            front=self.front,
            v=v,
            green=self.green,
            stated="format",
        )


class Model(Part):
    """The model file and the shape of its tree."""

    format: str = "glb"
    form: dict[str, Any] = Field(default_factory=dict)
    """What the format's writer takes: `text` of PLY and STL, `decimals` of OBJ."""
    textures: Literal["inside", "apart"] = "inside"
    own_axes_note: str = ""
    footing: Footing = "as-received"
    settled: bool = False
    single_mesh: bool = False
    mesh_under_root: bool = False
    max_depth: int | None = Field(default=None, ge=1)
    empty_nodes: Rule = "allowed"
    cameras: Rule = "allowed"
    lights: Rule = "allowed"
    min_size: tuple[float, float, float] | None = None
    max_size: tuple[float, float, float] | None = None
    example: str = ""
    extensions: tuple[str, ...] | None = None


class MeshRules(Part):
    """Limits on meshes."""

    max_vertices: int | None = Field(default=None, ge=3)
    max_triangles: int | None = Field(default=None, ge=1)
    max_primitive_vertices: int | None = Field(default=None, ge=3)
    triangle_lists: bool = True
    loose_points_lines: Rule = "forbidden"
    normals: Rule = "required"
    tangents: Literal["with-normal-map", "allowed", "forbidden"] = "allowed"
    texcoords: Literal["with-texture", "required", "allowed"] = "with-texture"
    max_texcoord_sets: int | None = Field(default=None, ge=1)
    texcoords_in_square: bool = False
    vertex_colours: Rule = "allowed"
    welded: bool = True
    morphs: Rule = "allowed"
    normal_angle: float = Field(default=40.0, ge=0, le=180)


class Materials(Part):
    """Limits on materials."""

    max_count: int | None = Field(default=None, ge=1)
    models: tuple[Literal["pbr", "unlit", "specular_glossiness"], ...] = ("pbr",)
    double_sided: Rule = "allowed"
    every_face: bool = True


Form = Literal["png", "jpeg", "tga", "bmp", "webp", "dds", "ktx2"]
Block = Literal["", "bc1", "bc3", "bc4", "bc5", "bc7"]


class Blocks(Part):
    """Block compression by what a texture holds; "" is none. `alpha` is colour with alpha, `packed` several
    values.
    """

    colour: Block = ""
    alpha: Block = ""
    normal: Block = ""
    packed: Block = ""
    grey: Block = ""


class TextureRules(Part):
    """Limits on textures; edges in pixels, densities in pixels per metre."""

    formats: tuple[Form, ...] = ("png", "jpeg")
    max_edge: int = Field(default=4096, ge=1, le=16384)
    min_edge: int = Field(default=1, ge=1, le=16384)
    power_of_two: bool = False
    square: bool = False
    bits: tuple[int, ...] = (8,)
    missing: Literal["held", "query"] = "held"
    blocks: Blocks = Blocks()
    quality: Literal["quick", "best"] = "best"
    mips: bool = False
    header: Literal["dx10", "legacy"] = "dx10"
    zstd: bool = False
    also: tuple[Form, ...] = ()
    roles: tuple[str, ...] | None = None
    required: tuple[str, ...] = ()
    pack: str = ""
    unused_channels: Rule = "allowed"
    suffixes: dict[str, str] = {}
    density: tuple[float, float] | None = None
    overlap: Rule = "allowed"

    @field_validator("roles", "required")
    @classmethod
    def _slots(cls, value: tuple[str, ...] | None) -> tuple[str, ...] | None:
        for role in value or ():
            if role not in SLOTS:
                raise ValueError(f"role {role!r}: one of {', '.join(SLOTS)}")
        return value

    @field_validator("pack")
    @classmethod
    def _pattern(cls, value: str) -> str:
        return pattern_text(parse_pattern(value)) if value else ""


class Rig(Part):
    """Skins and clips."""

    skins: Rule = "allowed"
    influences: int = Field(default=4, ge=1, le=16)
    max_joints: int | None = Field(default=None, ge=1)
    max_mesh_joints: int | None = Field(default=None, ge=2)
    clips: Rule = "allowed"
    clip_files: tuple[ClipFiles, ...] = Field(default=("together",), min_length=1)
    files: Literal["together", "split"] = "together"
    max_clip_seconds: float | None = Field(default=None, gt=0)
    rate: float | None = Field(default=None, gt=0, le=1000)
    loops: tuple[str, ...] = ()
    root_motion: Rule = "allowed"
    bind_pose: Literal["required", "allowed"] = "allowed"
    scaled_joints: Rule = "allowed"
    one_skeleton: bool = False
    outlines: Rule = "allowed"
    donor: bool = False
    donor_version: int | None = Field(default=None, ge=1)
    order_numbers: bool = False
    order_textures: bool = False
    """The order number of a mesh picks its textures too."""
    humanoid: Rule = "allowed"


def check_expression(value: str) -> str:
    """`value` when it is a regular expression names can be matched by. Raises ValueError."""
    if why := problem_of(value):
        raise ValueError(why)
    return value


Pattern = Annotated[str, AfterValidator(check_pattern)]
"""Text with {tokens}, all of them known."""
Expression = Annotated[str, AfterValidator(check_expression)]
"""A regular expression that is matched in one pass."""


class Names(Part):
    """Patterns with {asset} {name} {index} {material} {role} {later} {part} {side} {place} {order} {number} {original}, and what a
    name may look like. The page Patterns of the guide says what each token stands for, with examples.

    {role} is the sheet's suffix for the role, {side} that of `sides`; {later} is nothing for the first material with textures, then
    `later` with {index} 2, 3, …
    """

    asset: Pattern = "{asset}"
    node: Pattern = "{name}"
    mesh: Pattern = "{name}"
    material: Pattern = "{name}"
    image: Pattern = "{name}"
    skin: Pattern = "{name}"
    clip: Pattern = "{name}"
    allowed: Expression = r".+"
    lower: bool = False
    max_length: int = Field(default=64, ge=1, le=255)
    unique: bool = True
    placements_unique: bool = True
    """Of what a level repeats too, each by itself; where not, placements may share a name."""
    reserved: tuple[str, ...] = ()
    """Names the destination keeps for itself, in whatever case."""
    later: str = "_{index}"
    sides: dict[Literal["left", "right"], str] = {"left": "left", "right": "right"}

    @field_validator("later")
    @classmethod
    def _counts(cls, value: str) -> str:
        if "{index}" not in check_pattern(value):
            raise ValueError("a pattern with {index}")
        return value


class Layout(Part):
    """Where files go inside the package, relative, with forward slashes."""

    model: str = "{asset}{ending}"
    texture: str = "textures/{name}{ending}"
    clip: str = "{asset}_{name}{ending}"
    skeleton: str = "{asset}_skeleton{ending}"
    licence: str = "rights.txt"
    facts: str = ""
    """The asset's document: levels with their distances, shapes and posts as numbers; "" for none."""
    source: str = ""
    """The folder the editable source's own files are taken along in; "" leaves them out."""
    bundle: Bundle = "none"
    """All files but the docket once more, as one archive beside them, to hand out."""

    def bundle_place(self, asset: str) -> str:
        """The path of the bundle inside the package, "" for none."""
        return f"{asset}.{self.bundle}" if self.bundle != "none" else ""

    def facts_place(self, asset: str) -> str:
        """The path of the asset's document inside the package, "" for none."""
        return filled(self.facts, asset, ending=".json")

    @field_validator("model", "texture", "clip", "skeleton", "licence", "facts", "source")
    @classmethod
    def _inside(cls, value: str) -> str:
        return inside_package(value) if value else value


class Rights(Part):
    """What the destination asks of rights slips."""

    licence_required: bool = False


class Stamp(Part):
    """The version the source must say it was made for: read by `pattern` (its first group, or all of it) from texts
    called like one of `files` beside the source or above it. `differs` says what is known of other versions.
    """

    pattern: str = ""
    files: tuple[str, ...] = ("version*", "manifest*", "*.log")
    expected: str = ""
    differs: dict[str, str] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _whole(self) -> Stamp:
        if self.pattern and (problem := problem_of(self.pattern)):
            raise ValueError(f"pattern {self.pattern!r}: {problem}")
        if bool(self.pattern) != bool(self.expected):
            raise ValueError("pattern and expected go together")
        return self


class Sheet(Part):
    """One destination sheet."""

    version: Literal[1] = 1
    extends: str = ""
    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]*$", max_length=64)
    title: str = Field(min_length=1, max_length=60)
    summary: str = ""
    edition: int = Field(default=1, ge=1)
    axes: Axes = Axes()
    model: Model = Model()
    mesh: MeshRules = MeshRules()
    materials: Materials = Materials()
    textures: TextureRules = TextureRules()
    rig: Rig = Rig()
    levels: LevelRules = LevelRules()
    shapes: ShapeRules = ShapeRules()
    posts: PostRules = PostRules()
    pictures: tuple[PictureRules, ...] = ()
    plot: PlotRules = PlotRules()
    grounds: GroundRules = GroundRules()
    voxels: VoxelRules = VoxelRules()
    names: Names = Names()
    layout: Layout = Layout()
    form: tuple[FieldRules, ...] = ()
    kit: KitRules = KitRules()
    documents: tuple[DocumentRules, ...] = ()
    log: tuple[LogRules, ...] = ()
    rights: Rights = Rights()
    stamp: Stamp = Stamp()

    @model_validator(mode="after")
    def _numbers_have_a_place(self) -> Sheet:
        names = [f.id for f in self.form]
        if len(set(names)) < len(names):
            raise ValueError("form: each field once")
        if lost := next((f.after for f in self.form if f.after and f.after not in names), ""):
            raise ValueError(f"form: there is no field {lost} for a number to stand behind")
        if self.shapes.form in ("numbers", "both") and not self.layout.facts:
            raise ValueError("shapes.form: numbers need a document: layout.facts")
        return self

    @property
    def asks_fittings(self) -> bool:
        """True where levels, shapes or posts have to be there, and the document that tells of them."""
        shapes = self.shapes.form != "none" and self.shapes.purposes
        return bool(shapes or self.posts.required or (self.levels.form != "none" and self.levels.least > 1))

    @property
    def goes_into_kit(self) -> bool:
        """True where there is something to do in the destination's own folder."""
        return bool(self.kit.place or self.documents)

    def ticket(self) -> str:
        """One line for the destination ticket: unit, up, facing, edition."""
        axes = self.axes.convention("down")
        return f"{self.axes.unit_name} · {axes.axes_text()} · sheet {self.edition}"

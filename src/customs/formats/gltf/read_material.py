"""Materials, textures and images."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, cast

from customs.formats.gltf.accessors import Accessors
from customs.formats.gltf.buffers import decode_data_uri
from customs.formats.gltf.document import Obj
from customs.formats.gltf.layers import EXTENSIONS, read_layers
from customs.formats.source import Source
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Image, Material, Sampler, TextureUse
from customs.surface.pixels import probe

KNOWN = frozenset(
    {
        "KHR_materials_unlit",
        "KHR_materials_emissive_strength",
        "KHR_materials_pbrSpecularGlossiness",
        *EXTENSIONS,
    }
)
IMAGE_EXTENSIONS = frozenset({"EXT_texture_webp", "KHR_texture_basisu", "MSFT_texture_dds"})
"""Extensions by which a texture names an image that is neither PNG nor JPEG."""
FILTERS = {9728, 9729, 9984, 9985, 9986, 9987}
WRAPS = {33071, 33648, 10497}


@dataclass
class MaterialReader:
    """Reads the surface side of one document."""

    root: Obj
    accessors: Accessors
    source: Source
    digest: str
    unknown: set[str]
    images: tuple[Image, ...] = field(init=False)
    textures: tuple[tuple[int | None, Sampler], ...] = field(init=False)

    def __post_init__(self) -> None:
        self.images = tuple(self._image(o, i) for i, o in enumerate(self.root.children("images")))
        samplers = tuple(self._sampler(o) for o in self.root.children("samplers"))
        self.textures = tuple(self._texture(o, samplers) for o in self.root.children("textures"))

    def materials(self) -> tuple[Material, ...]:
        """All materials. Raises ReadError."""
        return tuple(self._material(o, i) for i, o in enumerate(self.root.children("materials")))

    def _image(self, obj: Obj, index: int) -> Image:
        uri, mime = obj.text("uri"), obj.text("mimeType")
        view = obj.integer("bufferView", None, below=len(self.accessors.views))
        content, problem, shown = None, "", ""
        if view is not None:
            content = Encoded(self.accessors.view_bytes(view)[0], mime)
        elif uri:
            inline = decode_data_uri(uri, obj, "uri")
            if inline:
                content = Encoded(inline[0], inline[1])
            else:
                shown = uri
                path = self.source.companion(uri, f"{obj.where}/uri")
                content = self.source.encoded(path, mime) if path else None
                problem = "" if path else f"{uri} is not there"
        else:
            problem = "neither uri nor bufferView"
        name = obj.text("name") or (uri.rsplit("/", 1)[-1].rsplit(".", 1)[0] if shown else f"image {index}")
        image = Image(
            key=Key(self.digest, "image", index),
            name=name,
            content=content,
            uri=shown,
            problem=problem,
            extras=obj.extras(frozenset(), self.unknown),
        )
        trouble = probe(image)
        return image if trouble == problem else Image(**{**image.__dict__, "problem": trouble})

    def _strange(self, obj: Obj, known: frozenset[str] = frozenset()) -> None:
        """Note what is not understood of something that has no place for it in the scene: it is left out, and said so."""
        found = set[str]()
        obj.extras(known, found)
        self.unknown |= {f"{name} of {obj.where.strip('/')}" for name in found}

    def _sampler(self, obj: Obj) -> Sampler:
        mag, low = obj.integer("magFilter"), obj.integer("minFilter")
        wrap_s, wrap_t = obj.integer("wrapS", 10497), obj.integer("wrapT", 10497)
        for name, value, allowed in (
            ("magFilter", mag, {9728, 9729, None}),
            ("minFilter", low, FILTERS | {None}),
            ("wrapS", wrap_s, WRAPS),
            ("wrapT", wrap_t, WRAPS),
        ):
            if value not in allowed:
                raise obj.fail(name, value, "a value of glTF 2.0, 5.26")
        self._strange(obj)
        return Sampler(mag, low, wrap_s or 10497, wrap_t or 10497)

    def _texture(self, obj: Obj, samplers: tuple[Sampler, ...]) -> tuple[int | None, Sampler]:
        image = obj.integer("source", None, below=len(self.images))
        for name in IMAGE_EXTENSIONS:
            # What the file prefers; the other is for readers that know no more.
            if (said := obj.extension(name)) is not None:
                image = said.integer("source", image, below=len(self.images))
        sampler = obj.integer("sampler", None, below=len(samplers))
        obj.text("name")
        self._strange(obj, IMAGE_EXTENSIONS)
        return image, samplers[sampler] if sampler is not None else Sampler()

    def _use(self, obj: Obj | None, strength: str = "") -> TextureUse | None:
        """A texture info; None when absent or when its texture has no image of a core kind."""
        if obj is None:
            return None
        image, sampler = self.textures[obj.need_integer("index", below=len(self.textures))]
        coord = obj.integer("texCoord", 0) or 0
        moved = obj.extension("KHR_texture_transform")
        offset, rotation, scale = (0.0, 0.0), 0.0, (1.0, 1.0)
        if moved is not None:
            offset = cast(tuple[float, float], moved.numbers("offset", 2, offset))
            scale = cast(tuple[float, float], moved.numbers("scale", 2, scale))
            rotation = moved.number("rotation", 0.0)
            coord = moved.integer("texCoord", coord) or 0
        amount = obj.number(strength, 1.0) if strength else 1.0
        extras = obj.extras(frozenset({"KHR_texture_transform"}), self.unknown)
        if image is None:
            self.unknown.add("texture without a core image")
            return None
        return TextureUse(image, coord, sampler, amount, offset, rotation, scale, extras)

    def _material(self, obj: Obj, index: int) -> Material:
        values: dict[str, Any] = {"name": obj.text("name") or f"material {index}"}
        uses: dict[str, TextureUse | None] = {}
        self._metallic(obj.child("pbrMetallicRoughness"), values, uses)
        self._common(obj, values, uses)
        self._specular(obj.extension("KHR_materials_pbrSpecularGlossiness"), values, uses)
        if (
            obj.extension("KHR_materials_unlit") is not None
            or obj.extension("VRMC_materials_mtoon") is not None
        ):
            values["model"] = "unlit"
        strength = obj.extension("KHR_materials_emissive_strength")
        if strength is not None:
            values["emissive_strength"] = strength.number("emissiveStrength", 1.0, least=0)
        values["layers"], more = read_layers(obj, self._use, self.unknown)
        uses |= more
        return Material(
            key=Key(self.digest, "material", index),
            textures={k: v for k, v in uses.items() if v is not None},
            extras=obj.extras(KNOWN, self.unknown),
            **values,
        )

    def _metallic(self, pbr: Obj | None, values: dict[str, Any], uses: dict[str, TextureUse | None]) -> None:
        if pbr is None:
            return
        values["base_colour"] = pbr.numbers("baseColorFactor", 4, (1, 1, 1, 1))
        values["metallic"] = pbr.number("metallicFactor", 1.0, 0, 1)
        values["roughness"] = pbr.number("roughnessFactor", 1.0, 0, 1)
        uses["base_colour"] = self._use(pbr.child("baseColorTexture"))
        uses["metallic_roughness"] = self._use(pbr.child("metallicRoughnessTexture"))
        self._strange(pbr)

    def _common(self, obj: Obj, values: dict[str, Any], uses: dict[str, TextureUse | None]) -> None:
        uses["normal"] = self._use(obj.child("normalTexture"), "scale")
        uses["occlusion"] = self._use(obj.child("occlusionTexture"), "strength")
        uses["emissive"] = self._use(obj.child("emissiveTexture"))
        values["emissive"] = obj.numbers("emissiveFactor", 3, (0, 0, 0))
        mode = obj.text("alphaMode", "OPAQUE")
        if mode not in ("OPAQUE", "MASK", "BLEND"):
            raise obj.fail("alphaMode", mode, "OPAQUE, MASK or BLEND")
        values["alpha_mode"] = mode.lower()
        values["alpha_cutoff"] = obj.number("alphaCutoff", 0.5, least=0)
        values["double_sided"] = obj.flag("doubleSided")

    def _specular(self, obj: Obj | None, values: dict[str, Any], uses: dict[str, TextureUse | None]) -> None:
        if obj is None:
            return
        values["model"] = "specular_glossiness"
        values["diffuse"] = obj.numbers("diffuseFactor", 4, (1, 1, 1, 1))
        values["specular"] = obj.numbers("specularFactor", 3, (1, 1, 1))
        values["glossiness"] = obj.number("glossinessFactor", 1.0, 0, 1)
        uses["diffuse"] = self._use(obj.child("diffuseTexture"))
        uses["specular_glossiness"] = self._use(obj.child("specularGlossinessTexture"))

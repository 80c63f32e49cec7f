"""Materials, textures and, where they go inside, the texture files themselves."""

from __future__ import annotations

from customs.errors import WriteError
from customs.formats.fbx.objects import Objects, colour, number, setting, table, vector
from customs.formats.fbx.write_mesh import material_slots
from customs.formats.image_write import deliveries, encode
from customs.formats.opacity import seen_opacity
from customs.formats.registry import WriteOptions
from customs.scene.model import Image, Material, Mesh, Scene, TextureUse
from customs.surface.files.base import texture_format

PROPERTIES = {
    "base_colour": "DiffuseColor",
    "diffuse": "DiffuseColor",
    "normal": "NormalMap",
    "emissive": "EmissiveColor",
    "opacity": "TransparentColor",
    "specular": "SpecularColor",
    "glossiness": "ShininessExponent",
    "height": "Bump",
    "occlusion": "AmbientColor",
    "metallic": "ReflectionFactor",
}
"""Material properties textures are connected to, by role; FBX has no place for other roles (common
practice).
"""


def phong_exponent(roughness: float) -> float:
    """n = 2 / alpha² − 2 with alpha = roughness² (Walter et al. 2007; glTF 2.0, appendix B.2)."""
    alpha = max(roughness, 0.01) ** 2
    return 2 / alpha**2 - 2


class MaterialWriter:
    """Materials made once, connected to every model that uses them."""

    def __init__(self, scene: Scene, options: WriteOptions, objects: Objects) -> None:
        self.scene, self.options, self.objects = scene, options, objects
        self._materials: dict[int, int] = {}
        self._videos: dict[int, tuple[int, str]] = {}

    def use(self, mesh: Mesh, model: int) -> None:
        """Connect the materials of `mesh` in the order its faces count them."""
        for number_ in material_slots(mesh):
            if number_ is not None:
                self.objects.link(self._material(number_), model)

    def _material(self, index: int) -> int:
        if index in self._materials:
            return self._materials[index]
        m = self.scene.materials[index]
        id_, record = self.objects.add("Material", m.name, "Material", "")
        self._materials[index] = id_
        base = m.diffuse if m.model == "specular_glossiness" else m.base_colour
        record.add("Version", 102)
        record.add("ShadingModel", "phong")
        record.add("MultiLayer", 0)
        rough = 1 - m.glossiness if m.model == "specular_glossiness" else m.roughness
        table(
            record,
            setting("ShadingModel", "KString", "", "", "phong"),
            colour("DiffuseColor", base[:3]),
            number("DiffuseFactor", 1.0, "A"),
            colour("EmissiveColor", m.emissive),
            number("EmissiveFactor", m.emissive_strength, "A"),
            colour("SpecularColor", m.specular if m.model == "specular_glossiness" else (0.2, 0.2, 0.2)),
            number("ShininessExponent", phong_exponent(rough), "A"),
            number("ReflectionFactor", m.metallic, "A"),
            number("TransparencyFactor", 1 - seen_opacity(m), "A"),
            number("Opacity", seen_opacity(m)),
        )
        self._textures(m, id_)
        return id_

    def _textures(self, m: Material, material: int) -> None:
        for role, use in m.textures.items():
            if role in PROPERTIES:
                texture = self._texture(use)
                self.objects.link(texture, material, PROPERTIES[role])
                if role in ("base_colour", "diffuse") and m.alpha_mode != "opaque":
                    self.objects.link(texture, material, "TransparentColor")

    def _texture(self, use: TextureUse) -> int:
        image = self.scene.images[use.image]
        video, path = self._video(use.image, image)
        id_, record = self.objects.add("Texture", image.name, "Texture", "")
        record.add("Type", "TextureVideoClip")
        record.add("Version", 202)
        record.add("TextureName", f"{image.name}\0\x01Texture")
        # FBX counts V from below: the shift of a scaled map changes with it, as in OBJ.
        offset = (use.offset[0], 1 - use.scale[1] - use.offset[1]) if use.transformed else (0.0, 0.0)
        table(
            record,
            setting("UVSet", "KString", "", "", f"UV {use.texcoord}"),
            vector("Translation", "Vector", (*offset, 0.0)),
            vector("Scaling", "Vector", (*use.scale, 1.0)),
            setting("WrapModeU", "enum", "", "", int(use.sampler.wrap_s == 33071)),
            setting("WrapModeV", "enum", "", "", int(use.sampler.wrap_t == 33071)),
        )
        record.add("Media", f"{image.name}\0\x01Video")
        record.add("FileName", path)
        record.add("RelativeFilename", path)
        record.add("ModelUVTranslation", *(float(v) for v in offset))
        record.add("ModelUVScaling", *(float(v) for v in use.scale))
        record.add("Texture_Alpha_Source", "Alpha_Black")
        if video:
            self.objects.link(video, id_)
        return id_

    def _video(self, index: int, image: Image) -> tuple[int, str]:
        """(number of the file object, path): the path of a texture apart, or its bytes inside."""
        if index in self._videos:
            return self._videos[index]
        path = self.options.image_path.get(index, "")
        content = b""
        if not path:
            how = deliveries(image, self.scene.wishes)[0]
            path = f"{image.name}{texture_format(how.form).endings[0]}"
            if image.there:
                content = encode(image, how)
        if not path:
            raise WriteError(
                f"texture {image.name} has no file", "bytes, or a path beside the model", file=image.uri
            )
        id_, record = self.objects.add("Video", image.name, "Video", "Clip")
        record.add("Type", "Clip")
        table(record, setting("Path", "KString", "XRefUrl", "", path))
        record.add("UseMipMap", 0)
        record.add("Filename", path)
        record.add("RelativeFilename", path)
        if content:
            record.add("Content", content)
        self._videos[index] = (id_, path)
        return id_, path

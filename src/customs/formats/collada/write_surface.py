"""Images, materials and effects of COLLADA (phong, profile_COMMON)."""

from __future__ import annotations

from urllib.parse import quote
from xml.etree.ElementTree import Element, SubElement

from customs.formats.image_write import delivered_form
from customs.formats.opacity import seen_opacity
from customs.formats.registry import WriteOptions
from customs.scene.model import Material, Scene
from customs.surface.files.base import texture_format

PLACES = {
    "base_colour": "diffuse",
    "diffuse": "diffuse",
    "emissive": "emission",
    "specular": "specular",
    "occlusion": "ambient",
}
"""Places of a phong effect a texture can stand in, by role."""


class SurfaceWriter:
    """Libraries of images, materials and effects."""

    def __init__(self, scene: Scene, options: WriteOptions) -> None:
        self.scene, self.options = scene, options

    def libraries(self, root: Element) -> None:
        """All three, where there is anything in them."""
        if not self.scene.materials:
            return
        used = sorted({u.image for m in self.scene.materials for r, u in m.textures.items() if r in PLACES})
        if used:
            images = SubElement(root, "library_images")
            for i in used:
                image = self.scene.images[i]
                ending = texture_format(delivered_form(image, self.scene.wishes)).endings[0]
                path = self.options.image_path.get(i) or f"{image.name}{ending}"
                SubElement(
                    SubElement(images, "image", id=f"image-{i}", name=image.name), "init_from"
                ).text = quote(path)
        materials, effects = SubElement(root, "library_materials"), SubElement(root, "library_effects")
        for i, m in enumerate(self.scene.materials):
            entry = SubElement(materials, "material", id=f"material-{i}", name=m.name)
            SubElement(entry, "instance_effect", url=f"#effect-{i}")
            self._effect(effects, i, m)

    def _effect(self, library: Element, number: int, material: Material) -> None:
        profile = SubElement(SubElement(library, "effect", id=f"effect-{number}"), "profile_COMMON")
        uses = {PLACES[r]: u for r, u in material.textures.items() if r in PLACES}
        for place, use in uses.items():
            surface = SubElement(
                SubElement(profile, "newparam", sid=f"{place}-surface"), "surface", type="2D"
            )
            SubElement(surface, "init_from").text = f"image-{use.image}"
            sampler = SubElement(SubElement(profile, "newparam", sid=f"{place}-sampler"), "sampler2D")
            SubElement(sampler, "source").text = f"{place}-surface"
        phong = SubElement(SubElement(profile, "technique", sid="common"), "phong")
        base = material.diffuse if material.model == "specular_glossiness" else material.base_colour
        plain = {
            "emission": (*material.emissive, 1.0),
            "ambient": (0.0, 0.0, 0.0, 1.0),
            "diffuse": (*base[:3], 1.0),
            "specular": (0.04, 0.04, 0.04, 1.0),
        }
        for place, colour in plain.items():
            e = SubElement(phong, place)
            if place in uses:
                SubElement(e, "texture", texture=f"{place}-sampler", texcoord="UV0")
            else:
                SubElement(e, "color").text = " ".join(f"{v:.6g}" for v in colour)
        alpha = max(material.roughness, 0.01) ** 2
        SubElement(SubElement(phong, "shininess"), "float").text = f"{2 / alpha**2 - 2:.6g}"
        if seen_opacity(material) < 1:
            SubElement(SubElement(phong, "transparent", opaque="A_ONE"), "color").text = "1 1 1 1"
            SubElement(SubElement(phong, "transparency"), "float").text = f"{seen_opacity(material):.6g}"

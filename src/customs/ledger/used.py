"""glTF extensions a scene would be written with."""

from __future__ import annotations

from customs.formats.gltf.xmp import PACKET, XMP
from customs.scene.layers import layers_in_use
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.scene.strangers import going
from customs.scene.swinging import swinging


def pointing(scene: Scene) -> int:
    """Animated values of materials, lights and cameras that would be written."""
    there = {m.key for m in scene.materials} | {h.key for h in (*scene.cameras, *scene.lights)}
    return sum(p.subject in there and p.tells(c.seconds) for c in scene.clips for p in c.pointers)


def extensions_used(scene: Scene) -> list[str]:
    """Names of the extensions a glTF of this scene needs, sorted."""
    used = prune(scene)
    out = set()
    if any(n.bone for n in used.nodes):
        out.add("VRMC_vrm")
        if used.person is not None and used.person.bonds:
            out.add("VRMC_node_constraint")
        if swinging(used):
            out.add("VRMC_springBone")
    out.update(going(used))
    if pointing(used):
        out.add("KHR_animation_pointer")
    if PACKET in used.rights:
        out.add(XMP)
    if used.lights:
        out.add("KHR_lights_punctual")
    if any(p.variants for m in used.meshes for p in m.primitives):
        out.add("KHR_materials_variants")
    for m in used.materials:
        if m.model == "unlit":
            out.add("KHR_materials_unlit")
        if m.model == "specular_glossiness":
            out.add("KHR_materials_pbrSpecularGlossiness")
        if m.emissive_strength != 1.0:
            out.add("KHR_materials_emissive_strength")
        out.update(x.extension for x in layers_in_use(m.layers, m.textures))
        if any(u.transformed for u in m.textures.values()):
            out.add("KHR_texture_transform")
    return sorted(out)

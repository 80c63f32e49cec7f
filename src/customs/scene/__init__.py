"""What an asset is in memory. Terms and index meanings are those of glTF 2.0."""

from customs.scene.convention import RAW_GLTF, WORKING, Convention
from customs.scene.key import Key
from customs.scene.model import (
    Camera,
    Channel,
    Clip,
    Image,
    Light,
    Material,
    Mesh,
    MorphTarget,
    Node,
    Primitive,
    Remark,
    Sampler,
    Scene,
    Skin,
    TextureUse,
)
from customs.scene.wishes import Delivery, Wishes

__all__ = [
    "RAW_GLTF",
    "WORKING",
    "Camera",
    "Channel",
    "Clip",
    "Convention",
    "Delivery",
    "Image",
    "Key",
    "Light",
    "Material",
    "Mesh",
    "MorphTarget",
    "Node",
    "Primitive",
    "Remark",
    "Sampler",
    "Scene",
    "Skin",
    "TextureUse",
    "Wishes",
]

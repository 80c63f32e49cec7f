"""The C structures of libassimp 6 that are read, as ctypes. Source: its public headers (scene.h, mesh.h,
anim.h, …).
"""

from __future__ import annotations

import ctypes as c

MAX_SETS = 8


class String(c.Structure):
    """aiString."""

    _fields_ = [("length", c.c_uint32), ("data", c.c_char * 1024)]

    def text(self) -> str:
        """As text; bytes that are not UTF-8 are read as Latin-1."""
        raw = bytes(self.data[: min(self.length, 1023)])
        try:
            return raw.decode("utf-8")
        except UnicodeDecodeError:
            return raw.decode("latin-1")


class MetadataEntry(c.Structure):
    """aiMetadataEntry."""

    _fields_ = [("type", c.c_int), ("data", c.c_void_p)]


class Metadata(c.Structure):
    """aiMetadata."""

    _fields_ = [("count", c.c_uint), ("keys", c.POINTER(String)), ("values", c.POINTER(MetadataEntry))]


class Node(c.Structure):
    """aiNode."""


Node._fields_ = [
    ("name", String),
    ("matrix", c.c_float * 16),
    ("parent", c.POINTER(Node)),
    ("child_count", c.c_uint),
    ("children", c.POINTER(c.POINTER(Node))),
    ("mesh_count", c.c_uint),
    ("meshes", c.POINTER(c.c_uint)),
    ("metadata", c.POINTER(Metadata)),
]


class Bone(c.Structure):
    """aiBone."""

    _fields_ = [
        ("name", String),
        ("weight_count", c.c_uint),
        ("skeleton", c.POINTER(Node)),
        ("node", c.POINTER(Node)),
        ("weights", c.c_void_p),
        ("offset", c.c_float * 16),
    ]


class AnimMesh(c.Structure):
    """aiAnimMesh."""

    _fields_ = [
        ("name", String),
        ("vertices", c.c_void_p),
        ("normals", c.c_void_p),
        ("tangents", c.c_void_p),
        ("bitangents", c.c_void_p),
        ("colours", c.c_void_p * MAX_SETS),
        ("texcoords", c.c_void_p * MAX_SETS),
        ("vertex_count", c.c_uint),
        ("weight", c.c_float),
    ]


class Mesh(c.Structure):
    """aiMesh."""

    _fields_ = [
        ("primitive_types", c.c_uint),
        ("vertex_count", c.c_uint),
        ("face_count", c.c_uint),
        ("vertices", c.c_void_p),
        ("normals", c.c_void_p),
        ("tangents", c.c_void_p),
        ("bitangents", c.c_void_p),
        ("colours", c.c_void_p * MAX_SETS),
        ("texcoords", c.c_void_p * MAX_SETS),
        ("texcoord_sizes", c.c_uint * MAX_SETS),
        ("faces", c.c_void_p),
        ("bone_count", c.c_uint),
        ("bones", c.POINTER(c.POINTER(Bone))),
        ("material", c.c_uint),
        ("name", String),
        ("anim_mesh_count", c.c_uint),
        ("anim_meshes", c.POINTER(c.POINTER(AnimMesh))),
        ("method", c.c_int),
        ("box", c.c_float * 6),
        ("texcoord_names", c.c_void_p),
    ]


class Property(c.Structure):
    """aiMaterialProperty."""

    _fields_ = [
        ("key", String),
        ("semantic", c.c_uint),
        ("index", c.c_uint),
        ("size", c.c_uint),
        ("type", c.c_int),
        ("data", c.c_void_p),
    ]


class Material(c.Structure):
    """aiMaterial."""

    _fields_ = [("properties", c.POINTER(c.POINTER(Property))), ("count", c.c_uint), ("allocated", c.c_uint)]


class NodeAnim(c.Structure):
    """aiNodeAnim."""

    _fields_ = [
        ("name", String),
        ("position_count", c.c_uint),
        ("positions", c.c_void_p),
        ("rotation_count", c.c_uint),
        ("rotations", c.c_void_p),
        ("scaling_count", c.c_uint),
        ("scalings", c.c_void_p),
        ("before", c.c_int),
        ("after", c.c_int),
    ]


class MorphKey(c.Structure):
    """aiMeshMorphKey."""

    _fields_ = [
        ("time", c.c_double),
        ("values", c.POINTER(c.c_uint)),
        ("weights", c.POINTER(c.c_double)),
        ("count", c.c_uint),
    ]


class MorphAnim(c.Structure):
    """aiMeshMorphAnim."""

    _fields_ = [("name", String), ("key_count", c.c_uint), ("keys", c.POINTER(MorphKey))]


class Animation(c.Structure):
    """aiAnimation."""

    _fields_ = [
        ("name", String),
        ("duration", c.c_double),
        ("rate", c.c_double),
        ("channel_count", c.c_uint),
        ("channels", c.POINTER(c.POINTER(NodeAnim))),
        ("mesh_channel_count", c.c_uint),
        ("mesh_channels", c.c_void_p),
        ("morph_channel_count", c.c_uint),
        ("morph_channels", c.POINTER(c.POINTER(MorphAnim))),
    ]


class Texture(c.Structure):
    """aiTexture."""

    _fields_ = [
        ("width", c.c_uint),
        ("height", c.c_uint),
        ("hint", c.c_char * 9),
        ("data", c.c_void_p),
        ("file", String),
    ]


class Light(c.Structure):
    """aiLight."""

    _fields_ = [
        ("name", String),
        ("type", c.c_int),
        ("position", c.c_float * 3),
        ("direction", c.c_float * 3),
        ("up", c.c_float * 3),
        ("attenuation", c.c_float * 3),
        ("diffuse", c.c_float * 3),
        ("specular", c.c_float * 3),
        ("ambient", c.c_float * 3),
        ("inner", c.c_float),
        ("outer", c.c_float),
        ("size", c.c_float * 2),
    ]


class Camera(c.Structure):
    """aiCamera."""

    _fields_ = [
        ("name", String),
        ("position", c.c_float * 3),
        ("up", c.c_float * 3),
        ("look", c.c_float * 3),
        ("fov", c.c_float),
        ("near", c.c_float),
        ("far", c.c_float),
        ("aspect", c.c_float),
        ("width", c.c_float),
    ]


class Scene(c.Structure):
    """aiScene."""

    _fields_ = [
        ("flags", c.c_uint),
        ("root", c.POINTER(Node)),
        ("mesh_count", c.c_uint),
        ("meshes", c.POINTER(c.POINTER(Mesh))),
        ("material_count", c.c_uint),
        ("materials", c.POINTER(c.POINTER(Material))),
        ("animation_count", c.c_uint),
        ("animations", c.POINTER(c.POINTER(Animation))),
        ("texture_count", c.c_uint),
        ("textures", c.POINTER(c.POINTER(Texture))),
        ("light_count", c.c_uint),
        ("lights", c.POINTER(c.POINTER(Light))),
        ("camera_count", c.c_uint),
        ("cameras", c.POINTER(c.POINTER(Camera))),
        ("metadata", c.POINTER(Metadata)),
        ("name", String),
    ]

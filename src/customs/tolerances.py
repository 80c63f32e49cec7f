"""Every tolerance and limit of the core in one place, with its unit."""

SAME_PLACE = 1e-6
"""Vertices closer than this share of the box diagonal are at one place (ratio)."""

IDENTITY = 1e-5
"""Largest difference from identity a settled transform may show (no unit; translation in metres)."""

WEIGHT_SUM = 1e-4
"""How far the weights of a vertex may be from a sum of 1 before a row says so (no unit)."""

FLAT_FACE = 1e-10
"""A triangle is degenerate when its area is below this share of its longest edge squared (ratio)."""

FOOTING = 1e-3
"""How far the footing may be from the origin, as a share of the box diagonal (ratio)."""

FILE_BYTES = 4 * 1024**3
"""Largest file a reader opens (bytes)."""

IMAGE_PIXELS = 16384 * 16384
"""Largest image that is decoded (pixels)."""

ELEMENTS = 200_000_000
"""Most elements one array of a scene may hold (count)."""

NODE_DEPTH = 512
"""Deepest node tree accepted (levels)."""

DECODING, RESIZING = 6.5, 24.0
"""Times its own bytes that decoding an image takes, and making it smaller (ratios; peak memory of a process
of its own on 6144²: WebP 6.2, JPEG 4.7, PNG 4.0; to half its size 18 to 22)."""

UNPACKING = 16384
"""Most pixels an image may say it has for each byte of its file (ratio)."""

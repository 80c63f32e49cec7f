"""What steps and persons wish of the delivery: no part of the model itself, and carried beside it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Literal

from customs.scene.key import Key


@dataclass(frozen=True)
class Delivery:
    """How a texture is written: file format (`png`, `dds`, …), block compression or "", mip levels or one
    alone.

    `header` is the kind of DDS header, `zstd` packs the levels of a KTX2 file.
    """

    form: str
    block: str = ""
    quality: Literal["quick", "best"] = "best"
    mips: bool = False
    header: Literal["dx10", "legacy"] = "dx10"
    zstd: bool = False


Angle = Literal["three-quarter", "front", "side", "back", "above"]
Light = Literal["sky", "even", "viewer", "side"]


@dataclass(frozen=True)
class PictureWish:
    """How pictures of the asset are taken: from an `angle`, or by `turn` (degrees of yaw and pitch); `margin` is the share of
    the picture left free on every side; `backdrop` is clear, paper, white or dark; `text` stands in for a picture; `light` is
    None where the destination says it.
    """

    angle: Angle = "three-quarter"
    turn: tuple[float, float] | None = None
    margin: float = 0.06
    backdrop: str = "clear"
    text: str = ""
    light: Light | None = None


@dataclass(frozen=True)
class PlotWish:
    """A plot as it is drawn: rows of letters from back to front, each from −X to +X, of cells `cell` metres wide."""

    cell: float
    rows: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Wishes:
    """`textures`: the files of an image by its Key, the one that models name first; an image without any goes
    out as it came. `clips`: how clips are put into files, "" for what the sheet takes first. `picture`: how pictures are taken, `plot`: what is drawn on the plan, None where nobody
    has said.
    """

    textures: Mapping[Key, tuple[Delivery, ...]] = field(default_factory=lambda: MappingProxyType({}))
    clips: str = ""
    picture: PictureWish | None = None
    plot: PlotWish | None = None

    def of(self, key: Key) -> tuple[Delivery, ...]:
        """The files wished of an image, none where nothing is wished."""
        return self.textures.get(key, ())

    def first(self, key: Key) -> Delivery | None:
        """The file of an image that models name, None where nothing is wished."""
        return next(iter(self.of(key)), None)

    def with_textures(self, more: Mapping[Key, tuple[Delivery, ...]]) -> Wishes:
        """These wishes, and those of some images; the same where there are none."""
        return replace(self, textures=MappingProxyType({**self.textures, **more})) if more else self


NO_WISHES = Wishes()

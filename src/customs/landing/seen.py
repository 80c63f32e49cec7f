"""What of a package is looked at beside its model: pictures in their frames, the plot on its plan."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from customs.changes.plot import Footprint, footprint_of
from customs.landing.docket_check import bytes_of, own_files
from customs.landing.plot_check import rows_in
from customs.scene.model import Scene
from customs.sheet.known import for_asset, told_known
from customs.sheet.model import Sheet


@dataclass(frozen=True, eq=False)
class Seen:
    """Pictures as (name, the file's bytes), and the plot's letters (R, C) over their footprint, None where there is none that
    fits.
    """

    pictures: tuple[tuple[str, bytes], ...] = ()
    plot: tuple[npt.NDArray[np.str_], Footprint] | None = None


def fittings_seen(folder: Path, sheet: Sheet, scene: Scene) -> Seen:
    """Pictures and plot of a package whose model is `scene` in the working frame; what cannot be read is left out, and the log
    has said why. Raises OSError and ValueError for a docket that is none.
    """
    body = json.loads((folder / "docket.json").read_text("utf-8"))
    sheet = for_asset(sheet, told_known(body))
    files, asset = own_files(folder, body), str(body["asset"])
    pictures = [
        (rules.name, bytes_of(files, place))
        for rules in sheet.pictures
        if (place := rules.place(asset)) in files
    ]
    return Seen(tuple(pictures), _plot(files, sheet, asset, scene))


def _plot(
    files: dict[str, Path], sheet: Sheet, asset: str, scene: Scene
) -> tuple[npt.NDArray[np.str_], Footprint] | None:
    if sheet.plot.form == "none" or sheet.plot.place(asset) not in files:
        return None
    ground = footprint_of(scene, sheet.plot.cell)
    try:
        rows = rows_in(bytes_of(files, sheet.plot.place(asset)), sheet, asset)
    except Exception:  # noqa: BLE001 (whatever a library says of damage; the log says it too)
        return None
    if ground is None or [len(r) for r in rows] != [ground.inside.shape[1]] * ground.inside.shape[0]:
        return None
    return np.array([list(r) for r in rows]), ground

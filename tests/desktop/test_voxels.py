"""Unit cells in the real window: made by the kit's remedy, seen layer by layer, thin parts marked, colours counted, undone."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEvent, QPoint
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QApplication, QToolTip

from customs.voxels.shown import layers_of, voxels_in
from customs.work.places import sheets_folder
from tests.desktop.conftest import Rig


def test_cells_are_made_looked_into_and_changed(rig: Rig, goods: dict[str, Path], tmp_path: Path) -> None:
    text = 'version = 1\nextends = "voxel-kit"\nid = "small-voxels"\ntitle = "Small voxels"\n[voxels]\nside = 24\ncolours = 16\n'
    sheets_folder().mkdir(parents=True, exist_ok=True)
    (sheets_folder() / "small-voxels.toml").write_text(text)
    s = rig.session
    s.open(tmp_path / "cells.customs", create=True)
    s.set_sheet("small-voxels")
    s.jobs.take_in([goods["fern_bed"]], None)
    rig.wait(lambda: len(s.state.goods) == 1)
    rig.settle()
    rig.window.open_desk("fit")
    panel = rig.window.panel("fit")
    tools = panel.by_hand.voxels
    assert rig.steps()[-1] == "voxels", "planned by the kit's own remedy"
    assert {r.subject: r.verdict for r in s.result.ledger.rows if r.requirement == "voxels"}[
        "side"
    ] == "cleared"
    panel.unfold("VOXELS")
    found = voxels_in(s.result.at(None))
    assert found is not None and tools.said() == f"{found.count:,} cells" and max(found.cells.shape) == 24
    assert sum(n for _, n in tools.swatches.colours) == found.count and len(tools.swatches.colours) <= 16
    # Half of its layers, with thin parts marked, in the right half alone.
    tools.slider.setValue(found.cells.shape[1] // 2)
    tools.thin.setChecked(True)
    rig.wait(lambda: rig.window.twin.drawn and rig.window.twin.marks)
    seen, marks = rig.window.twin.drawn["right"], rig.window.twin.marks
    wanted, ranges = layers_of(s.result.at(None), found, tools.slider.value(), True)
    assert list(marks.values()) == [ranges] and len(seen.meshes[0].primitives[0].positions) == len(
        wanted.meshes[0].primitives[0].positions
    )
    high = found.low[1] + tools.slider.value() * found.cell
    assert seen.meshes[0].primitives[0].positions[:, 1].max() <= high + 1e-6
    # Marked are sides of thin cells, and of nothing else.
    prim = wanted.meshes[0].primitives[0]
    faces = prim.indices.reshape(-1, 3)[slice(*ranges[0])]
    corners = prim.positions[faces]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    inside = np.floor((corners.mean(axis=1) - normals * found.cell / 2 - found.low) / found.cell).astype(int)
    assert {tuple(c) for c in inside.tolist()} <= {tuple(c) for c in found.thin.tolist()}
    # Fewer cells: one decision, which is undone in one.
    tools.side.setText("12")
    tools.side.editingFinished.emit()
    rig.wait(lambda: dict(s.asset.route.of_step("voxels").values).get("side") == 12)
    rig.settle()
    assert max(voxels_in(s.result.at(None)).cells.shape) == 12 and not rig.window.twin.drawn
    s.undo()
    rig.settle()
    assert max(voxels_in(s.result.at(None)).cells.shape) == 24
    where = tools.swatches.mapToGlobal(QPoint(5, 5))
    QApplication.sendEvent(tools.swatches, QHelpEvent(QEvent.Type.ToolTip, QPoint(5, 5), where))
    assert "cells" in QToolTip.text() and "#" in QToolTip.text()
    # Without the stop the section offers it; for a sheet of meshes it is not there.
    s.change_route("No voxels", lambda r: r.removed(r.of_step("voxels").id))
    rig.settle()
    assert tools.make.isVisibleTo(panel) and not tools.layers.isVisibleTo(panel)
    s.set_sheet("metre-yup-pbr")
    rig.settle()
    assert panel.by_hand.voxel_fold.isHidden()
    s.set_sheet("small-voxels")
    rig.settle()
    tools.make.click()
    rig.wait(lambda: "voxels" in rig.steps())

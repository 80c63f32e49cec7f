"""What goes beside the model files and their textures: the asset's document, pictures, plot, what hangs at posts."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from customs.changes.plot import footprint_of
from customs.dispatch.attached import attached_files, attached_paths
from customs.dispatch.deliver import Deliverable, Tick, destination_scene, in_numbers, planned_models
from customs.dispatch.fittings import facts_bytes, facts_of_delivery, has_facts
from customs.dispatch.level_list import level_lists
from customs.dispatch.plans import plan_files
from customs.dispatch.plots import plot_bytes
from customs.dispatch.voxel_files import voxel_files
from customs.errors import WriteError
from customs.formats.registry import Parts
from customs.scene.floor_plan import NO_PLAN, FloorPlan
from customs.scene.kept import kept
from customs.scene.model import Scene
from customs.scene.wishes import PictureWish
from customs.sheet.fittings import PictureRules
from customs.sheet.model import Sheet


def told_facts(scene: Scene, sheet: Sheet, final: Scene) -> dict[str, Any]:
    """What the asset's document says: `scene` is in the working frame, `final` it as it is delivered, which this is found once for."""
    return kept(
        "facts of delivery",
        final,
        lambda: facts_of_delivery(in_numbers(scene, sheet), final, sheet, attached_paths(scene, sheet)),
    )


def facts_file(scene: Scene, sheet: Sheet, final: Scene | None = None) -> Deliverable | None:
    """The asset's document, where the sheet asks for one; `scene` is in the working frame, `final` it as it is delivered, made
    where it is not given.
    """
    if not has_facts(scene, sheet):
        return None
    path = sheet.layout.facts_place(scene.name)

    def make(tick: Tick) -> Parts:
        delivered = final or destination_scene(scene, sheet)
        return [facts_bytes(told_facts(scene, sheet, delivered))]

    return Deliverable(path, "facts", make, scene.name)


def picture_files(scene: Scene, sheet: Sheet) -> tuple[Deliverable, ...]:
    """The pictures the sheet asks for, drawn as the asset's stop wishes; `scene` is in the working frame."""
    return tuple(_picture(scene, rules) for rules in sheet.pictures)


def plot_file(scene: Scene, sheet: Sheet) -> Deliverable | None:
    """The plot, where the sheet asks for one and there is one; `scene` is in the working frame."""
    wish, rules = scene.wishes.plot, sheet.plot
    if rules.form == "none" or wish is None:
        return None
    path = rules.place(scene.name)

    def make(tick: Tick) -> Parts:
        ground = footprint_of(scene, rules.cell)
        if ground is None:
            raise WriteError(
                "nothing here has a footprint",
                "an asset that can be seen from above",
                "Leave the plot out.",
                path,
            )
        return [plot_bytes(wish, ground, rules, scene.name)]

    return Deliverable(path, "plot", make, scene.name)


def more_files(
    scene: Scene, sheet: Sheet, final: Scene | None = None, plan: FloorPlan = NO_PLAN
) -> tuple[Deliverable, ...]:
    """All that goes beside model and textures: the asset's document, its pictures, its plot, copies of what hangs at its
    posts, its floor plans, its cells; `final` as of `facts_file`, `plan` what a person decided about floor plans.
    """
    apart = (facts_file(scene, sheet, final), plot_file(scene, sheet))
    return (
        *level_lists(scene, sheet, final),
        *(f for f in apart if f is not None),
        *picture_files(scene, sheet),
        *attached_files(scene, sheet),
        *plan_files(scene, sheet, plan),
        *voxel_files(scene, sheet),
    )


def _picture(scene: Scene, rules: PictureRules) -> Deliverable:
    wish = scene.wishes.picture or PictureWish(angle=rules.angle)
    wish = wish if wish.light is not None else replace(wish, light=rules.light)
    path = rules.place(scene.name)

    def make(tick: Tick) -> Parts:
        # OpenGL is loaded where something is drawn.
        from customs.picture.icon import drawn, encoded

        return [encoded(drawn(scene, wish, rules.width, rules.height, rules.clear), rules.format)]

    return Deliverable(path, "picture", make, rules.name)


def planned_files(scene: Scene, sheet: Sheet) -> tuple[tuple[str, str], ...]:
    """(path, kind) of every file a delivery of `scene` would write; nothing is converted or encoded for it."""
    return (*planned_models(scene, sheet), *((f.path, f.kind) for f in more_files(scene, sheet)))

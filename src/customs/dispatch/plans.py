"""Floor plans as files of a package, where a sheet takes nothing else of a level."""

from __future__ import annotations

from collections.abc import Callable

from customs.dispatch.deliver import Deliverable, Tick
from customs.floorplan.compose import Sheet as PlanSheet
from customs.floorplan.compose import sheets, usual_scale
from customs.floorplan.files import DOTS, FORMS, Pixels, stems
from customs.formats.registry import Parts
from customs.grounds.storeys import building
from customs.job import Job
from customs.scene.floor_plan import FloorPlan
from customs.scene.model import Scene
from customs.sheet.model import Sheet

KIND = "floor plan"


def plan_files(scene: Scene, sheet: Sheet, plan: FloorPlan) -> tuple[Deliverable, ...]:
    """A plan of every storey of a scene in the working frame, in each of the sheet's forms; none where it takes none. Raises
    CustomsError where there is nothing to draw, or the page would be too large.
    """
    rules = sheet.grounds
    if rules.form != "study":
        return ()
    if plan.said_nothing:
        plan = plan.model_copy(update={"scale": rules.plan_scale or usual_scale(scene)})
    pages = sheets(scene, plan, scene.name, True)
    out = list[Deliverable]()
    for page, stem in zip(pages, stems(scene.name, [p.name for p in pages], True)):
        picture = _picture_of(scene, plan, page)
        for form in rules.plan_forms:
            path = rules.plan_place(scene.name, stem, f".{form}")
            out.append(Deliverable(path, KIND, _maker(page, form, picture), scene.name))
    return tuple(out)


def _picture_of(scene: Scene, plan: FloorPlan, page: PlanSheet) -> Callable[[Tick], Pixels]:
    kept = list[Pixels]()

    def drawn_once(tick: Tick) -> Pixels:
        # OpenGL is loaded where something is drawn.
        from customs.floorplan.picture import drawn_page

        if not kept:
            kept.append(drawn_page(building(scene), plan, page, DOTS, Job(lambda share, text: tick(share))))
        return kept[0]

    return drawn_once


def _maker(page: PlanSheet, form: str, picture: Callable[[Tick], Pixels]) -> Callable[[Tick], Parts]:
    return lambda tick: [FORMS[form](page.page, picture(tick))]

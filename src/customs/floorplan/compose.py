"""The page of one storey: the picture to scale, grid, scale bar, north, marks, and the legend that explains them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from customs.errors import CustomsError, ReadError
from customs.floorplan.frame import Frame
from customs.floorplan.page import INK, PAPER, SOFT, Item, Line, Page, Shape, Words
from customs.floorplan.signs import drawn_sign
from customs.grounds.storeys import CUT, Storey, building, storeys_of, structure
from customs.grounds.things import things_of
from customs.scene.floor_plan import SIGNS, FloorPlan, Mark
from customs.scene.model import Scene

EDGE, ROOM, FOOT, ROW = 10.0, 0.5, 30.0, 8.0
"""Millimetres of the page's margin; metres around the level; millimetres of the foot and of a line of the legend."""
LARGEST_PAGE = 10_000.0
A3 = (400.0, 240.0)
"""Millimetres of the picture on a sheet of A3 (ISO 216), without margin and foot."""
BELOW = 0.5
"""Metres below an upper storey's floor that are still seen."""
STEPS = (1, 2, 5)
NEXT = 0.1


@dataclass(frozen=True)
class Sheet:
    """One storey as it is drawn: its page, what is seen on it, what the storey is called, metres of its floor."""

    name: str
    frame: Frame
    page: Page
    floor: float = 0.0


def cut_of(plan: FloorPlan, storeys: tuple[Storey, ...], number: int, top: float) -> float:
    """Metres at which storey `number` is cut: where the person said (for the storey it lies in), else above its floor."""
    if not storeys:
        return top if plan.cut is None else plan.cut
    floor = storeys[number].height
    above = storeys[number + 1].height if number + 1 < len(storeys) else math.inf
    if plan.cut is not None and floor < plan.cut <= above:
        return plan.cut
    return min(floor + CUT, above - NEXT, max(top, floor + NEXT))


def at_height(storeys: tuple[Storey, ...], height: float) -> int:
    """The storey whose floor lies next below a height, the lowest where none does."""
    below = [k for k, s in enumerate(storeys) if s.height < height]
    return below[-1] if below else 0


def sheets(scene: Scene, plan: FloorPlan, name: str, every: bool) -> list[Sheet]:
    """Pages of a scene in the working frame: of every storey, or of the one the cut lies in. Raises CustomsError where there is nothing to
    show or the page would be too large.
    """
    seen = building(scene)
    things = things_of(seen)
    shown = (things.mesh >= 0) & np.isfinite(things.low).all(axis=1) & np.isfinite(things.high).all(axis=1)
    if not shown.any():
        raise ReadError(f"{name}: nothing that could be drawn", "a level with things in it", "Look at Kinds.")
    low, high = things.low[shown].min(axis=0), things.high[shown].max(axis=0)
    walls = things_of(structure(scene))
    built = np.isfinite(walls.low).all(axis=1) & (walls.mesh >= 0)
    if not built.any():
        walls, built = things, shown
    storeys = storeys_of(scene)
    chosen = [at_height(storeys, plan.cut if plan.cut is not None else -math.inf)]
    if every and storeys:
        chosen = list(range(len(storeys)))
    out = []
    for k in chosen:
        cut = cut_of(plan, storeys, k, float(high[1]))
        bottom = float(low[1]) if k == 0 else storeys[k].height - BELOW
        box = _plan_box(walls.low[built], walls.high[built], bottom, cut)
        frame = _frame(box, plan, cut, bottom)
        title = storeys[k].name if storeys else "whole level"
        floor = storeys[k].height if storeys else float(low[1])
        upper = storeys[k + 1].height if storeys and k + 1 < len(storeys) else math.inf
        marks = [(n, m) for n, m in enumerate(plan.marks, 1) if _on(m, storeys, k, upper)]
        out.append(
            Sheet(
                title,
                frame,
                _page(plan, frame, marks, name, title, cut - floor, cut),
                floor,
            )
        )
    return out


def usual_scale(scene: Scene) -> float:
    """The largest scale (1 : n, n one, two or five of a power of ten) at which a scene in the working frame fits a sheet of A3 paper."""
    things = things_of(building(scene))
    shown = (things.mesh >= 0) & np.isfinite(things.low).all(axis=1) & np.isfinite(things.high).all(axis=1)
    if not shown.any():
        return 100.0
    size = (things.high[shown].max(axis=0) - things.low[shown].min(axis=0))[[0, 2]] + 2 * ROOM
    least = float((size * 1000 / np.array(A3)).max())
    scales = [s * 10.0**k for k in range(6) for s in STEPS]
    return next((s for s in scales if s >= least), scales[-1])


def _on(mark: Mark, storeys: tuple[Storey, ...], number: int, upper: float) -> bool:
    lowest = storeys[number].height - BELOW if storeys and number else -math.inf
    return lowest <= mark.at[1] < upper - BELOW


def _plan_box(
    low: np.ndarray, high: np.ndarray, bottom: float, cut: float
) -> tuple[float, float, float, float]:
    """(x, z, x, z) around what lies between two heights."""
    inside = (low[:, 1] < cut) & (high[:, 1] > bottom)
    inside = inside if inside.any() else np.ones(len(low), bool)
    a, b = low[inside].min(axis=0), high[inside].max(axis=0)
    return float(a[0]), float(a[2]), float(b[0]), float(b[2])


def _frame(box: tuple[float, float, float, float], plan: FloorPlan, cut: float, bottom: float) -> Frame:
    """Around the box, north at the top where the person has said where that is."""
    x0, z0, x1, z1 = box
    a = math.radians(plan.north)
    wide, high = x1 - x0, z1 - z0
    # North lies `north` degrees clockwise of −Z: the picture is turned until it is at the top.
    across = abs(wide * math.cos(a)) + abs(high * math.sin(a))
    along = abs(wide * math.sin(a)) + abs(high * math.cos(a))
    return Frame(
        ((x0 + x1) / 2, (z0 + z1) / 2), across + 2 * ROOM, along + 2 * ROOM, -plan.north, cut, bottom
    )


def _page(
    plan: FloorPlan,
    frame: Frame,
    marks: list[tuple[int, Mark]],
    name: str,
    storey: str,
    above: float,
    cut: float,
) -> Page:
    mm = 1000.0 / plan.scale
    wide, high = frame.wide * mm, frame.high * mm
    legend = marks if plan.legend else []
    height = EDGE + high + FOOT + ROW * len(legend) + EDGE
    width = max(wide, 90.0) + 2 * EDGE
    if max(width, height) > LARGEST_PAGE:
        raise TooLargeError(
            f"a page of {width / 1000:.1f} × {height / 1000:.1f} m at 1 : {plan.scale:g}", f"at most {LARGEST_PAGE / 1000:g} m",
            "Choose a smaller scale, as 1 : 500.",
        )  # fmt: skip
    items: list[Item] = []
    if plan.grid:
        items += _grid(frame, mm)
    x0, y0 = EDGE, EDGE
    corners = [(x0, y0), (x0 + wide, y0), (x0 + wide, y0 + high), (x0, y0 + high)]
    items += [Line(a, b, 0.3) for a, b in zip(corners, corners[1:] + corners[:1])]
    for number, mark in marks:
        x, y = frame.place(mark.at[0], mark.at[2])
        at = (x0 + x * mm, y0 + y * mm)
        items += drawn_sign(mark.sign, number, at)
        if plan.names and mark.text:
            items += _label((at[0] + 4.5, at[1] + 1.0), mark.text)
    items += _foot(plan, name, storey, above, cut, EDGE + high + 6, width, mm)
    items += _legend(legend, EDGE + high + FOOT)
    return Page(width, height, (x0, y0, wide, high), tuple(items), f"{name}, {storey}")


class TooLargeError(CustomsError):
    """A page nobody could print."""


def _label(at: tuple[float, float], text: str) -> list[Item]:
    short = text if len(text) <= 40 else text[:39] + "…"
    back = 1.55 * len(short) + 1.6
    x, y = at
    card = ((x - 0.8, y - 2.7), (x - 0.8 + back, y - 2.7), (x - 0.8 + back, y + 1.0), (x - 0.8, y + 1.0))
    return [Shape(card, PAPER), Words(at, short, 2.8)]


def nice(least: float) -> float:
    """The least of 1, 2, 5 times a power of ten that is at least so much."""
    power = 10.0 ** math.floor(math.log10(least))
    return next(k * power for k in (*STEPS, 10) if k * power >= least * (1 - 1e-9))


def _grid(frame: Frame, mm: float) -> list[Item]:
    """Lines of the level's own x and z, at least 10 mm apart, with their metres at the edge where the picture is not turned."""
    step = nice(10.0 / mm)
    out: list[Item] = []
    reach = math.hypot(frame.wide, frame.high) / 2
    for axis in (0, 1):
        first, last = (
            math.ceil((frame.middle[axis] - reach) / step),
            math.floor((frame.middle[axis] + reach) / step),
        )
        for k in range(first, last + 1):
            ends = [
                [k * step, frame.middle[1] + s * reach]
                if axis == 0
                else [frame.middle[0] + s * reach, k * step]
                for s in (-1, 1)
            ]
            cut = _inside(frame.place(*ends[0]), frame.place(*ends[1]), frame.wide, frame.high)
            if cut is None:
                continue
            a, b = (((EDGE + p[0] * mm), (EDGE + p[1] * mm)) for p in cut)
            out.append(Line(a, b, 0.1, SOFT))
            if frame.turn % 360 == 0:
                text = f"{k * step:g} m"
                top = (a[0], EDGE - 1.5) if axis == 0 else (EDGE - 1.5, a[1] + 0.8)
                out.append(Words(top, text, 2.2, "middle" if axis == 0 else "end", SOFT))
    return out


def _inside(
    a: tuple[float, float], b: tuple[float, float], wide: float, high: float
) -> tuple[tuple[float, float], tuple[float, float]] | None:
    """What of a line lies inside a frame (Liang and Barsky, 1984)."""
    t0, t1 = 0.0, 1.0
    d = (b[0] - a[0], b[1] - a[1])
    for p, q in ((-d[0], a[0]), (d[0], wide - a[0]), (-d[1], a[1]), (d[1], high - a[1])):
        if abs(p) < 1e-12:
            if q < 0:
                return None
        elif p < 0:
            t0 = max(t0, q / p)
        else:
            t1 = min(t1, q / p)
    if t0 >= t1:
        return None
    return (a[0] + t0 * d[0], a[1] + t0 * d[1]), (a[0] + t1 * d[0], a[1] + t1 * d[1])


def bar_metres(scale: float) -> float:
    """Metres of the scale bar: a round length of 30 to 75 mm on the page."""
    return nice(30.0 * scale / 1000)


def _foot(
    plan: FloorPlan, name: str, storey: str, above: float, cut: float, y: float, width: float, mm: float
) -> list[Item]:
    length = bar_metres(plan.scale)
    x, bar = EDGE, length * mm
    out: list[Item] = [
        Words((x, y), name, 4.2, bold=True),
        Words(
            (x, y + 5),
            f"{storey} · cut at {cut:.2f} m, {above:.2f} m above the floor · 1 : {plan.scale:g}",
            3.0,
            ink=SOFT,
        ),
        Line((x, y + 12), (x + bar, y + 12), 0.5),
    ]
    for k in range(6):
        at = x + bar * k / 5
        out.append(Line((at, y + (10.2 if k in (0, 5) else 11.0)), (at, y + 12), 0.3))
    out += [
        Words((x, y + 15.8), "0", 2.6, "middle"),
        Words((x + bar, y + 15.8), f"{length:g} m", 2.6, "middle"),
    ]
    # North, as it lies on this page: at the top, unless nobody has said where it is and the level's −Z is taken.
    nx, ny = width - EDGE - 5, y + 8
    out += [
        Shape(((nx, ny - 7), (nx + 2.6, ny + 4), (nx, ny + 2)), INK),
        Shape(((nx, ny - 7), (nx - 2.6, ny + 4), (nx, ny + 2)), PAPER, 0.25),
        Words((nx, ny + 8), "N", 3.2, "middle", bold=True),
    ]
    return out


def _legend(marks: list[tuple[int, Mark]], y: float) -> list[Item]:
    titles = dict(SIGNS)
    out: list[Item] = []
    for k, (number, mark) in enumerate(marks):
        at = (EDGE + 3, y + ROW * k)
        out += drawn_sign(mark.sign, number, at)
        out.append(
            Words((EDGE + 9, at[1] + 1.1), f"{titles[mark.sign]}{': ' + mark.text if mark.text else ''}", 3.0)
        )
    return out

"""Common shapes of judging: counts per mesh, elements that break a rule, things a sheet forbids."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.ledger.facts import SceneFacts, facts_of
from customs.ledger.row import Case, Place, Remedy, Requirement, Row, Verdict, said
from customs.scene.key import Key
from customs.scene.model import Mesh, Primitive

MOST_RANGES = 4000


def ranges_of(mask: npt.NDArray[np.bool_]) -> tuple[tuple[int, int], ...]:
    """(start, stop) of each run of True in `mask` (N,), at most MOST_RANGES of them."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]])))
    pairs = edges.reshape(-1, 2)[:MOST_RANGES]
    return tuple((int(a), int(b)) for a, b in pairs)


def shown(facts: SceneFacts) -> Iterator[Mesh]:
    """Meshes some node shows."""
    for m in facts.used_meshes:
        yield facts.scene.meshes[m]


def total(facts: SceneFacts, measure: Callable[[Primitive], int], but: Iterable[Key] = ()) -> int:
    """Sum of a measure over shown primitives, meshes in `but` left out."""
    return sum(measure(p) for m in shown(facts) if m.key not in but for p in m.primitives)


def per_mesh(
    rule: Requirement,
    case: Case,
    measure: Callable[[Primitive], int],
    verdict: Verdict,
    fix: Callable[[Mesh], Remedy | None],
    note: str,
    required: str = "0",
    mask: Callable[[Primitive], npt.NDArray[np.bool_]] | None = None,
    but: Callable[[SceneFacts], Iterable[Key]] = lambda facts: (),
    but_note: str = "",
) -> Iterator[Row]:
    """A row for each mesh whose `measure` is over 0 and that is not among `but`, or one cleared row for
    all.
    """
    before, spared = total(case.before, measure, but(case.before)), set(but(case.after))
    bad = [
        (m, n)
        for m in shown(case.after)
        if m.key not in spared and (n := sum(measure(p) for p in m.primitives))
    ]
    if not bad:
        yield rule.row(f"{before:,}", required, "0", "cleared", note=but_note if spared else "")
        return
    arrived = {m.key: sum(measure(p) for p in m.primitives) for m in case.arrived.meshes}
    for mesh, count in bad:
        prim = next(p for p in mesh.primitives if measure(p))
        place = Place(prim.key, "primitive", ranges_of(mask(prim)) if mask else ())
        known = [arrived[k] for k in (mesh.key, *mesh.made_from) if k in arrived]
        yield rule.row(
            f"{sum(known):,}" if known else "–",
            required,
            said(count, f"{count:,}"),
            verdict,
            badness=count,
            subject=str(mesh.key),
            subject_name=mesh.name,
            note=note,
            remedy=fix(mesh),
            place=place,
        )


def elements(
    rule: Requirement,
    bad: Iterable[tuple[Any, str]],
    kind: Any,
    required: str,
    received: str,
    fine: str,
    verdict: Verdict,
    note: str,
    fix: Callable[[Any], Remedy | None],
) -> Iterator[Row]:
    """A row for each (element, what it has) in `bad`, or one cleared row saying `fine`."""
    any_bad = False
    for item, has in bad:
        any_bad = True
        yield rule.row(
            has,
            required,
            has,
            verdict,
            subject=str(item.key),
            subject_name=item.name,
            note=note,
            remedy=fix(item),
            place=Place(item.key, kind),
        )
    if not any_bad:
        yield rule.row(received, required, fine, "cleared")


def limit_row(
    rule: Requirement,
    received: int,
    limit: int | None,
    delivering: int,
    note: str,
    fix: Remedy | None = None,
    verdict: Verdict = "held",
) -> Iterator[Row]:
    """One row for a count with an upper limit; none when the sheet sets no limit."""
    if limit is None:
        return
    over = delivering > limit
    yield rule.row(
        f"{received:,}",
        said(limit, f"≤ {limit:,}"),
        said(delivering, f"{delivering:,}"),
        verdict if over else "cleared",
        badness=delivering if over else None,
        note=note if over else "",
        remedy=fix if over else None,
    )


def forbidden_row(
    rule: Requirement,
    received: int,
    wanted: str,
    delivering: int,
    note: str,
    fix: Remedy | None,
    carried: bool = True,
    missing: str = "This asset brings none.",
) -> Iterator[Row]:
    """One row for a thing a sheet may require, allow or forbid, or that its format cannot carry; `note` says
    why it is not wanted, `missing` what to do where it is required and not there."""
    rule_text = {"required": "at least 1", "forbidden": "none"}.get(wanted, "allowed")
    if not carried:
        rule_text = "none (format)"
    bad = (delivering > 0 and (wanted == "forbidden" or not carried)) or (
        wanted == "required" and delivering == 0
    )
    yield rule.row(
        f"{received:,}",
        rule_text,
        said(delivering, f"{delivering:,}"),
        "held" if bad else "cleared",
        note=("" if not bad else note if delivering else missing),
        remedy=fix if bad else None,
    )


def faces_measure(name: str) -> Callable[[Primitive], int]:
    """The count of a face mask of PrimitiveFacts."""
    return lambda p: int(getattr(facts_of(p), name).sum())


def faces_mask(name: str) -> Callable[[Primitive], npt.NDArray[np.bool_]]:
    """A face mask of PrimitiveFacts."""
    return lambda p: getattr(facts_of(p), name)

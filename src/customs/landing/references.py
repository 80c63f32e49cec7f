"""What the values of a document name, followed to where they lead."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from customs.landing.log import Log
from customs.scene.model import Scene
from customs.scene.paths import node_at
from customs.sheet.documents import ReferenceRules
from customs.words import foreign, look

NEAR = 2000
"""Names among which one that looks alike is looked for."""


@dataclass(frozen=True)
class There:
    """What there is to be named: files of the package, the kit, names in the `model` by kind, its posts (called `post` in front of
    their names), the asset's number, the version of the kit.
    """

    asset: str
    files: Collection[str] = ()
    kit: Path | None = None
    target: str = ""
    names: Mapping[str, Collection[str]] = field(default_factory=dict)
    model: Scene | None = None
    post: str = ""
    number: str = ""
    version: str = ""


def there_in(scene: Scene, base: There) -> There:
    """`base` with a model and its names."""
    kinds: dict[str, Sequence[Any]] = {
        "node": scene.nodes,
        "mesh": scene.meshes,
        "material": scene.materials,
        "texture": scene.images,
        "clip": scene.clips,
    }
    names = {k: {x.name for x in things} for k, things in kinds.items()}
    return replace(base, names=names, model=scene)


def follow(path: str, rules: ReferenceRules, values: Sequence[str], there: There, log: Log) -> None:
    """Refuse each value that leads nowhere."""
    FOLLOWED.get(rules.names, _named)(path, rules, values, there, log)


def _unique(path: str, rules: ReferenceRules, values: Sequence[str], there: There, log: Log) -> None:
    twice = sorted({v for v in values if values.count(v) > 1}) if len(set(values)) < len(values) else []
    log.check(not twice, path, f"{', '.join(twice[:3])} stands twice at {rules.at}")


def _order(path: str, rules: ReferenceRules, values: Sequence[str], there: There, log: Log) -> None:
    meant = [str(k) for k in range(1, len(values) + 1)]
    good = sorted(values, key=lambda v: (len(v), v)) == meant
    log.check(
        good,
        path,
        f"the numbers at {rules.at} are {', '.join(values[:6])}; 1 to {len(values)} are read, each once",
    )


def _number(path: str, rules: ReferenceRules, values: Sequence[str], there: There, log: Log) -> None:
    log.check(bool(values), path, f"says no number at {rules.at}")
    for value in values:
        same = value.lstrip("0") == there.number.lstrip("0")
        log.check(same, path, f"says the number {value}, the asset has {there.number or 'none'}")


def _version(path: str, rules: ReferenceRules, values: Sequence[str], there: There, log: Log) -> None:
    for value in values:
        log.check(
            value == there.version, path, f"is for version {value}, {there.version or 'none'} is expected"
        )


def _files(path: str, rules: ReferenceRules, values: Sequence[str], there: There, log: Log) -> None:
    under = f"{rules.under}/" if rules.under else ""
    if there.kit is None:
        for value in values:
            _there(path, value, value in there.files, there.files, "the package", log)
        return
    for value in dict.fromkeys(values):
        place = there.kit / f"{under}{value}"
        inside = there.kit.resolve() in place.resolve().parents
        _there(path, value, inside and place.exists(), _beside(place), "the kit", log)
    if there.target:
        named = any(
            f"{under}{v}" == there.target or f"{under}{v}".startswith(f"{there.target}/") for v in values
        )
        log.check(named, path, f"does not name {there.target}")


def _beside(place: Path) -> list[str]:
    try:
        return [p.name for p in place.parent.iterdir()]
    except OSError:
        return []


def _paths(path: str, rules: ReferenceRules, values: Sequence[str], there: There, log: Log) -> None:
    for value in values:
        at = node_at(there.model, value) if there.model is not None else None
        if there.model is None or at is None:
            log.refuse(path, f"the index path {value} leads to no node of the model")
            continue
        name = there.model.nodes[at].name
        log.check(
            name.startswith(there.post), path, f"the index path {value} leads to {name}, which is no post"
        )


def _named(path: str, rules: ReferenceRules, values: Sequence[str], there: There, log: Log) -> None:
    names = there.names.get(rules.names, ())
    for value in values:
        _there(path, value, value in names, names, f"the model as a {rules.names}", log)


def _there(path: str, value: str, good: bool, names: Collection[str], where: str, log: Log) -> None:
    if good:
        return
    last = value.rpartition("/")[2]
    twin = next((n for n in list(names)[:NEAR] if look(n.rpartition("/")[2]) == look(last)), "")
    odd = foreign(value) or foreign(twin)
    more = f"; {twin.rpartition('/')[2]} only looks like it{f' ({odd})' if odd else ''}" if twin else ""
    log.refuse(path, f"names {value}, which is not in {where}{more}")


Follow = Callable[[str, ReferenceRules, Sequence[str], There, Log], None]
FOLLOWED: dict[str, Follow] = {
    "file": _files,
    "unique": _unique,
    "order": _order,
    "number": _number,
    "version": _version,
    "index-path": _paths,
}

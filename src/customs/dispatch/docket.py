"""The docket: the written account of one dispatch."""

from __future__ import annotations

import hashlib
import json
import posixpath
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

from customs import __version__
from customs.dispatch.told import names_of, told_by_model
from customs.dispatch.variants import ModelFile, model_files, used_meshes
from customs.errors import WriteError
from customs.formats.registry import get_format, read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.later import later
from customs.ledger.joined import joined
from customs.ledger.ledger import Ledger, effective
from customs.ledger.left import losses
from customs.ledger.row import About
from customs.motion.posing.bounds import world_bounds
from customs.route.route import At
from customs.route.step import step_of
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.sheet.known import known_of
from customs.sheet.load import sheet_digest
from customs.sheet.model import Sheet
from customs.words import lines_plain

sandbox = later("jinja2.sandbox")
Json = dict[str, Any]


def box_of(scene: Scene) -> Json:
    """Size of the scene's box in its own unit, six decimals."""
    box = world_bounds(scene)
    if box is None:
        return {"low": [0.0] * 3, "high": [0.0] * 3}
    return {"low": [round(float(v), 6) for v in box[0]], "high": [round(float(v), 6) for v in box[1]]}


@dataclass(frozen=True, eq=False)
class Model:
    """A model file as it was written: its record, and what the format did not keep of what it was given."""

    record: Json
    scene: Scene
    lost: dict[str, int]


WHOLE = ("triangles", "materials", "joints", "clips")
"""Counts a file has to keep where its format carries them; vertices are parted and joined by formats as they
need.
"""


def written_model(file: ModelFile, sheet: Sheet, folder: Path) -> Model:
    """What one model file holds, read back from `folder`: its counts, names and box. Raises WriteError when
    faces are gone.
    """
    entry = get_format(sheet.model.format)
    ending = entry.files(file.scene)[0]
    found = prune(read_scene(Source(folder / (file.path + ending), folder)))
    meant, holds = counts(told_by_model(file.scene, entry, posixpath.basename(file.path))), counts(found)
    if holds["triangles"] != meant["triangles"]:
        raise WriteError(
            f"{holds['triangles']:,} triangles in the file that was written",
            f"{meant['triangles']:,}",
            "Nothing was put in place. Choose another format, or simplify the mesh.",
            file.path + ending,
        )
    lost = {k: meant[k] - holds[k] for k in WHOLE if meant[k] > holds[k]}
    record = {
        "path": file.path + ending,
        "kind": file.kind,
        "after": holds,
        "names": names_of(found),
        "box": box_of(found),
    }
    return Model(record, found, lost)


def meant_model(file: ModelFile, sheet: Sheet) -> Model:
    """What one model file would hold."""
    entry = get_format(sheet.model.format)
    meant = told_by_model(file.scene, entry, posixpath.basename(file.path))
    record = {
        "path": file.path + entry.files(file.scene)[0],
        "kind": file.kind,
        "after": counts(meant),
        "names": names_of(meant),
        "box": box_of(meant),
    }
    return Model(record, meant, {})


def stop_lines(passed: Sequence[At]) -> list[Json]:
    """The stops passed, with settings and remarks."""
    out = []
    for at in passed:
        step = step_of(at.stop.step)
        out.append(
            {
                "id": at.stop.id,
                "step": step.name,
                "summary": step.summary(at.stop.settings),
                "settings": {k: v for k, v in at.stop.values if k != "targets"},
                "remarks": [r.text for r in at.remarks],
            }
        )
    return out


@dataclass(frozen=True, eq=False)
class Told:
    """All that a docket is made from: the asset as received and after every stop, `final` it in destination numbers, how it was
    judged, what is known of it and of its source, its files, `kit` what changes in the destination's own folder.
    """

    sheet: Sheet
    received: Scene
    final: Scene
    passed: Sequence[At]
    ledger: Ledger
    about: About
    source: Mapping[str, Any]
    files: Sequence[Mapping[str, Any]]
    when: str
    kit: Mapping[str, Any] | None = None
    made_of: str = ""


def left_behind(told: Told, models: Sequence[Model]) -> list[Json]:
    """What did not come along: on the way, and in the files themselves."""
    arrived = told.passed[0].scene if told.passed else told.received
    last = told.passed[-1].scene if told.passed else told.received
    form = get_format(told.sheet.model.format)
    out = [loss.as_dict() for loss in losses(arrived, last, form, told.passed)]
    if told.sheet.grounds.form == "study":
        n = len(last.meshes)
        out.append(
            {
                "kind": "model",
                "text": "the model and its textures: for study only",
                "before": n,
                "after": 0,
                "unasked": False,
            }
        )
    for m in models:
        out += [
            {
                "kind": k,
                "text": f"{n:,} {k} that {m.record['path']} does not hold",
                "before": n,
                "after": 0,
                "unasked": False,
            }
            for k, n in m.lost.items()
        ]
    return out


def make_docket(told: Told, folder: Path) -> Json:
    """The docket as data; `folder` holds the files as written: its counts are theirs. The digest is over everything else, written
    last.
    """
    body = shown(
        _body(told, [written_model(f, told.sheet, folder) for f in model_files(told.final, told.sheet)])
    )
    # The page is made of all above, so it is known before the digest is.
    body["page"] = hashlib.sha256(docket_page(body)).hexdigest()
    body["digest"] = digest_of(body)
    return dict(body)


def docket_before(told: Told) -> Json:
    """The docket as it will be, for looking at: counts are those of what would be written, sizes and hashes are not known."""
    models = [meant_model(f, told.sheet) for f in model_files(told.final, told.sheet)]
    return {**shown(_body(told, models)), "before_writing": True}


def _body(told: Told, models: Sequence[Model]) -> Json:
    sheet, about = told.sheet, told.about
    main = models[0].record if sheet.grounds.form in ("none", "file") else whole_level(told.final)
    clips = [c.name for m in models for c in m.scene.clips]
    return {
        "docket": 2,
        "made_by": f"Customs {__version__}",
        "when": told.when,
        "asset": told.final.name,
        "sheet": {
            "id": sheet.id,
            "title": sheet.title,
            "edition": sheet.edition,
            "digest": sheet_digest(sheet),
        },
        "source": dict(told.source),
        "rights": _rights(about, told.received, told.passed),
        "before": counts(told.received),
        "after": main["after"] | {"clips": len(clips)},
        "box": {"unit": sheet.axes.unit_name, "metres_per_unit": sheet.axes.metres_per_unit, **main["box"]},
        "names": main["names"] | {"clips": clips},
        "models": [m.record for m in models],
        "route": stop_lines(told.passed),
        "requirements": {v: told.ledger.count(v) for v in ("cleared", "query", "held")},
        "ledger": [
            {k: v for k, v in r.as_dict().items() if k != "remedy"}
            for r in told.ledger.rows
            if effective(r) != "cleared" or r.waived
        ],
        "left_behind": left_behind(told, models),
        **_where_asked(told),
        "remarks": [r.text for r in told.received.remarks],
        "files": [dict(f) for f in told.files],
    }


def whole_level(final: Scene) -> Json:
    """Counts, names and box of a level that is delivered as a list, or only studied."""
    found = counts(final)
    names = {"meshes": [final.meshes[k].name for k in used_meshes(final)]}
    return {
        "after": {k: found[k] for k in ("triangles", "meshes", "joints", "clips")},
        "names": names,
        "box": box_of(final),
    }


def _where_asked(told: Told) -> Json:
    """What not every docket has."""
    known = known_of(told.sheet, told.about.form, told.about.source).as_dict()
    out = {
        "measured": measured_lines(told.about, told.sheet),
        "form": form_of(told.sheet, told.about),
        "known": known,
        "kit": dict(told.kit) if told.kit is not None else {},
        "made_of": told.made_of,
    }
    return {k: v for k, v in out.items() if v or (k == "kit" and told.kit is not None)}


def form_of(sheet: Sheet, about: About) -> Json:
    """The fields of a sheet's form that are filled in."""
    return {f.id: about.form[f.id] for f in sheet.form if about.form.get(f.id) is not None}


def _rights(about: About, received: Scene, passed: Sequence[At]) -> Json:
    others = [asdict(x) for x in joined(passed)]
    return {
        "author": about.author,
        "licence": about.licence or received.copyright,
        "use": about.use or "deliver",
        **({"joined": others} if others else {}),
    }


def measured_lines(about: About, sheet: Sheet) -> list[Json]:
    """What a person measured and wants told, in the destination's unit."""
    axes = sheet.axes
    return [
        {"kind": n.kind, "value": n.value if n.kind == "angle" else n.value / axes.metres_per_unit,
         "text": n.text(axes.metres_per_unit, axes.unit_name)}
        for n in about.notes if n.told
    ]  # fmt: skip


def digest_of(body: Mapping[str, Any]) -> str:
    """SHA-256 over the docket without its digest, as JSON with sorted keys and no spaces."""
    rest = {k: v for k, v in body.items() if k != "digest"}
    text = json.dumps(rest, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode("utf-8")).hexdigest()


def shown(value: Any) -> Any:
    """Values with all text fit for a page: names of files and errors may hold anything."""
    if isinstance(value, str):
        return lines_plain(value)
    if isinstance(value, Mapping):
        return {lines_plain(str(k)): shown(v) for k, v in value.items()}
    return [shown(v) for v in value] if isinstance(value, list | tuple) else value


def docket_json(body: Mapping[str, Any]) -> bytes:
    """The docket file."""
    return (json.dumps(body, indent=1, ensure_ascii=False) + "\n").encode("utf-8")


def docket_page(body: Mapping[str, Any]) -> bytes:
    """The docket as a page a person can read."""
    return _page().render(d=body).encode("utf-8")


@cache
def _page() -> Any:
    """The page's template: to compile it takes longer than a small asset's files."""
    text = (resources.files("customs.dispatch") / "docket.html").read_text("utf-8")
    return sandbox.SandboxedEnvironment(autoescape=True).from_string(text)

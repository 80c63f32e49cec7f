"""What came of a run: how many of each, and what is left for a person, sorted by what one decision would clear most."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from customs.later import later
from customs.parts import write_whole
from customs.runs.rows import Row

sandbox = later("jinja2.sandbox")
Json = dict[str, Any]
PAGE, DATA = "run.html", "run.json"


def report(name: str, rows: Sequence[Row]) -> Json:
    """All of it as data: counts, the decisions that wait with the goods each would clear, what could not be done, and every asset."""
    states: dict[str, int] = {}
    for row in rows:
        states[row.state] = states.get(row.state, 0) + 1
    return {
        "run": 1, "name": name, "counts": dict(sorted(states.items())), "seconds": round(sum(r.seconds for r in rows), 1),
        "decisions": decisions(rows), "broken": [_line(r) for r in rows if r.state in ("failed", "broken")],
        "goods": [_line(r) for r in rows],
    }  # fmt: skip


def decisions(rows: Sequence[Row]) -> list[Json]:
    """Open rows of all goods, one for each requirement and remedy, those that would clear most goods first; what holds goods before what
    only asks. `step` is what a recipe would have to say, where that is the same for all of them.
    """
    found: dict[tuple[str, str, str, str], list[str]] = {}
    titles: dict[str, str] = {}
    for row in rows:
        told = row.told or {}
        fixes = told.get("fixes", {})
        for r in told.get("rows", []):
            if r["verdict"] == "cleared" or r.get("waived"):
                continue
            fix = fixes.get(f"{r['requirement']}/{r.get('subject', '')}")
            said = json.dumps(fix, sort_keys=True) if fix else ""
            key = (r["requirement"], r["verdict"], r.get("remedy") or "", said)
            goods = found.setdefault(key, [])
            titles[r["requirement"]] = r["title"]
            if row.path not in goods:
                goods.append(row.path)
    order = sorted(found.items(), key=lambda x: (x[0][1] != "held", -len(x[1]), x[0]))
    return [
        {
            "requirement": q,
            "title": titles[q],
            "verdict": v,
            "remedy": fix,
            "step": json.loads(said) if said else None,
            "goods": goods,
        }
        for (q, v, fix, said), goods in order
    ]


def without_folders(body: Json, places: Sequence[Path]) -> Json:
    """The same without the folders that files lie in: what lies below one of `places` is named from there, and no other path is named whole."""
    above = {p for place in (*places, Path.home()) for p in place.absolute().parents if p != p.parent}
    heads = [(f"{p}{os.sep}", "") for p in places] + [(f"{p}{os.sep}", "…/") for p in above - set(places)]
    heads.sort(key=lambda x: -len(x[0]))

    def plain(value: Any) -> Any:
        if isinstance(value, dict):
            return {k: plain(v) for k, v in value.items()}
        if isinstance(value, list):
            return [plain(v) for v in value]
        if not isinstance(value, str):
            return value
        for head, instead in heads:
            value = value.replace(head, instead)
        return re.sub(r"(?<![\w./…])(/[^/\s:;,]+)/(?:[^/\s:;,]+/)*", _short_path, value)

    return {k: plain(v) for k, v in body.items()}


def _short_path(found: re.Match[str]) -> str:
    """A path's folders left out; places in a document (/meshes/0/…) look alike and are none of the disk's."""
    return "…/" if Path(found[1]).is_dir() else found[0]


def _line(row: Row) -> Json:
    told = row.told or {}
    error = told.get("error") or {}
    return {
        "file": row.path, "state": row.state, "seconds": row.seconds, "peak": row.peak, "attempt": row.attempt,
        "package": told.get("package"), "said": wrong(error) or told.get("skipped") or "",
    }  # fmt: skip


def wrong(error: Json) -> str:
    """What an error says: what was found and where, what was expected, what to do."""
    where = f" at {error['where']}" if error.get("where") else ""
    expected = f"; expected {error['expected']}" if error.get("expected") else ""
    todo = f". {error['todo']}" if error.get("todo") else ""
    return f"{error['found']}{where}{expected}{todo}" if error.get("found") else ""


def write_report(folder: Path, body: Json) -> None:
    """The report as JSON and as a page, each whole or not at all. Raises OSError."""
    for name, data in ((DATA, json.dumps(body, indent=1, ensure_ascii=False) + "\n"), (PAGE, page(body))):
        write_whole(folder / name, data.encode("utf-8", "replace"))


def page(body: Json) -> str:
    """As a page a person can read; everything in it is escaped, and it loads nothing."""
    made: str = sandbox.SandboxedEnvironment(autoescape=True).from_string(TEMPLATE).render(d=body)
    return made


TEMPLATE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Run: {{ d.name }}</title>
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">
<style>
body{font:15px/1.45 "Barlow Semi Condensed","Arial Narrow",sans-serif;background:#F3EFE4;color:#1F2D33;margin:2rem auto;max-width:60rem;padding:0 1rem}
h1{font-size:1.6rem;margin:0}h2{font-size:1rem;margin:1.6rem 0 .4rem;border-bottom:1px solid #D9D1BD}
table{border-collapse:collapse;width:100%;background:#FBF9F2;font-variant-numeric:tabular-nums}
td,th{padding:.25rem .6rem;border-bottom:1px solid #D9D1BD;text-align:left;vertical-align:top}
td.n,th.n{text-align:right}.soft{color:#5A676E}
</style></head><body>
<h1>{{ d.name }}</h1>
<p class="soft">{% for k, n in d.counts.items() %}{{ n }} {{ k }}{{ ", " if not loop.last }}{% endfor %}; {{ d.seconds }} s of work.</p>
<h2>For a person to decide</h2>
{% if d.decisions %}<table><tr><th>Verdict</th><th>Requirement</th><th>Remedy</th><th class="n">Goods</th><th>Which</th></tr>
{% for x in d.decisions %}<tr><td>{{ x.verdict }}</td><td>{{ x.title }}</td><td>{{ x.remedy or "–" }}</td><td class="n">{{ x.goods|length }}</td><td>{{ x.goods[:4]|join(", ") }}{{ " …" if x.goods|length > 4 }}</td></tr>
{% endfor %}</table>{% else %}<p>Nothing.</p>{% endif %}
{% if d.broken %}<h2>Not done</h2><table><tr><th>File</th><th>State</th><th>What was said</th></tr>
{% for x in d.broken %}<tr><td>{{ x.file }}</td><td>{{ x.state }}</td><td>{{ x.said }}</td></tr>
{% endfor %}</table>{% endif %}
<h2>Goods</h2>
<table><tr><th>File</th><th>State</th><th class="n">Seconds</th><th class="n">MB</th><th>Package</th></tr>
{% for x in d.goods %}<tr><td>{{ x.file }}</td><td>{{ x.state }}</td><td class="n">{{ x.seconds }}</td><td class="n">{{ (x.peak / 1000000)|round|int }}</td><td>{{ x.package or x.said }}</td></tr>
{% endfor %}</table></body></html>
"""

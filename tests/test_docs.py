"""What the documents say of the program holds: examples run, versions are those of the code, rooms are all told."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from customs.recipes.recipe import VERSION as RECIPE
from customs.route.step import STEPS
from customs.runs.rows import FORM
from customs.shipment.making import SCHEMA
from customs.voxels.grid_file import GridFile

ROOT = Path(__file__).parent.parent
ARCHITECTURE = (ROOT / "docs" / "architecture.md").read_text("utf-8")
EXAMPLES = re.findall(r"^```python\n(.*?)^```", ARCHITECTURE, re.M | re.S)


@pytest.mark.parametrize("number", range(len(EXAMPLES)))
def test_examples_run(
    number: int, demo_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    before = set(STEPS.all())
    (tmp_path / "demo").symlink_to(demo_folder)
    exec(compile(EXAMPLES[number], f"architecture.md, example {number}", "exec"), {})
    for added in set(STEPS.all()) - before:
        STEPS.drop(added)


def test_there_are_examples_and_every_room_is_told() -> None:
    assert len(EXAMPLES) >= 4
    rooms = {p.name for p in (ROOT / "src" / "customs").iterdir() if (p / "__init__.py").is_file()}
    assert not {r for r in rooms if f"`{r}/`" not in ARCHITECTURE}


def test_versions_of_files_are_those_of_the_code() -> None:
    rows = [
        [c.strip() for c in line.strip("|").split("|")]
        for line in (ROOT / "docs" / "formats.md").read_text("utf-8").splitlines() if line.startswith("| ")
    ]  # fmt: skip
    told = {r[0].partition(",")[0]: r[2] for r in rows[1:]}
    docket = json.loads((ROOT / "src/customs/dispatch/docket.schema.json").read_text("utf-8"))
    assert told["shipment"] == told["shipment in one file"] == str(SCHEMA)
    assert told["docket"] == str(docket["properties"]["docket"]["const"])
    assert told["recipe"] == str(RECIPE) and told["run"] == str(FORM)
    assert told["cells"] == str(GridFile.model_fields["voxels"].default)


def test_documents_are_linked_and_links_lead_somewhere() -> None:
    known = [
        ROOT / "README.md",
        ROOT / "CONTRIBUTING.md",
        ROOT / "CHANGELOG.md",
        *(ROOT / "docs").glob("*.md"),
    ]
    linked = set()
    for page in known:
        for target in re.findall(r"\]\(([^)#]+)[^)]*\)", page.read_text("utf-8")):
            if "://" not in target:
                assert (page.parent / target).exists(), f"{page.name}: {target}"
                linked.add((page.parent / target).resolve())
    lost = [p.name for p in known[1:] if p.resolve() not in linked and not p.name.startswith("benchmarks-")]
    assert not lost, "nobody links them"

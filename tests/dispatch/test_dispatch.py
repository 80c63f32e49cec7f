"""Dispatch: all or nothing, never over something unasked, a docket that is true; Landing refuses what was
tampered with.
"""

from __future__ import annotations

import atexit
import contextlib
import hashlib
import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest

from customs.dispatch.beside import planned_files
from customs.dispatch.deliver import Deliverable, deliver, destination_scene
from customs.dispatch.dispatch import package_folder
from customs.dispatch.docket import digest_of, docket_page
from customs.dispatch.writer import write_package
from customs.errors import Cancelled, WriteError
from customs.files import why_no_part
from customs.job import Job
from customs.landing.land import land, landed_scene, packages
from customs.landing.mistakes import plant
from customs.motion.posing.bounds import world_bounds
from customs.parts import part_folder
from customs.route.step import NOTHING, get_step, make_settings
from customs.work.asset import Request, prepare, run
from customs.work.lookup import find_origin, find_sheet
from tests import fuzzing
from tests.assets import letter_primitive, lettered, saved, scene_of
from tests.conftest import good


@cache
def written_once(asset: str, sheet: str, path: Path) -> Path:
    """The package of a demo asset, made once for all tests of a process."""
    out = Path(tempfile.mkdtemp(prefix="customs-delivered-"))
    atexit.register(shutil.rmtree, out, ignore_errors=True)
    result = run(Request(path, path.parent, find_sheet(sheet), find_origin(good(asset).origin), out=out))
    assert result.folder is not None, result.error
    return result.folder


def delivered(asset: str, sheet: str, goods: dict[str, Path], out: Path) -> Path:
    """The package of a demo asset, to be changed at will."""
    folder = written_once(asset, sheet, goods[asset])
    return Path(shutil.copytree(folder, out / folder.name))


def docket(folder: Path) -> dict[str, object]:
    return json.loads((folder / "docket.json").read_text("utf-8"))


def test_the_package_holds_what_the_docket_says(goods: dict[str, Path], tmp_path: Path) -> None:
    folder = delivered("bell_lantern", "centimetre-zup-lh", goods, tmp_path)
    body = docket(folder)
    named = {f["path"] for f in body["files"]}  # type: ignore[attr-defined]
    assert named == {"bell_lantern.fbx"} | {p for p in named if p.startswith("tex/")} and len(named) == 5
    path, sheet = goods["bell_lantern"], find_sheet("centimetre-zup-lh")
    scene = prepare(Request(path, path.parent, sheet, find_origin("inch-zup"))).passed[-1].scene
    assert {p for p, _ in planned_files(scene, sheet)} == named, "what the window promises is what is written"
    there = {p.relative_to(folder).as_posix() for p in folder.rglob("*") if p.is_file()}
    assert there == named | {"docket.json", "docket.html"}
    for f in body["files"]:  # type: ignore[attr-defined]
        data = (folder / f["path"]).read_bytes()
        assert len(data) == f["size"] and hashlib.sha256(data).hexdigest() == f["sha256"]
    assert body["digest"] == digest_of(body)
    assert body["before"]["textures"] == 4 and body["after"]["meshes"] == 3  # type: ignore[index]
    assert body["source"]["name"] == "bell_lantern.obj" and "free to use" not in body["rights"]["use"]  # type: ignore[index]
    page = (folder / "docket.html").read_text("utf-8")
    assert "bell_lantern" in page and "Formats" in page and "<script" not in page
    assert list(tmp_path.iterdir()) == [folder]


def test_names_in_a_docket_page_cannot_run_anything() -> None:
    bad = "<script>alert(1)</script>"
    body = {
        "asset": bad, "sheet": {"title": "t", "id": "i", "edition": 1}, "when": "", "made_by": "", "after": {}, "before": {},
        "box": {"unit": "m", "low": [], "high": []}, "route": [], "requirements": {"cleared": 0, "query": 0, "held": 0},
        "ledger": [], "files": [], "source": {"name": bad, "sha256": ""}, "rights": {}, "remarks": [bad],
    }  # fmt: skip
    page = docket_page(body)
    assert b"<script" not in page and b"default-src 'none'" in page, "and it loads nothing"


def test_nothing_is_overwritten_unasked_and_replaced_whole_when_asked(
    goods: dict[str, Path], tmp_path: Path
) -> None:
    folder = delivered("pane_wall", "metre-yup-pbr", goods, tmp_path)
    (folder / "mine.txt").write_text("kept")
    path = goods["pane_wall"]
    again = Request(path, path.parent, find_sheet("metre-yup-pbr"), find_origin("metre-zup"), out=tmp_path)
    result = run(again)
    assert result.error is not None and "already" in str(result.error) and result.code == 1
    assert (folder / "mine.txt").read_text() == "kept"
    kept = run(Request(**{**again.__dict__, "replace_existing": True}))
    assert (
        kept.folder is None and "mine.txt" in str(kept.error) and (folder / "mine.txt").read_text() == "kept"
    )
    (folder / "mine.txt").unlink()
    replaced = run(Request(**{**again.__dict__, "replace_existing": True}))
    assert replaced.folder == folder and replaced.accepted
    assert list(tmp_path.iterdir()) == [folder]


def in_the_way(kind: str, target: Path) -> None:
    """Something that is no package of ours where one is to go."""
    if kind == "a file":
        target.write_text("mine")
    elif kind in ("a link to a folder", "a link to a package"):
        other = target.with_name("elsewhere")
        other.mkdir()
        if kind.endswith("package"):
            write_package(other / "thing", [file("a.txt", lambda: [b"old"])], empty_docket)
            other = other / "thing"
        (other / "own.txt").write_text("mine")
        target.symlink_to(other)
    else:
        write_package(target, [file("a.txt", lambda: [b"old"])], empty_docket)
        change = {
            "a folder": lambda: (target / "docket.json").unlink(),
            "a changed docket": lambda: (target / "docket.json").write_text(
                '{"made_by": "Customs", "files": [], "digest": ""}'
            ),
            "no docket at all": lambda: (target / "docket.json").write_text("[" * 100_000),
            "a file more": lambda: (target / "deep" / "own.txt").write_text("mine"),
            "a link more": lambda: (target / "own.txt").symlink_to("/etc/hostname"),
        }
        (target / "deep").mkdir()
        change[kind]()


@pytest.mark.parametrize("kind", ["a file", "a link to a folder", "a link to a package", "a folder", "a changed docket",
                                  "no docket at all", "a file more", "a link more"])  # fmt: skip
def test_only_packages_are_replaced(kind: str, tmp_path: Path) -> None:
    target = tmp_path / "thing"
    in_the_way(kind, target)
    before = sorted(str(p) for p in tmp_path.rglob("*"))
    with pytest.raises(WriteError) as problem:
        write_package(target, [file("a.txt", lambda: [b"new"])], empty_docket, replace_existing=True)
    assert problem.value.todo and sorted(str(p) for p in tmp_path.rglob("*")) == before
    assert not (target / "a.txt").exists() or (target / "a.txt").read_bytes() == b"old"


@pytest.mark.parametrize("name", ["․․/x", "．．／x", "nul", "COM1.old", "a:b", "end.", "\x00", "x" * 300])
def test_no_name_leaves_the_folder_or_means_a_device(name: str, tmp_path: Path) -> None:
    scene = replace(scene_of(letter_primitive(0, material=None)), name=name)
    if why_no_part(name):
        with pytest.raises(WriteError, match="every system takes"):
            package_folder(tmp_path, scene)
    step = get_step("rename")
    out = step.apply(scene, make_settings(step, {"allowed": ".+"}), NOTHING, Job()).scene
    assert not why_no_part(out.name) and package_folder(tmp_path, out).resolve().parent == tmp_path.resolve()


def test_what_a_killed_process_left_is_swept_and_half_a_change_undone(tmp_path: Path) -> None:
    dead = subprocess.Popen([sys.executable, "-c", ""])
    dead.wait()
    with part_folder(tmp_path / "thing") as mine:
        machine = mine.name.removeprefix(".thing-").partition(".")[0]
    other = "000000" if machine != "000000" else "111111"
    stay = {
        f".thing-{machine}.{os.getpid()}-abcdefgh.part",
        f".thing-{other}.{dead.pid}-abcdefgh.part",
        ".mine.part",
    }
    for name in (
        f".thing-{machine}.{dead.pid}-abcdefgh.part",
        f".gone-{machine}.{dead.pid}-abcdefgh.old",
        *stay,
    ):
        (tmp_path / name).mkdir()
        (tmp_path / name / "a.txt").write_text("x")
    (tmp_path / f".note.txt-{machine}.{dead.pid}-abcdefgh.part").write_text("half")
    write_package(tmp_path / "thing", [file("a.txt", lambda: [b"new"])], empty_docket)
    # What another machine is at is none of this one's business: folders are shared.
    assert {p.name for p in tmp_path.iterdir()} == {"thing", "gone", *stay}


def test_held_goods_are_not_written(goods: dict[str, Path], tmp_path: Path) -> None:
    path = goods["seed_cart"]
    result = run(
        Request(path, path.parent, find_sheet("metre-yup-pbr"), find_origin("metre-yup"), out=tmp_path)
    )
    assert result.folder is None and result.code == 1 and list(tmp_path.iterdir()) == []


def file(path: str, make: Callable[[], list[bytes]]) -> Deliverable:
    return Deliverable(path, "other", lambda tick: make(), path)  # type: ignore[arg-type, return-value]


def empty_docket(files: object, folder: Path) -> dict[str, object]:
    body = {
        "asset": "a",
        "sheet": {},
        "box": {},
        "after": {},
        "requirements": {},
        "rights": {},
        "source": {},
        "files": files,
    }
    return {**body, "made_by": "Customs", "digest": digest_of({**body, "made_by": "Customs"})}


def fails() -> list[bytes]:
    raise WriteError("this one breaks")


def full() -> list[bytes]:
    raise OSError(28, "No space left on device")


@pytest.mark.parametrize(("make", "kind"), [(fails, WriteError), (full, WriteError)])
def test_a_failure_half_way_leaves_nothing(
    make: Callable[[], list[bytes]], kind: type[Exception], tmp_path: Path
) -> None:
    target = tmp_path / "out" / "thing"
    with pytest.raises(kind) as problem:
        write_package(target, [file("a.txt", lambda: [b"x"]), file("b.txt", make)], empty_docket)
    assert list((tmp_path / "out").iterdir()) == []
    if make is full:
        assert "disk is full" in str(problem.value)


def test_cancel_leaves_nothing_and_the_old_package_whole(tmp_path: Path) -> None:
    target = tmp_path / "thing"
    write_package(target, [file("a.txt", lambda: [b"old"])], empty_docket)
    seen: list[str] = []

    def cancelled() -> bool:
        return "b.txt" in seen

    job = Job(progress=lambda share, text: seen.append(text), cancelled=cancelled)
    with pytest.raises(Cancelled):
        write_package(
            target,
            [file("a.txt", lambda: [b"new"]), file("b.txt", lambda: [b"x"])],
            empty_docket,
            job=job,
            replace_existing=True,
        )
    assert (target / "a.txt").read_bytes() == b"old" and list(tmp_path.iterdir()) == [target]


def test_paths_that_leave_the_package_are_refused(tmp_path: Path) -> None:
    with pytest.raises(WriteError, match="leaves the package"):
        write_package(tmp_path / "t", [file("../escape.txt", lambda: [b"x"])], empty_docket)
    assert not (tmp_path / "escape.txt").exists()


def test_a_target_that_is_a_file_or_read_only(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    with pytest.raises(WriteError) as problem:
        write_package(tmp_path / "file" / "t", [file("a", lambda: [b"x"])], empty_docket)
    assert "cannot be written" in str(problem.value)


def test_two_textures_of_one_name_clash_clearly(goods: dict[str, Path]) -> None:
    from dataclasses import replace

    path = goods["bell_lantern"]
    sheet = find_sheet("centimetre-zup-lh")
    scene = prepare(Request(path, path.parent, sheet, find_origin("inch-zup"))).passed[-1].scene
    same = replace(scene, images=tuple(replace(i, name="same") for i in scene.images))
    with pytest.raises(WriteError, match="two files called"):
        deliver(destination_scene(same, sheet), sheet)


KILLED = """
import sys, time
from pathlib import Path
from customs.dispatch.deliver import Deliverable
from customs.dispatch.docket import digest_of
from customs.dispatch.writer import write_package
def part(k):
    def make(tick):
        time.sleep(0.01)
        return [bytes([k]) * 20000]
    return make
def docket(files, folder):
    body = {"asset": "a", "sheet": {}, "box": {}, "after": {}, "requirements": {}, "rights": {}, "source": {}, "files": list(files),
            "made_by": "Customs"}
    return {**body, "digest": digest_of(body)}
target = Path(sys.argv[1])
print("ready", flush=True)
k = 0
while True:
    k = (k + 1) % 250
    write_package(target, [Deliverable(f"{i}.bin", "other", part(k)) for i in range(4)], docket, replace_existing=True)
"""


@pytest.mark.parametrize("wait", [0.03, 0.11, 0.19, 0.27])
def test_killed_at_any_moment_the_old_or_the_new_is_there_whole(wait: float, tmp_path: Path) -> None:
    target = tmp_path / "thing"
    child = subprocess.Popen([sys.executable, "-c", KILLED, str(target)], stdout=subprocess.PIPE, text=True)
    assert child.stdout is not None and child.stdout.readline().strip() == "ready"
    end = time.monotonic() + 20
    while not target.exists() and time.monotonic() < end:
        time.sleep(0.005)
    time.sleep(wait)
    os.kill(child.pid, signal.SIGKILL)
    child.wait()
    child.stdout.close()
    first = {(target / f"{i}.bin").read_bytes()[:1] for i in range(4)}
    assert len(first) == 1, "a mix of two packages"
    assert json.loads((target / "docket.json").read_text())["files"]


# -- landing


@pytest.mark.parametrize("sheet", ["metre-yup-pbr", "centimetre-zup-lh", "one-mesh-kit"])
def test_what_was_dispatched_is_accepted_and_where_it_should_be(
    sheet: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    folder = delivered("bell_lantern", sheet, goods, tmp_path)
    log = land(folder, find_sheet)
    assert log.accepted and log.lines[-1].verb == "accepts", [line.text for line in log.lines]
    box = world_bounds(landed_scene(folder, find_sheet(sheet)))
    assert (
        box is not None
        and box[1][1] - box[0][1] == pytest.approx(0.721, abs=1e-3)
        and box[0][1] == pytest.approx(0, abs=1e-4)
    )


@pytest.mark.breadth(2)
@pytest.mark.parametrize(
    "mistake", ["texture", "name", "number", "count", "cut", "byte", "gone", "case", "box"]
)
@pytest.mark.parametrize("sheet", ["metre-yup-pbr", "centimetre-zup-lh"])
def test_every_planted_mistake_is_caught(
    sheet: str, mistake: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    folder = delivered("bell_lantern", sheet, goods, tmp_path)
    assert plant(folder, mistake)
    log = land(folder, find_sheet)
    assert not log.accepted
    assert all(line.file and line.text for line in log.lines if line.level == "refusal")


def resigned(folder: Path, change: Callable[[dict[str, object]], object]) -> None:
    """Alter the docket and give it a right digest of itself, as a careful forger would."""
    body = docket(folder)
    change(body)
    body["digest"] = digest_of(body)
    (folder / "docket.json").write_text(json.dumps(body), "utf-8")


FORGERIES: dict[str, tuple[Callable[[dict[str, object]], object], str]] = {
    "a count": (lambda b: b["after"].update(vertices=1), "vertices"),  # type: ignore[attr-defined]
    "every count": (lambda b: b["after"].update({k: v + 1 for k, v in b["after"].items()}), "triangles"),  # type: ignore[attr-defined]
    "a missing figure": (lambda b: b["after"].pop("clips"), "clips"),  # type: ignore[attr-defined]
    "a name": (lambda b: b["names"]["nodes"].__setitem__(0, "other"), "not found"),  # type: ignore[index]
    "an empty box": (lambda b: b["box"].pop("low"), "no box"),  # type: ignore[attr-defined]
    "the unit": (lambda b: b["box"].update(unit="in"), "lengths are in"),  # type: ignore[attr-defined]
    "how long a unit is": (lambda b: b["box"].update(metres_per_unit=2.0), "a unit is"),  # type: ignore[attr-defined]
    "what was held": (lambda b: b["requirements"].update(held=1), "held"),  # type: ignore[attr-defined]
    "a query": (lambda b: b["requirements"].update(query=9), "lists"),  # type: ignore[attr-defined]
    "the box": (lambda b: b["box"]["high"].__setitem__(0, 9.0), "box"),  # type: ignore[index]
    "a file size": (lambda b: b["files"][0].update(size=1), "differs"),  # type: ignore[index]
    "a file outside": (
        lambda b: b["files"].append({"path": "../x", "size": 0, "sha256": "", "kind": "texture"}),
        "outside",
    ),  # type: ignore[attr-defined]
    "another sheet": (lambda b: b["sheet"].update(id="nobodys"), "sheet"),  # type: ignore[attr-defined]
}


@pytest.mark.parametrize("name", FORGERIES)
def test_a_forged_docket_with_a_right_digest_is_refused_by_recounting(
    name: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    change, word = FORGERIES[name]
    folder = delivered("pane_wall", "metre-yup-pbr", goods, tmp_path)
    resigned(folder, change)
    log = land(folder, find_sheet)
    assert not log.accepted and any(word in line.text for line in log.lines if line.level == "refusal")


def test_the_page_of_the_docket_and_empty_folders_are_checked(goods: dict[str, Path], tmp_path: Path) -> None:
    folder = delivered("bell_lantern", "metre-yup-pbr", goods, tmp_path)
    (folder / "left").mkdir()
    log = land(folder, find_sheet)
    assert log.accepted and any(x.file == "left/" and x.level == "remark" for x in log.lines)
    page = folder / "docket.html"
    page.write_text(page.read_text("utf-8").replace("Bell", "Dull") + " ", "utf-8")
    assert not land(folder, find_sheet).accepted
    page.unlink()
    assert any("by a person" in x.text for x in land(folder, find_sheet).lines if x.level == "refusal")


def test_a_docket_that_says_anything_at_all_is_answered_and_never_thrown_at(tmp_path: Path) -> None:
    path = saved(replace(lettered(), name="letter"), tmp_path / "goods" / "letter.glb")
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr"), out=tmp_path))
    assert result.folder is not None and land(result.folder, find_sheet).accepted
    sound = (result.folder / "docket.json").read_bytes()
    rng, refused = np.random.default_rng(12), 0
    for number in range(250):
        body = json.loads(fuzzing._json(sound, rng))
        if isinstance(body, dict):
            with contextlib.suppress(UnicodeEncodeError):
                body["digest"] = digest_of(body)
        (result.folder / "docket.json").write_text(json.dumps(body), "utf-8")
        log = land(result.folder, find_sheet)
        assert log.lines, number
        refused += not log.accepted
    assert refused > 100, "most of what can be said wrongly is noticed"
    for text in ("", "[" * 100_000, "null", "\ud800", '{"asset": 1}'):
        (result.folder / "docket.json").write_bytes(text.encode("utf-8", "surrogatepass"))
        assert not land(result.folder, find_sheet).accepted


def test_a_texture_deleted_from_disk(goods: dict[str, Path], tmp_path: Path) -> None:
    folder = delivered("fern_bed", "centimetre-zup-lh", goods, tmp_path)
    next((folder / "tex").glob("*leaf*")).unlink()
    log = land(folder, find_sheet)
    refusals = [line for line in log.lines if line.level == "refusal"]
    assert any("material m_fern_leaf names it" in line.text for line in refusals), [r.text for r in refusals]


def test_landing_by_a_stricter_sheet(goods: dict[str, Path], tmp_path: Path) -> None:
    folder = delivered("watering_stork", "metre-yup-pbr", goods, tmp_path)
    log = land(folder, find_sheet, find_sheet("one-mesh-kit"))
    said = " ".join(line.text for line in log.lines if line.level == "refusal")
    assert "meshes where one" in said and "1 skin, none taken" in said and "power of two" in said


def test_odd_folders_and_files(tmp_path: Path, goods: dict[str, Path]) -> None:
    log = land(tmp_path, find_sheet)
    assert not log.accepted and "no docket" in log.lines[0].text
    (tmp_path / "docket.json").write_text("[]")
    assert not land(tmp_path, find_sheet).accepted
    folder = delivered("pane_wall", "metre-yup-pbr", goods, tmp_path / "out")
    (folder / "stranger.txt").write_text("hello")
    log = land(folder, find_sheet)
    assert log.accepted and log.remarks == 1
    assert packages(tmp_path / "out") == [folder] and packages(folder) == [folder]


def test_landing_imports_nothing_of_the_makers() -> None:
    code = (
        "import sys, customs.landing.land, customs.landing.mistakes; "
        "bad = [m for m in sys.modules if m.startswith(('customs.route', 'customs.ledger', 'customs.planning', 'customs.dispatch'))];"
        "print(bad)"
    )
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert out.strip() == "[]"

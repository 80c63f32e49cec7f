"""A heap looked through, closed and taken in: everything a model leans on, wherever it lies."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.conventions.convert import change_convention
from customs.conventions.origin import Origin
from customs.demo.stores import write_stores
from customs.demo.textures import encoded
from customs.errors import CustomsError
from customs.formats.registry import formats, get_format, read_scene
from customs.formats.source import Source
from customs.intake import through
from customs.intake.browse import Browsed
from customs.intake.closure import Closure, Names, closures, cost, steps_between
from customs.intake.heap import Entry, Heap
from customs.intake.kinds import kind_by_content, kind_by_ending
from customs.intake.origins import explained
from customs.intake.pairs import moved_names, pairs, with_clips, with_skin
from customs.intake.rights import read_slip, slip_of
from customs.intake.scan import model_files
from customs.intake.take import files_digest, take
from customs.intake.through import HeapTree, heap_of, outer, tree_of
from customs.motion.curves.track import local_track
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.convention import Convention
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.shipment.state import Asset
from customs.shipment.store import changed_on_disk
from customs.surface.pixels import image_info
from customs.work.asset import Request, run
from customs.work.batch import package_folders
from customs.work.goods import take_again, take_in
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.take import kept_copy
from tests.assets import cube, key, saved, scene_of
from tests.intake.made import seven_of, tar_of, zip_of
from tests.motion.rigs import bar

PIXELS = np.full((4, 4, 3), 90, np.uint8)


@pytest.fixture(autouse=True)
def _own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setattr("customs.intake.spill.spill_folder", lambda: tmp_path / "cache")
    yield
    through._heaps.clear()


@pytest.fixture(scope="module")
def stores(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_stores(tmp_path_factory.mktemp("stores"))


def painted(*names: str) -> Scene:
    """A cube of as many materials and textures as there are names."""
    images = tuple(
        Image(key("image", k), n.rsplit(".", 1)[0], Encoded(encoded(PIXELS, "png")), uri=n)
        for k, n in enumerate(names)
    )
    made = [
        Material(key("material", k), n, textures={"base_colour": TextureUse(k)}) for k, n in enumerate(names)
    ]
    prims = [replace(cube(), key=key("primitive", k), material=k) for k in range(len(names))]
    return scene_of(*prims, materials=tuple(made), images=images)


def bytes_below(folder: Path) -> dict[str, bytes]:
    return {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


def listed(*paths: Path) -> Heap:
    heap = Heap()
    for path in paths:
        heap.add(path)
    return heap


def found(heap: Heap, name: str) -> Entry:
    return next(e for e in heap.entries if e.place.endswith(name))


# -- browsing


def test_the_stores_are_listed_measured_and_filtered(stores: Path) -> None:
    heap = listed(stores)
    b = Browsed(heap.entries)
    assert len(heap.entries) > 1_900 and b.counts()["texture"] == 592
    at = {n: k for k, n in enumerate(b.names)}
    whole = sum(e.size for e in heap.entries if e.kind != "archive")
    assert b.size[at["glasshouse_stores.tar"]] == whole == b.held[at["glasshouse_stores.tar"]].sum()
    assert b.files[at["sounds.zip"]] == 640 and b.held[at["sounds.zip"]].tolist()[:3] == [0, 0, 0]
    for node, up in enumerate(b.parent.tolist()):
        assert up < node, "what holds comes before what it holds"
    for text, wanted in (
        ("figures stork", {"watering_stork.glb"}), ("> 4 MB", {"spring_basin.stl"}), ("lantern bmp winter", {"lantern_roof_winter_c.bmp", "lantern_brass_winter_c.bmp"}),
        ("keepers", set()), ("nothing like it", set()),
    ):  # fmt: skip
        assert {b.names[k] for k in np.flatnonzero(b.matching(text)).tolist()} == wanted
    above = b.with_above(b.matching("figures stork"))
    assert [b.names[k] for k in np.flatnonzero(above).tolist()] == [
        "glasshouse_stores.tar", "figures.zip", "stork", "watering_stork.glb",
    ]  # fmt: skip
    assert (
        b.matching("", "model").sum() == b.counts()["model"] and b.matching("", "texture", 10**6).sum() == 0
    )


def test_rows_say_what_cannot_be_opened(stores: Path) -> None:
    heap = listed(stores)
    assert found(heap, "keepers.7z").locked and "encrypted" in found(heap, "keepers.7z").problem
    assert "no sound archive" in found(heap, "torn.zip").problem
    heap.unlock(f"{stores}/keepers.7z", "verdigris")
    assert found(heap, "keepers/moss_keeper.glb").takeable
    b = Browsed(heap.entries)
    assert b.at[f"{stores}/keepers.7z/keepers/moss_keeper.glb"] > b.at[f"{stores}/keepers.7z"]


def test_kinds_are_known_by_content_before_the_ending() -> None:
    assert kind_by_content("a.glb", b"glTF\2\0\0\0") == "model, GLB"
    assert kind_by_ending("A.PNG") == "texture" and kind_by_ending("x.ogg") == "sound"
    assert kind_by_ending("x.zip") == "archive" and kind_by_ending("x.unheard") == "other"
    assert kind_by_ending("x.zae").startswith("model"), "an archive that is one model"


# -- closure


@pytest.mark.parametrize(
    "format_", [f.id for f in formats().values() if f.leans is not None and f.write is not None]
)
def test_a_model_leans_on_what_reading_it_would_open(format_: str, tmp_path: Path) -> None:
    """The quick look against the reader itself, with all there, and with one texture gone."""
    path = saved(painted("wood_c.png", "brass_c.png"), tmp_path / "a" / f"crate.{format_}", format_)
    for gone in ("", "wood_c.png"):
        if gone:
            (path.parent / gone).unlink(missing_ok=True)
        quick, whole = Source(path), Source(path)
        leans = get_format(format_).leans
        assert leans is not None
        leans(quick)
        read_scene(whole)
        assert set(quick.touched) == set(whole.touched) and set(quick.absent) == set(whole.absent)


def test_what_lies_apart_is_found_by_name_and_what_may_be_several_is_asked(tmp_path: Path) -> None:
    saved(
        painted("wood_c.png", "brass_c.png", "lost_c.png", "Slate_C.png"),
        tmp_path / "in" / "models" / "crate.gltf",
    )
    pictures = {n: (tmp_path / "in" / "models" / n).read_bytes() for n in ("wood_c.png", "brass_c.png")}
    for name in ("wood_c.png", "brass_c.png", "lost_c.png", "Slate_C.png"):
        (tmp_path / "in" / "models" / name).unlink()
    models = zip_of(tmp_path / "models.zip", bytes_below(tmp_path / "in"))
    textures = tar_of(
        tmp_path / "textures.tar",
        {
            "skins/wood_c.png": pictures["wood_c.png"],
            "old/brass_c.png": b"",
            "new/brass_c.png": pictures["brass_c.png"],
            "SLATE_c.tga": b"x",
        },
    )
    heap = listed(models, textures)
    closure = closures(heap, [found(heap, "crate.gltf")])[0]
    said = {x.name: x for x in closure.leans}
    assert said["wood_c.png"].place == f"{textures}/skins/wood_c.png" and said["wood_c.png"].by == "name"
    assert said["brass_c.png"].place == "" and said["brass_c.png"].verdict == "query"
    # The larger of two equally near ones first.
    assert [os.path.relpath(p, textures) for p in said["brass_c.png"].candidates] == [
        "new/brass_c.png",
        "old/brass_c.png",
    ]
    assert said["lost_c.png"].verdict == "held" and not said["lost_c.png"].candidates
    assert said["Slate_C.png"].place.endswith("SLATE_c.tga"), "another spelling, another ending"
    assert closure.verdict == "held" and len(closure.places) == 4
    again = closures(heap, [closure.model], {"brass_c.png": f"{textures}/new/brass_c.png"})[0]
    assert {x.name: x.by for x in again.leans}["brass_c.png"] == "chosen"
    assert again.given == {
        "wood_c.png": f"{textures}/skins/wood_c.png",
        "brass_c.png": f"{textures}/new/brass_c.png",
        "Slate_C.png": f"{textures}/SLATE_c.tga",
    }


def test_shared_files_count_once_and_what_stays_is_said(stores: Path) -> None:
    heap = listed(stores)
    pots = [e for e in heap.entries if e.takeable and "/pot_00" in e.place]
    found_ = closures(heap, pots)
    spent = cost(heap, found_, 1000)
    assert len(pots) == 10 and spent.files == 10 + 10 + 4 and spent.free == 1000
    assert all(c.verdict == "cleared" for c in found_) and spent.size < sum(c.size for c in found_)
    figures = closures(heap, [found(heap, "watering_stork.glb")])
    assert cost(heap, figures, 0).spared == {}


def test_steps_between_places_are_folders_up_and_down() -> None:
    assert steps_between("/a/b/c.png", "/a/b/m.glb") == 0
    assert steps_between("/a/x/c.png", "/a/b/m.glb") == 2 and steps_between("/a/c.png", "/a/b/d/m.glb") == 2
    assert steps_between("/ab/c.png", "/abc/m.glb") == 2, "part of a name is no folder"


def test_a_broken_model_is_a_row_that_says_so_and_the_others_are_closed(tmp_path: Path) -> None:
    saved(scene_of(cube()), tmp_path / "a" / "good.glb")
    (tmp_path / "a" / "bad.gltf").write_text(
        '{"asset": {"version": "2.0"}, "buffers": [{"uri": 7}], "images": 3'
    )
    heap = listed(tmp_path / "a")
    by_name = {c.model.path.name: c for c in closures(heap, [e for e in heap.entries if e.takeable])}
    assert by_name["good.glb"].verdict == "cleared"
    assert by_name["bad.gltf"].verdict == "held" and by_name["bad.gltf"].problem


# -- taking in


def test_an_asset_is_taken_from_an_archive_in_an_archive_and_delivered_to_two_sheets(
    stores: Path, tmp_path: Path
) -> None:
    asked = Path(f"{stores}/figures.zip/stork")
    before = stores.stat()
    for sheet in ("metre-yup-pbr", "centimetre-zup-lh"):
        models = model_files([asked])
        assert [m.path.name for m in models] == ["watering_stork.glb"] and package_folders(models) == [""]
        origin = find_origin("centimetre-zup")
        result = run(Request(models[0].path, models[0].root, find_sheet(sheet), origin, out=tmp_path / sheet))
        assert result.error is None and result.folder is not None and result.accepted
    assert (stores.stat().st_mtime_ns, stores.stat().st_size) == (before.st_mtime_ns, before.st_size)
    assert sorted(os.listdir(stores.parent)) == [".stores", "glasshouse_stores.tar", "goods"]


@pytest.mark.parametrize("make", [zip_of, tar_of, seven_of])
def test_what_is_taken_from_an_archive_is_what_is_taken_from_a_folder(
    make: Callable[..., Path], tmp_path: Path
) -> None:
    plain = saved(painted("wood_c.png"), tmp_path / "in" / "crate.gltf")
    archive = make(tmp_path / "stores.pak", bytes_below(tmp_path / "in"))
    mine, its = take(plain), take(archive / "crate.gltf")
    assert its.digest == mine.digest and [f.name for f in its.files] == [f.name for f in mine.files]
    assert its.scene.digest == mine.scene.digest and its.absent == mine.absent
    store = tmp_path / "ship.store"
    asset = take_in(archive / "crate.gltf", archive, store, "crate", None)
    assert asset.source == f"{archive}/crate.gltf" and kept_copy(asset, store).run().absent == ()


def test_files_chosen_for_names_go_along_and_are_found_again(tmp_path: Path) -> None:
    model = saved(painted("wood_c.png"), tmp_path / "in" / "crate.gltf")
    picture = (tmp_path / "in" / "wood_c.png").read_bytes()
    (tmp_path / "in" / "wood_c.png").unlink()
    skins = zip_of(tmp_path / "skins.zip", {"deep/planks.png": picture})
    store, given = tmp_path / "ship.store", {"wood_c.png": f"{skins}/deep/planks.png"}
    asset = take_in(model, model.parent, store, "crate", None, given=given)
    assert asset.absent == () and asset.files == (
        str(model),
        str(model.with_suffix(".bin")),
        given["wood_c.png"],
    )
    again = Asset.from_dict(asset.as_dict())
    assert again.given == given and Asset.from_dict(replace(asset, given={}).as_dict()).given == {}
    for kept in (asset, again):
        image = kept_copy(kept, store).run().scene.images[0]
        assert image.there and image_info(image) is not None
    now, words = take_again(again, store)
    assert now.given == given and now.digest == asset.digest and words == ()


def test_an_archive_that_has_not_changed_is_not_opened_to_be_compared(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    saved(painted("wood_c.png"), tmp_path / "in" / "crate.gltf")
    archive = zip_of(tmp_path / "a.zip", bytes_below(tmp_path / "in"))
    asset = take_in(archive / "crate.gltf", archive, tmp_path / "ship.store", "crate", None)
    asset = Asset.from_dict(asset.as_dict())
    through._heaps.clear()
    with monkeypatch.context() as m:
        m.setattr("customs.intake.through.heap_of", lambda *_: pytest.fail("it is opened"))
        assert changed_on_disk(asset.files, asset.digest, asset.archives) == ""
    # Written anew with the same files in it, it is compared, and is the same; with others it is not.
    zip_of(archive, bytes_below(tmp_path / "in"))
    os.utime(archive, ns=(5, 5))
    assert changed_on_disk(asset.files, asset.digest, asset.archives) == ""
    (tmp_path / "in" / "wood_c.png").write_bytes(encoded(PIXELS + 1, "png"))
    zip_of(archive, bytes_below(tmp_path / "in"))
    assert changed_on_disk(asset.files, asset.digest, asset.archives) == "crate.gltf"
    archive.unlink()
    assert changed_on_disk(asset.files, asset.digest, asset.archives) == "crate.gltf"


def test_a_digest_is_remembered_only_while_nothing_can_have_touched_the_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "a.glb"
    file.write_bytes(b"one")
    first = files_digest((file,))
    # Written again within the tick of a clock, with the same size and time: it is read again.
    now = file.stat().st_mtime_ns
    file.write_bytes(b"two")
    os.utime(file, ns=(now, now))
    second = files_digest((file,))
    assert first != second
    # Untouched for longer, it is read once; the time of its last change of state cannot be set back.
    later = time.time() + 10
    monkeypatch.setattr("customs.intake.take.time.time", lambda: later)
    assert files_digest((file,)) == second
    with monkeypatch.context() as m:
        m.setattr("customs.intake.take.hashlib.file_digest", lambda *_: pytest.fail("it is read again"))
        assert files_digest((file,)) == second
    time.sleep(0.02)
    file.write_bytes(b"one")
    os.utime(file, ns=(now, now))
    assert files_digest((file,)) == first


def test_a_place_may_be_said_from_the_folder_one_stands_in(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    saved(painted("wood_c.png"), tmp_path / "in" / "crate.gltf")
    zip_of(tmp_path / "a.zip", bytes_below(tmp_path / "in"))
    monkeypatch.chdir(tmp_path)
    for place in (Path("in/crate.gltf"), Path("a.zip/crate.gltf")):
        taken = take(place)
        assert taken.files[0] == tmp_path / place and not taken.absent


def test_a_place_that_is_not_there_is_said_with_what_is(tmp_path: Path) -> None:
    path = saved(scene_of(cube()), tmp_path / "in" / "crate.glb")
    archive = zip_of(tmp_path / "a.zip", {"x/crate.glb": path.read_bytes(), "x/b.txt": b"x"})
    assert outer(archive / "x") == archive and outer(path) is None and outer(tmp_path) is None
    assert tree_of(path) is None and isinstance(tree_of(archive / "x" / "crate.glb"), HeapTree)
    for place, words in (("x/crates.glb", "one of b.txt, crate.glb"), ("y/crate.glb", "not in the archive")):
        with pytest.raises(CustomsError, match=words):
            take(archive / place)
    with pytest.raises(CustomsError, match="no model there"):
        model_files([archive / "x" / "b.txt"])
    locked = seven_of(tmp_path / "l.7z", {"x/crate.glb": path.read_bytes()}, "secret", True)
    with pytest.raises(CustomsError, match="encrypted"):
        model_files([locked])
    held = heap_of(archive)
    assert heap_of(archive) is held
    zip_of(archive, {"x/other.glb": path.read_bytes()})
    assert [m.path.name for m in model_files([archive])] == ["other.glb"], "a changed archive is listed anew"


def test_what_a_person_has_open_serves_all_with_its_passwords(tmp_path: Path) -> None:
    path = saved(scene_of(cube()), tmp_path / "in" / "crate.glb")
    locked = seven_of(tmp_path / "l.7z", {"crate.glb": path.read_bytes()}, "secret", True)
    heap = listed(locked)
    heap.unlock(str(locked), "secret")
    with pytest.raises(CustomsError):
        take(locked / "crate.glb")
    through._heaps.clear()
    through.show(heap)
    assert take(locked / "crate.glb").scene.meshes
    heap.close()


# -- where from, and whose


def test_the_origin_that_lets_files_stand_upright_in_a_usual_size_is_proposed() -> None:
    def origin(id_: str, up: str, unit: float, **more: object) -> Origin:
        faces = "-Y" if up == "+Z" else "+Z"
        return Origin(id=id_, title=id_, up=up, faces=faces, metres_per_unit=unit, **more)  # type: ignore[arg-type]

    origins = {o.id: o for o in (
        origin("metre-y", "+Y", 1.0), origin("centi-z", "+Z", 0.01), origin("inch-z", "+Z", 0.0254),
    )}  # fmt: skip
    lying = _standing(2, 178.0)
    ranked = explained([lying, lying], origins)
    assert ranked[0].origin == "centi-z" and (ranked[0].fits, ranked[0].of) == (2, 2)
    assert "lies on its back" in ranked[0].reason and "178 units tall" in ranked[0].reason
    assert explained([_standing(1, 1.75)], origins)[0].origin == "", (
        "as the files say, where that explains them"
    )
    named = {**origins, "stores": origin("stores", "+Z", 0.01, suffixes={"base_colour": ("alb",)})}
    skin = Image(key("image", 0), "stork_alb", pixels=frozen(PIXELS, np.uint8))
    assert explained([replace(lying, images=(skin,))], named)[0].origin == "stores"
    assert explained([], origins) == [] and explained([Scene("", "")], origins) == []


def _standing(axis: int, tall: float) -> Scene:
    """A rigged thing that is `tall` units along an axis, in a file that says metres and Y up."""
    scene = bar()
    prim = scene.meshes[0].primitives[0]
    size = np.full(3, tall * 0.3)
    size[axis] = tall
    points = np.random.default_rng(0).uniform(0, 1, (len(prim.positions), 3)) * size
    points[:2] = [[0, 0, 0], size]
    mesh = replace(
        scene.meshes[0], primitives=(replace(prim, positions=frozen(points), joints=None, weights=None),)
    )
    return replace(scene, meshes=(mesh,), convention=Convention())


@pytest.mark.parametrize(
    ("text", "author", "licence", "use"),
    [
        ("Copyright (c) 2024 Glasshouse workshop\nCC-BY 4.0", "Glasshouse workshop", "CC-BY-4.0", "deliver"),
        ("SPDX-License-Identifier: CC0-1.0", "", "CC0-1.0", "deliver"),
        ("These figures are for study only.\nAuthor: the warden", "the warden", "study only", "study"),
        (
            "© 2023 The bell founder. \nAll rights reserved.",
            "The bell founder",
            "all rights reserved",
            "private",
        ),
        ("Attribution-NonCommercial-ShareAlike 4.0", "", "CC-BY-NC-SA-4.0", ""),
        ("Permission is hereby granted, free of charge", "", "MIT", "deliver"),
    ],
)
def test_a_text_says_whose_it_is_and_what_is_allowed(text: str, author: str, licence: str, use: str) -> None:
    slip = read_slip(text, "x")
    assert slip is not None and (slip.author, slip.licence, slip.use) == (author, licence, use)


def test_the_nearest_text_counts_and_most_say_nothing(stores: Path, tmp_path: Path) -> None:
    heap = listed(stores)
    slip = slip_of(heap, found(heap, "watering_stork.glb"))
    assert slip is not None and slip.author == "Glasshouse workshop" and slip.place.endswith("licence.txt")
    assert read_slip("Water the ferns.", "x") is None
    saved(scene_of(cube()), tmp_path / "t" / "a" / "crate.glb")
    (tmp_path / "t" / "README.md").write_text("Made by: the founder\nCC0")
    (tmp_path / "t" / "a" / "LICENSE").write_text("All rights reserved")
    near = listed(tmp_path / "t")
    assert (
        own := slip_of(near, found(near, "crate.glb"))
    ) is not None and own.licence == "all rights reserved"


# -- pairs


def clips_alone(scene: Scene, **renamed: str) -> Scene:
    """Nodes and clips of a scene without what they move; some nodes called otherwise."""
    nodes = tuple(
        replace(n, mesh=None, skin=None, weights=None, name=renamed.get(n.name, n.name)) for n in scene.nodes
    )
    return replace(scene, nodes=nodes, meshes=(), skins=(), materials=(), images=())


def test_clips_of_another_file_are_bound_by_names_and_move_as_they_did(tmp_path: Path) -> None:
    """Against the file that has both: the same poses at all times."""
    whole = bar()
    bare = replace(whole, clips=())
    back = tuple(reversed(range(len(whole.nodes))))
    other = clips_alone(whole)
    # Nodes in another order: numbers mean nothing.
    turned = replace(
        other,
        nodes=tuple(
            replace(other.nodes[k], children=tuple(back.index(c) for c in other.nodes[k].children))
            for k in back
        ),
        roots=tuple(back.index(r) for r in other.roots),
        clips=tuple(
            replace(c, channels=tuple(replace(x, node=back.index(x.node)) for x in c.channels))
            for c in other.clips
        ),
    )
    made = with_clips(bare, turned, "takes.glb", 0)
    assert [c.name for c in made.clips] == [c.name for c in whole.clips]
    for clip, judge in zip(made.clips, whole.clips):
        times = np.linspace(0, judge.seconds, 9)
        assert np.array_equal(local_track(made, clip, times), local_track(whole, judge, times))
    twice = with_clips(whole, turned, "takes.glb", 1)
    assert len({c.key for c in twice.clips}) == len(twice.clips) == 2 * len(whole.clips)
    assert len({c.name for c in twice.clips}) == len(twice.clips), "no two are called alike"


def test_clips_in_other_units_are_brought_over_and_what_does_not_fit_is_said() -> None:
    whole = bar()
    centi = change_convention(clips_alone(whole), Convention("+Z", "-Y", "right", 0.01), whole.convention)
    made = with_clips(replace(whole, clips=()), centi, "takes.glb", 0)
    times = np.linspace(0, whole.clips[0].seconds, 7)
    mine, judge = local_track(made, made.clips[0], times), local_track(whole, whole.clips[0], times)
    assert np.abs(mine - judge).max() < 1e-5
    moved = moved_names(whole)[0]
    less = with_clips(replace(whole, clips=()), clips_alone(whole, **{moved: "crest"}), "takes.glb", 0)
    assert "not moved, as they are not here or have other targets: crest" in less.remarks[-1].text
    none = with_clips(
        whole, clips_alone(whole, **{n.name: f"x{n.name}" for n in whole.nodes}), "takes.glb", 0
    )
    assert none.clips == whole.clips and none.remarks[-1].text.startswith("0 clips of takes.glb")


def test_pairs_are_found_taken_along_kept_and_taken_again(stores: Path, tmp_path: Path) -> None:
    heap = listed(stores)
    model = found(heap, "watering_stork.glb")
    found_ = pairs(heap, [model, found(heap, "seed_cart.gltf")])
    assert [(os.path.basename(p.place), p.fits, p.of) for p in found_] == [
        ("watering_stork_drink.glb", 18, 18), ("watering_stork_preen.glb", 17, 18),
    ]  # fmt: skip
    store, places = tmp_path / "ship.store", [p.place for p in found_]
    asset = take_in(model.path, stores, store, "stork", None, paired=places)
    assert asset.kind == "rigged · 3 clips" and set(places) <= set(asset.files)
    again = Asset.from_dict(asset.as_dict())
    assert again.paired == tuple(places)
    assert [c.name for c in kept_copy(again, store).run().scene.clips] == ["take 001", "drink", "preen"]
    now, words = take_again(again, store)
    assert now.digest == asset.digest and words == () and now.paired == asset.paired


def test_clips_of_a_file_with_buffers_of_its_own_bring_them_along(tmp_path: Path) -> None:
    whole = bar()
    model = saved(replace(whole, clips=()), tmp_path / "in" / "bar.glb")
    takes = saved(clips_alone(whole), tmp_path / "clips" / "bar_takes.gltf")
    asset = take_in(model, model.parent, tmp_path / "ship.store", "bar", None, paired=[str(takes)])
    assert str(takes.with_suffix(".bin")) in asset.files
    assert len(kept_copy(asset, tmp_path / "ship.store").run().scene.clips) == len(whole.clips)


def test_another_skin_of_one_thing_becomes_a_variant(tmp_path: Path) -> None:
    folder = tmp_path / "in"
    saved(painted("wood_c.png", "brass_c.png"), folder / "crate.gltf")
    saved(painted("gold_c.png", "rust_c.png"), folder / "rare" / "crate_rare.gltf")
    saved(scene_of(cube(3.0)), folder / "other" / "crate_large.glb")
    saved(painted("moss_c.png", "lime_c.png"), folder / "crate_2.gltf")
    heap = listed(folder)
    model = found(heap, "crate.gltf")
    found_ = pairs(heap, [model])
    assert [(os.path.basename(p.place), p.kind, p.fits, p.of) for p in found_] == [
        ("crate_rare.gltf", "skin", 2, 2)
    ]
    assert found_[0].words() == "another skin, 2 of 2 parts"
    store = tmp_path / "ship.store"
    asset = take_in(model.path, folder, store, "crate", None, paired=[found_[0].place])
    scene = kept_copy(asset, store).run().scene
    assert scene.variants == ("plain", "rare") and len(scene.materials) == len(scene.images) == 4
    assert len({x.key for x in (*scene.materials, *scene.images)}) == 8 and all(
        im.there for im in scene.images
    )
    for prim in scene.meshes[0].primitives + scene.meshes[1].primitives:
        shown = {v: scene.materials[m] for m, vs in prim.variants for v in vs}
        names = [scene.images[shown[v].textures["base_colour"].image].name for v in (0, 1)]
        assert names in (["wood_c", "gold_c"], ["brass_c", "rust_c"])
    # Outside: KHR_materials_variants as another reader of ours, from the written file, has it.
    again = read_scene(Source(saved(scene, tmp_path / "out" / "crate.glb")))
    assert again.variants == ("plain", "rare")
    assert [p.variants for m in again.meshes for p in m.primitives] == [
        p.variants for m in scene.meshes for p in m.primitives
    ]
    less = with_skin(scene_of(cube(2.0), cube()), painted("a_c.png", "b_c.png"), "crate_odd.gltf", 1)
    assert "1 part look the same" in less.remarks[-1].text and less.variants == ("plain", "crate odd")


def test_names_are_compared_composed_and_without_capitals(tmp_path: Path) -> None:
    entries = [
        Entry("/h/Größe.PNG", "/h", "texture", 5),
        Entry("/h/a/gro\u0308ße.png", "/h", "texture", 9),
        Entry("/h/x.png", "/h", "texture", 1, "encrypted"),
    ]
    names = Names(entries)
    assert [e.size for e in names.like("textures\\GRÖSSE.png", "/h/a/m.glb")] == [9, 5] and not names.like(
        "x.png", "/h/m.glb"
    )
    assert isinstance(Closure(entries[0], ()).places, list)


def test_threads_may_unpack_one_archive_at_once(tmp_path: Path) -> None:
    files = {f"{k:02}.bin": bytes([k]) * 50_000 for k in range(40)}
    heap = listed(tar_of(tmp_path / "a.tar", files))
    with ThreadPoolExecutor(4) as threads:
        wanted = [e for e in heap.entries if e.item is not None]
        got = list(threads.map(lambda e: heap.read(e.place, 1 << 20), wanted * 2))
    assert got == [files[e.path.name] for e in wanted] * 2

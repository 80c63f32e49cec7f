"""Kinds: what counts before what, and that what a list says stays with its things whatever is done to the level."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from customs.geometry.counts import counts
from customs.grounds.cells import mergeable, merged
from customs.grounds.kinds import base_name, kinds_of, words_in
from customs.grounds.leaving import left_out
from customs.grounds.rules import KINDS
from customs.grounds.scale import evidence, proposal
from customs.grounds.walking import ground_under
from customs.motion.posing.bounds import world_bounds
from customs.scene.folding import fold, unfolded
from customs.scene.kinds import KindNotes, kind_notes
from customs.scene.model import Scene
from customs.scene.renumber import Renumbering, renumbered


def kind(scene: Scene, name: str) -> set[str]:
    found = kinds_of(scene)
    return {KINDS[k] for k in found.codes[found.things.names == name].tolist()}


def said(scene: Scene, name: str, word: str) -> Scene:
    """The level whose list says a word of everything of a name."""
    words = np.full(int(scene.placements.ordinals.max()) + 1, "", object)
    mine = np.array([n == name for n in scene.placements.names])
    words[scene.placements.ordinals[mine]] = word
    return replace(scene, kinds=kind_notes(words))


def test_names_are_words_whatever_stands_between_them() -> None:
    assert {"iron", "rib", "rail"} <= words_in("IronRib-03_rails") and words_in("FBXTree2") >= {"fbx", "tree"}
    assert base_name("pane_wall_07") == "pane_wall" and base_name("007") == "007"


def test_the_list_counts_before_names_and_a_person_before_both(arrived: Scene) -> None:
    assert kind(arrived, "crate") == {"prop", "stray"}
    told = said(arrived, "crate", "Foliage_Static")
    assert kind(told, "crate") == {"foliage", "stray"}
    taught = replace(told, kinds=told.kinds.teaching({"crate": "terrain"}))
    assert kind(taught, "crate") == {"terrain"}
    # What stands twice in one place does so whatever it is.
    doubled = replace(arrived, kinds=arrived.kinds.teaching({"iron_rib": "prop"}))
    assert kind(doubled, "iron_rib") == {"prop", "double"}


def test_what_is_said_stays_with_its_things(arrived: Scene) -> None:
    told = said(arrived, "crate", "foliage")
    count = int((kinds_of(told).codes == KINDS.index("foliage")).sum())
    again = fold(unfolded(told))
    assert int((kinds_of(again).codes == KINDS.index("foliage")).sum()) == count
    # Taken again under other numbers, in another order.
    last = int(told.placements.ordinals.max())
    moved = Renumbering(tuple((k, last - k, 1) for k in range(last + 1)), last + 1)
    assert kind(renumbered(told, told.digest, {"node": moved}), "crate") == {"foliage", "stray"}


def test_notes_say_nothing_of_what_they_do_not_know() -> None:
    notes = kind_notes(np.array(["", "a", "", "b"], object))
    assert notes.of(np.array([0, 1, 2, 3, 9])).tolist() == [-1, 0, -1, 1, -1]
    assert KindNotes().of(np.array([1])).tolist() == [-1]


def test_leaving_out_leaves_nothing_empty_behind_and_moves_nothing(arrived: Scene) -> None:
    found = kinds_of(arrived)
    gone = found.of("foliage")
    out = left_out(arrived, found.things, gone)
    before = counts(arrived)["triangles"] - int(found.things.triangles(found.meshes)[gone].sum())
    assert counts(out)["triangles"] == before
    assert int(kinds_of(out).of("empty").sum()) == int(found.of("empty").sum())
    stay = found.things.matrices[~gone & (found.things.mesh >= 0)]
    now = kinds_of(out).things
    assert np.allclose(np.sort(stay[:, :, 3], axis=0), np.sort(now.matrices[now.mesh >= 0][:, :, 3], axis=0))
    assert left_out(arrived, found.things, np.zeros(len(found.things), bool)) is arrived


def test_props_of_a_cell_are_one_mesh_and_stand_where_they_stood(arrived: Scene) -> None:
    found = kinds_of(arrived)
    out, cells = merged(arrived, found, mergeable(arrived, found, 500), 4.0)
    assert 10 < cells < 60 and counts(out)["triangles"] == counts(arrived)["triangles"]
    one, other = world_bounds(arrived), world_bounds(out)
    assert one is not None and other is not None and np.allclose(one, other, atol=1e-3)


def test_doors_and_steps_tell_the_size(arrived: Scene) -> None:
    found = {e.name: e for e in evidence(arrived)}
    assert abs(found["door_leaf"].is_ - 2.04) < 1e-4 and abs(found["stair"].is_ - 0.17) < 0.01
    assert proposal(tuple(found.values())) == 1.0
    large = tuple(replace(e, is_=e.is_ * 39.37) for e in found.values())
    assert proposal(large) == pytest.approx(0.0254)
    odd = tuple(replace(e, is_=e.is_ * 1.6) for e in found.values())
    assert proposal(odd) == pytest.approx(1 / 1.6, rel=0.05) and proposal(()) == 1.0


def test_a_person_stands_on_the_highest_floor_below(arrived: Scene) -> None:
    assert ground_under(arrived, 0.5, 0.5, 0.0) == pytest.approx(0.0, abs=1e-5)
    assert ground_under(arrived, -6.0, 5.2, 3.2) == pytest.approx(3.2, abs=1e-4)
    assert ground_under(arrived, -6.0, 5.2, 0.5) != pytest.approx(3.2, abs=0.1)
    assert ground_under(arrived, 1e5, 0.0, 0.0) is None

"""Backs are no doubles, and what shows its back to the outside is turned, however little of it."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from customs.geometry.faces import doubled, repeats
from customs.geometry.sides import seen_from_outside, turned_inward


def ball(levels: int = 3) -> tuple[np.ndarray, np.ndarray]:
    """(points, faces) of a sphere, outward."""
    made = trimesh.creation.icosphere(subdivisions=levels)
    return made.vertices.astype(np.float32), made.faces.astype(np.uint32)


def test_a_leaf_modelled_on_both_sides_keeps_its_back() -> None:
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32)
    front = np.array([[0, 1, 2], [0, 2, 3]], np.uint32)
    both = np.concatenate([front, front[:, ::-1]])
    assert (
        repeats(points, both).backs.all()
        and not doubled(points, both).any()
        and not turned_inward(points, both).any()
    )
    thrice = np.concatenate([both, np.roll(front, 1, axis=1)])
    assert (
        doubled(points, thrice).tolist() == [False] * 4 + [True] * 2
        and not repeats(points, front).backs.any()
    )


@pytest.mark.parametrize("share", [0.2, 0.4, 0.6, 0.8])
def test_patches_that_edges_do_not_tie_are_turned_by_what_is_seen_of_them(share: float) -> None:
    """A sphere cut into loose patches, some turned: every patch is a shell of its own and open."""
    points, faces = ball()
    patch = np.argmax(points[faces].mean(axis=1) @ np.vstack([np.eye(3), -np.eye(3)]).T, axis=1)
    loose = points[faces].reshape(-1, 3)
    order = np.arange(len(loose), dtype=np.uint32).reshape(-1, 3)
    # Faces of one patch share their points again.
    welded, inverse = np.unique(np.c_[np.repeat(patch, 3), np.round(loose, 5)], axis=0, return_inverse=True)
    spread = (welded[:, 1:] * (1 + 0.02 * welded[:, :1])).astype(np.float32)
    faces = inverse.reshape(-1)[order].astype(np.uint32)
    rng = np.random.default_rng(int(share * 10))
    turned = np.isin(patch, rng.permutation(6)[: max(1, round(6 * share))])
    mixed = np.where(turned[:, None], faces[:, ::-1], faces)
    assert (turned_inward(spread, mixed) == turned).mean() > 0.999


@pytest.mark.parametrize("holes", [0.0, 0.05, 0.1])
def test_a_shell_with_holes_that_is_turned_whole_is_found(holes: float) -> None:
    points, faces = ball()
    bent = (points * (1, 1, 3) + np.c_[np.sin(points[:, 2] * 3), np.zeros((len(points), 2))]).astype(
        np.float32
    )
    kept = faces[np.random.default_rng(3).random(len(faces)) > holes]
    kept = kept[np.argsort(points[kept].mean(axis=1)[:, 2])][: int(len(kept) * 0.9)]
    assert turned_inward(bent, kept[:, ::-1]).mean() > 0.9
    assert not turned_inward(bent, kept).any()


def test_the_hollow_inside_of_a_closed_thing_stays() -> None:
    points, faces = ball()
    both = np.concatenate([points, points * 0.8]).astype(np.float32)
    hollow = np.concatenate([faces, faces[:, ::-1] + np.uint32(len(points))])
    assert not turned_inward(both, hollow).any()
    assert turned_inward(points, faces[:, ::-1]).all(), "alone it is turned"
    front, back = seen_from_outside(both, hollow)
    assert front[: len(faces)].sum() > 0.5 * front.sum() and back.sum() < 0.02 * front.sum()


def test_sheets_have_no_inside() -> None:
    x, y = np.meshgrid(np.arange(12), np.arange(12), indexing="ij")
    points = np.c_[x.ravel(), y.ravel(), 0.3 * np.sin(x.ravel())].astype(np.float32)
    quads = (np.arange(11)[:, None] * 12 + np.arange(11)).ravel()
    faces = np.concatenate(
        [np.c_[quads, quads + 12, quads + 13], np.c_[quads, quads + 13, quads + 1]]
    ).astype(np.uint32)
    assert not turned_inward(points, faces).any() and not turned_inward(points, faces[:, ::-1]).any()

"""Donor: a body put on a donor's skeleton, so that the donor's clips play on it."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from customs.changes.donor import take_donor
from customs.changes.rebind import bound_mesh
from customs.errors import StepError
from customs.job import Job
from customs.motion.curves.track import frame_rate, frame_times
from customs.motion.rig.align import Fit, fit_to
from customs.motion.rig.retarget import Retargeting, retarget, unpaired
from customs.motion.skeleton.bones import bones_of, without_bones
from customs.motion.skeleton.pairing import Pair, propose
from customs.motion.skeleton.skeleton import Skeleton, skeleton_of
from customs.route.step import Content, Outcome, Step, register
from customs.scene.copies import keys_apart
from customs.scene.key import Key, made_key
from customs.scene.model import Channel, Clip, Node, Remark, Scene, Skin
from customs.scene.old_keys import old_key
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.scene.transforms import inverse
from customs.scene.tree import mesh_nodes, world_matrices
from customs.words import many


class DonorSettings(Settings):
    """Whose skeleton, which joint is which, and what comes along."""

    adds: ClassVar = ("pairs", "unpaired")
    donor: str = Field(default="", description="digest of the donor")
    pairs: tuple[tuple[str, str], ...] = Field(
        default=(), description="(arriving joint, donor joint) chosen by a person"
    )
    unpaired: tuple[str, ...] = Field(default=(), description="arriving joints that have no counterpart")
    step: Literal[0, 5, 15, 45] = Field(
        default=0, description="turns into the donor's pose in steps of degrees; 0 as needed"
    )
    clips: Literal["own", "donor", "both", "none"] = Field(
        default="own", description="clips of the delivered asset"
    )
    limit: int = Field(default=4, ge=1, le=16, description="influences per vertex")
    soften: int = Field(default=4, ge=0, le=20, description="rounds of softening weights along the mesh")


def pairs_of(scene: Scene, donor: Scene, settings: DonorSettings) -> tuple[Pair, ...]:
    """The pairs a stop with these settings works with."""
    mine, theirs = skeleton_of(scene), skeleton_of(donor, (0,))
    return propose(mine, theirs, dict(settings.pairs), settings.unpaired)


def _apply(scene: Scene, settings: DonorSettings, resources: Content, job: Job) -> Outcome:
    if not settings.donor:
        return Outcome(scene)
    donor = take_donor(settings.donor, resources)
    mine, theirs = skeleton_of(scene), skeleton_of(donor, (0,))
    if not scene.skins:
        raise StepError(
            f"{scene.name} has no skeleton of its own",
            "a rigged body",
            "Add Bind after Donor, or rig it first.",
        )
    pairs = pairs_of(scene, donor, settings)
    numbers = {mine.names.index(p.arriving): theirs.names.index(p.donor) for p in pairs}
    if len(numbers) < 2:
        raise StepError(
            "hardly any joint is like one of the donor's",
            "at least two pairs",
            "Pair joints by hand.",
            where="pairs",
        )
    fit = fit_to(mine, theirs, numbers, float(settings.step))
    job.progress(0.3, "Donor: mesh")
    out = _assembled(scene, donor, mine, theirs, numbers, fit, settings, job)
    job.progress(0.7, "Donor: clips")
    clips, lost = _clips(scene, donor, out, mine, numbers, settings, job)
    unlike = [p for p in pairs if p.doubtful]
    remarks = [
        Remark(
            f"{len(pairs)} of {many(mine.count, 'joint')} paired with {theirs.count} of the donor's; {len(unlike)} doubtful"
        ),
        Remark(
            f"size × {fit.scale:.3f}; largest turn into the donor's pose {fit.degrees.max(initial=0.0):.0f}°"
        ),
    ]
    if lost:
        text = f"moved by clips and without a pair, left behind: {', '.join(lost[:6])}{' …' if len(lost) > 6 else ''}"
        remarks.append(Remark(text, values={"left": tuple(lost)}))
    left = sorted(set(theirs.names) - {p.donor for p in pairs})
    if left:
        remarks.append(
            Remark(
                f"donor joints without a part of the body: {', '.join(left[:6])}{' …' if len(left) > 6 else ''}"
            )
        )
    return Outcome(prune(replace(out, clips=clips), near=True), tuple(remarks))


def _assembled(
    scene: Scene,
    donor: Scene,
    mine: Skeleton,
    theirs: Skeleton,
    numbers: dict[int, int],
    fit: Fit,
    settings: DonorSettings,
    job: Job,
) -> Scene:
    """The donor's nodes and skin, the arriving meshes bound to it, the old joints gone."""
    target = np.array(
        [_stands_for(mine, numbers, k, theirs.order[0]) for k in range(mine.count)], dtype=np.intp
    )
    skin = donor.skins[0]
    world, at_bind = world_matrices(scene), inverse(theirs.rest[0] @ skin.inverse_bind[0])
    nodes, meshes, roots = list(scene.nodes), list(scene.meshes), list(scene.roots)
    for n in mesh_nodes(scene):
        job.check()
        node = nodes[n]
        assert node.mesh is not None
        made = bound_mesh(
            scene,
            n,
            world,
            mine,
            fit.matrices,
            at_bind,
            target,
            theirs.count,
            settings.limit,
            settings.soften,
        )
        key = made_key(made.key, "donor", node.key.part, old_key(scene.digest, "mesh", "donor", n))
        meshes.append(replace(made, key=key, made_from=(made.key, *made.made_from)))
        nodes[n] = replace(node, mesh=None, skin=None)
        key = made_key(node.key, "donor", old=old_key(scene.digest, "node", "donor", n))
        nodes.append(
            Node(key, node.name, mesh=len(meshes) - 1, skin=0, made_from=(node.key, *node.made_from))
        )
        roots.append(len(nodes) - 1)
    bare = replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), roots=tuple(roots), skins=(), clips=())
    bare = without_bones(bare, scene)
    return keys_apart(
        _with_donor(bare, donor, skin, {theirs.nodes[d]: mine.nodes[a] for a, d in numbers.items()}, scene)
    )


def _with_donor(bare: Scene, donor: Scene, skin: Skin, stands_for: dict[int, int], before: Scene) -> Scene:
    bones = bones_of(donor)
    place = {n.key: i for i, n in enumerate(bones.nodes)}
    shift = len(bare.nodes)
    came = {donor.nodes[d].key: before.nodes[a] for d, a in stands_for.items()}
    added = tuple(
        replace(
            n,
            children=tuple(c + shift for c in n.children),
            made_from=(came[n.key].key, *came[n.key].made_from) if n.key in came else n.made_from,
        )
        for n in bones.nodes
    )
    joints = tuple(place[donor.nodes[j].key] + shift for j in skin.joints)
    root = place.get(donor.nodes[skin.root].key) if skin.root is not None else None
    new = replace(skin, joints=joints, root=root + shift if root is not None else None)
    return replace(
        bare,
        nodes=(*bare.nodes, *added),
        roots=(*(r + shift for r in bones.roots), *bare.roots),
        skins=(new,),
        clips=(),
    )


def _stands_for(skeleton: Skeleton, numbers: dict[int, int], joint: int, default: int) -> int:
    """The donor joint that moves what `joint` moved: its pair, or that of the nearest joint above with
    one.
    """
    k = joint
    while k >= 0 and k not in numbers:
        k = int(skeleton.parent[k])
    return numbers[k] if k >= 0 else default


def _clips(
    scene: Scene,
    donor: Scene,
    out: Scene,
    mine: Skeleton,
    numbers: dict[int, int],
    settings: DonorSettings,
    job: Job,
) -> tuple[tuple[Clip, ...], list[str]]:
    """(the clips, names of what they moved that has no pair)."""
    made: list[Clip] = []
    lost: set[str] = set()
    if settings.clips in ("own", "both"):
        way = Retargeting(scene, mine, out, skeleton_of(out, (0,)), numbers)
        for clip in scene.clips:
            job.check()
            made.append(retarget(way, clip, frame_times(clip, frame_rate(clip))))
            lost |= set(unpaired(way, clip))
    if settings.clips in ("donor", "both"):
        place = {n.key: i for i, n in enumerate(out.nodes)}
        made += [_moved(c, donor, place) for c in donor.clips]
    return tuple(made), sorted(lost)


def _moved(clip: Clip, donor: Scene, place: dict[Key, int]) -> Clip:
    def change(channel: Channel) -> Channel:
        return replace(channel, node=place[donor.nodes[channel.node].key])

    kept = [c for c in clip.channels if donor.nodes[c.node].key in place and c.path != "weights"]
    return replace(clip, channels=tuple(change(c) for c in kept))


register(
    Step(
        id="donor",
        name="Donor",
        desk="motion",
        order=45,
        about="Puts a body on a donor's skeleton: pose and size matched, joints, order and numbers the donor's.",
        settings=DonorSettings,
        apply=_apply,
        summary=lambda s: f"{len(s.pairs)} by hand" if s.pairs else "as proposed" if s.donor else "none",
    )
)

"""Skeletons and clips that are hard on everything: each step on joints and clips, each finding, pairing, and a delivery.

Whatever cannot be done is refused in words; what is done holds together, and nothing takes for ever.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest

import pruxel.core.findings  # noqa: F401 - registers all rules
from pruxel.core.base.arrays import as_floats
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError, UsageError
from pruxel.core.deliver.deliver import deliver
from pruxel.core.deliver.proof import Outcome
from pruxel.core.findings.registry import find
from pruxel.core.fit.pairing import pair_joints, skeleton_of
from pruxel.core.fit.transfer import carried_over, fitted
from pruxel.core.scene.checks import entered, problems
from pruxel.core.scene.keys import laid
from pruxel.core.scene.model import Clip, ClipChannel, Node, Scene, Skin
from pruxel.core.scene.walk import world_from_local
from pruxel.core.steps.registry import STEPS
from tests.contracts.test_steps import EXAMPLES, Shelf
from tests.figures import BODY, dance, fleshed, rolled, skeleton
from tests.scenes import two_boxes

pytestmark = pytest.mark.filterwarnings("ignore::RuntimeWarning")


def dancer() -> Scene:
    return dance(fleshed(skeleton(BODY, rolled(2))))


def no_size() -> Scene:
    """A hand without any size, and one that a clip shrinks to nothing."""
    scene = dancer()
    nodes = [replace(n, scale=(0.0, 0.0, 0.0)) if n.name == "left_hand" else n for n in scene.nodes]
    other = next(k for k, n in enumerate(nodes) if n.name == "right_hand")
    gone = ClipChannel(other, "scale", as_floats([[0], [1]], 1)[:, 0], as_floats([[1, 1, 1], [0, 0, 0]], 3))
    clips = tuple(replace(clip, channels=(*clip.channels, gone)) for clip in scene.clips)
    return replace(scene, nodes=tuple(nodes), clips=clips)


def one_place() -> Scene:
    """All joints in one place: no bone has a length."""
    return dance(fleshed(skeleton([(name, up, (0.0, 0.0, 0.0)) for name, up, _ in BODY])))


def many_joints() -> Scene:
    """A chain of two thousand."""
    count = 2_000
    nodes = tuple(
        Node(f"j{n}", translation=(0.0, 0.01, 0.0), children=(n + 1,) if n + 1 < count else ()) for n in range(count)
    )
    bare = Scene("chain", nodes=nodes, roots=(0,))
    skin = Skin("chain", tuple(range(count)), np.linalg.inv(world_from_local(bare)))
    times = np.array([0.0, 1.0])
    turns = np.array([[0, 0, 0, 1.0], [0, 0, 0.02, np.sqrt(1 - 0.0004)]])
    channels = tuple(laid(n, "rotation", times, turns) for n in range(0, count, 50))
    return replace(bare, skins=(skin,), clips=(Clip("bend", channels),))


def many_keys() -> Scene:
    """A hundred thousand keys on one joint."""
    scene = dancer()
    times = np.linspace(0, 1_000, 100_000)
    angle = np.sin(times)
    rows = np.stack([0 * angle, 0 * angle, np.sin(angle / 2), np.cos(angle / 2)], axis=1)
    return replace(scene, clips=(Clip("long", (laid(3, "rotation", times, rows),)),))


def no_keys() -> Scene:
    """Tracks without a key, two keys at one time, keys that are no numbers: what is left of them enters."""
    scene = dancer()
    empty = ClipChannel(4, "rotation", as_floats(np.zeros((0, 1)), 1)[:, 0], as_floats(np.zeros((0, 4)), 4))
    twice = ClipChannel(5, "translation", as_floats([[0], [0], [1]], 1)[:, 0], as_floats(np.eye(3), 3))
    nan = ClipChannel(6, "translation", as_floats([[0], [1]], 1)[:, 0], as_floats([[np.nan] * 3, [0, 0, 0]], 3))
    keep = tuple(c for c in scene.clips[0].channels if c.node not in {4, 5, 6})
    clips = (replace(scene.clips[0], channels=(*keep, empty, twice, nan)), Clip("nothing", (empty,)))
    return entered(replace(scene, clips=clips), "dance")


HARD: dict[str, Callable[[], Scene]] = {
    "no size": no_size,
    "one place": one_place,
    "many joints": many_joints,
    "many keys": many_keys,
    "keys that are none": no_keys,
    "a skeleton alone": lambda: dance(skeleton(BODY)),
    "no skeleton": two_boxes,
}
MADE = cache(lambda kind: HARD[kind]())
ON_JOINTS = [
    name
    for name in sorted(EXAMPLES)
    if any(word in name for word in ("clip", "loop", "pose", "weight", "joint", "rest"))
] + ["bake_additive", "drop_jumps", "keep_bones", "pin_feet", "reduce_keys", "root_motion", "settle_sizes"]


@pytest.mark.parametrize("kind", sorted(HARD))
def test_every_step_does_it_or_says_why_not(kind: str) -> None:
    scene = MADE(kind)
    assert problems(scene) == []
    for name in dict.fromkeys(ON_JOINTS):
        step = STEPS.get(name)
        try:
            made = step.perform(scene, step.parse(EXAMPLES[name]), Context(), Shelf()).scene
        except UsageError as error:
            assert error.fault.message, name
            continue
        assert problems(made) == [], name


@pytest.mark.parametrize("kind", sorted(HARD))
def test_every_finding_looks_and_every_clip_is_carried_over(kind: str) -> None:
    scene = MADE(kind)
    for finding in find(scene, Context()):
        assert finding.title
    target = skeleton(BODY, rolled(9))
    for one, other in ((scene, target), (dance(target), scene)):
        a, b = skeleton_of(one), skeleton_of(replace(other, clips=()))
        fit = fitted(one, other, a, b, pair_joints(a, b))
        made = tuple(carried_over(fit, clip) for clip in one.clips)
        found = replace(other, clips=tuple(clip for clip in made if clip.tracks))
        assert problems(found) == []


@pytest.mark.parametrize("kind", ["no size", "one place", "keys that are none", "a skeleton alone"])
def test_it_leaves_as_it_is_or_not_at_all(kind: str, tmp_path: Path) -> None:
    try:
        report = deliver([MADE(kind)], "thing", ["glb", "fbx"], tmp_path, Context())
    except (UsageError, InputError) as error:
        assert error.fault.message
        return
    assert report.outcome is Outcome.PROVEN

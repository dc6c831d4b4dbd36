"""A scene on its way to a writer."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.formats.ready.images import with_written_images
from pruxel.core.formats.ready.motion import with_playable_clips
from pruxel.core.formats.ready.parts import with_drawable_parts
from pruxel.core.formats.ready.placements import with_straight_placements
from pruxel.core.formats.ready.skins import with_clean_skins
from pruxel.core.formats.ready.surfaces import with_sound_surfaces
from pruxel.core.scene.checks import entered
from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.model import Scene
from pruxel.core.scene.walk import parts

Told = list[str]
_STAGES: tuple[Callable[[Scene, Told], Scene], ...] = (
    with_drawable_parts,
    with_sound_surfaces,
    with_clean_skins,
    with_straight_placements,
    with_playable_clips,
)


@dataclass(frozen=True, eq=False)
class Ready:
    """The scene as every writer takes it, its images PNG or JPEG files, and what had to be changed, in words."""

    scene: Scene
    told: tuple[str, ...]


def make_ready(scene: Scene, context: Context) -> Ready:
    """See to everything that formats ask for; raises `InputError` for a scene that does not hold together.

    A skeleton without a mesh stays one. Raises `UsageError` when there is nothing to write: no triangle, point, line or
    joint.
    """
    told: Told = []
    scene = drop_unused(entered(scene, scene.name))
    for stage in _STAGES:
        context.check()
        scene = stage(scene, told)
    if is_bare(scene) and not scene.skins:
        raise nothing_to_write(scene, told)
    scene = with_written_images(scene, told, context)
    return Ready(entered(scene, scene.name), tuple(told))


def is_bare(scene: Scene) -> bool:
    """Whether there is no triangle, point or line."""
    return not any(mesh.primitives or mesh.strokes for _, _, mesh in parts(scene))


def nothing_to_write(scene: Scene, told: Sequence[str] = ()) -> UsageError:
    """The error of a scene that holds nothing of what is to be written."""
    return UsageError(
        ErrorCode.USAGE,
        "there is nothing to write",
        field=scene.name,
        expected="at least one triangle",
        found="; ".join(told) or ("joints and no part" if scene.skins else "no part"),
        hint="Show or add a part first." if not scene.skins else "Choose a format that holds skeletons: FBX or glTF.",
    )

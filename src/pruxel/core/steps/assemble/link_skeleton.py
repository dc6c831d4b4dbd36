"""Put a model on a skeleton of the sources: where its own was missing, or in the place of that."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, UsageError
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.extract.skeleton import on_skeleton
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.origin import Origin
from pruxel.core.scene.walk import parents_of
from pruxel.core.steps.references import Entry, Reference
from pruxel.core.steps.registry import Others, Params, StepResult, joining_step


class LinkSkeleton(Params):
    """Which skeleton."""

    entry: Entry = Field(..., min_length=1, title="Skeleton", description="path of a skeleton, or of a model on one")


@joining_step(
    "link_skeleton",
    "Link a skeleton",
    "Binds weighted parts to a skeleton of the sources: where theirs is missing, or in the place of what it is.",
    LinkSkeleton,
)
def link_skeleton(scene: Scene, params: LinkSkeleton, context: Context, others: Others) -> StepResult:
    """Joints are those of the same number where there was no skeleton, else those of the same name.

    Raises `UsageError` for an entry without a skeleton, a model without weights, and joints that are not to be found.
    """
    context.check()
    guest = others[Reference("entry", params.entry)]
    if not guest.skins:
        raise _unfit("this entry has no skeleton", "a skeleton, or a model on one", params.entry)
    origin = Origin(entry=params.entry, found="by hand")
    noted = replace(guest, nodes=tuple(replace(node, origin=origin) for node in guest.nodes), clips=())
    done = _rested(scene, noted) if scene.skins else _bound(scene, noted)
    held = sum(node.skin is not None for node in done.nodes)
    return StepResult(
        done, f"{counted(held, 'part')} hung on “{guest.skins[0].name or guest.name}”",
        (Evidence("joints", len(guest.skins[0].joints)), Evidence("parts", held)),
    )  # fmt: skip


def _bound(scene: Scene, guest: Scene) -> Scene:
    """What is weighted, on a skeleton that it had not."""
    bare = tuple(Node(n.name, children=n.children, translation=n.translation, rotation=n.rotation, scale=n.scale,
                      matrix=n.matrix, origin=n.origin) for n in guest.nodes)  # fmt: skip
    only = Scene(guest.name, nodes=bare, roots=guest.roots, skins=guest.skins[:1])
    done, faults = on_skeleton(scene, only)
    if all(node.skin is None for node in done.nodes):
        found = faults[0].found if faults else "no weights"
        raise _unfit("no part can be bound to it", "parts whose vertices are weighted to its joints", found or "")
    return done


def _rested(scene: Scene, guest: Scene) -> Scene:
    """The first skin's joints where those of the same names rest in another skeleton."""
    skin, other = scene.skins[0], guest.skins[0]
    places = {guest.nodes[joint].name: k for k, joint in enumerate(other.joints)}
    names = [scene.nodes[joint].name for joint in skin.joints]
    missing = [name for name in names if name not in places]
    if missing:
        raise _unfit(
            f"{len(missing)} of {len(names)} joints are not in it", "a joint of each name", ", ".join(missing[:6])
        )
    taken = [places[name] for name in names]
    before, after = parents_of(scene), parents_of(guest)
    for name, joint, k in zip(names, skin.joints, taken, strict=True):
        mine, theirs = before[joint], after[other.joints[k]]
        if mine in skin.joints and theirs in other.joints and scene.nodes[mine].name != guest.nodes[theirs].name:
            raise _unfit(
                f"'{name}' hangs on another joint there", f"on '{scene.nodes[mine].name}'", guest.nodes[theirs].name
            )
    nodes = list(scene.nodes)
    for joint, k in zip(skin.joints, taken, strict=True):
        rest = guest.nodes[other.joints[k]]
        nodes[joint] = replace(
            nodes[joint], translation=rest.translation, rotation=rest.rotation, scale=rest.scale, matrix=rest.matrix,
            origin=rest.origin,
        )  # fmt: skip
    bound = replace(skin, inverse_bind=other.inverse_bind[taken])
    return replace(scene, nodes=tuple(nodes), skins=(bound, *scene.skins[1:]))


def _unfit(words: str, expected: str, found: str) -> UsageError:
    return UsageError(
        ErrorCode.USAGE, words, field="entry", expected=expected, found=found,
        hint="Link it before steps that turn, scale or rename.",
    )  # fmt: skip

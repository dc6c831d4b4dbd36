"""Fill a slot of a model made of parts: another head, another suit, no hat; all else stays as it is."""

from __future__ import annotations

import json
from dataclasses import replace

from pydantic import Field

from pruxel.core.base.context import Context
from pruxel.core.base.findings import Evidence
from pruxel.core.base.words import counted
from pruxel.core.scene.edit import keep_nodes
from pruxel.core.scene.extras import said_in
from pruxel.core.scene.model import Node, Scene
from pruxel.core.scene.walk import parents_of, parts
from pruxel.core.steps.bring import Where, brought
from pruxel.core.steps.hang import Near, hung_on_first, strange_joints
from pruxel.core.steps.references import ModelEntry, NameText, Reference
from pruxel.core.steps.registry import Others, StepResult, joining_step

SLOT = "slot"  # what a node's `extras` call the slot that it stands in


class FillSlot(Where):
    """Which slot, what goes into it, and how its joints are known."""

    slot: NameText = Field(..., min_length=1, title="Slot", description="what it is called: head, hair, suit, tool")
    entry: ModelEntry = Field("", title="Entry", description="path of a model; empty: nothing stands there")
    near: Near = 0.02


@joining_step(
    "fill_slot",
    "Fill a slot",
    "Takes out what stands in a slot and puts another model there, on the skeleton that is here or on a joint.",
    FillSlot,
)
def fill_slot(scene: Scene, params: FillSlot, context: Context, others: Others) -> StepResult:
    """Joints of what comes in are known by name, else by place, and it goes along to where they rest here.

    Raises `UsageError` when there is no node to hang it on.
    """
    context.check()
    emptied = _without_slot(scene, params.slot)
    taken = sum(1 for _ in parts(scene)) - sum(1 for _ in parts(emptied))
    there = {node.name for node in emptied.nodes}
    removed = tuple(node.name for node in scene.nodes if node.name not in there)
    if not params.entry:
        return StepResult(
            emptied, f"{counted(taken, 'part')} taken out of “{params.slot}”", (Evidence("parts taken out", taken),),
            removed=removed,
        )  # fmt: skip
    guest = others[Reference("entry", params.entry)]
    # What it would do by itself would stay behind when something else takes its place.
    done = brought(emptied, replace(guest, clips=()), params)
    filled = _marked(done.scene, set(done.tops), params.slot)
    shares = bool(emptied.skins) and not params.to
    new = range(len(emptied.skins), len(filled.skins)) if shares else range(0)
    strange = strange_joints(filled, new)
    measured = [Evidence("parts brought in", sum(n.mesh is not None for n in guest.nodes))]
    measured.append(Evidence("parts taken out", taken))
    notes: tuple[str, ...] = (f"{counted(len(guest.clips), 'clip')} of '{guest.name}' left out",) if guest.clips else ()
    if strange:
        hung = hung_on_first(filled, new, params.near, "with the joints")
        names = set(hung.own)
        own = {index for index, node in enumerate(hung.scene.nodes) if node.name in names}
        filled = _marked(hung.scene, own, params.slot)
        measured += [Evidence("joints matched", hung.matched), Evidence("joints of its own", len(hung.own))]
        if not hung.matched:
            notes += (f"no joint of '{guest.name}' is one of “{emptied.skins[0].name}”: it moves by itself",)
    words = f"“{guest.name}” stands in “{params.slot}”" + (f", on “{params.to}”" if params.to else "")
    now = {node.name for node in filled.nodes}
    renamed = {old: new for old, new in done.renamed.items() if new in now}
    gone = tuple(name for name in removed if name not in now)
    return StepResult(filled, words, tuple(measured), renamed, gone, notes)


def slot_of(node: Node) -> str | None:
    """The slot that a node stands in, as its `extras` say."""
    said = said_in(node.extras)
    found = said.get(SLOT)
    return found if isinstance(found, str) else None


def _marked(scene: Scene, nodes: set[int], slot: str) -> Scene:
    """These nodes say in their `extras` in which slot they stand, beside what those say already."""
    return replace(
        scene,
        nodes=tuple(
            replace(node, extras=json.dumps(said_in(node.extras) | {SLOT: slot})) if index in nodes else node
            for index, node in enumerate(scene.nodes)
        ),
    )


def _without_slot(scene: Scene, slot: str) -> Scene:
    """The scene without what stands in a slot; what stands in another one below it keeps its place."""
    own = [slot_of(node) for node in scene.nodes]
    above = parents_of(scene)
    standing: list[str | None] = []
    for index in range(len(scene.nodes)):
        at = index
        while at >= 0 and own[at] is None:
            at = above[at]
        standing.append(own[at] if at >= 0 else None)
    gone = {index for index, where in enumerate(standing) if where == slot}
    if not gone:
        return scene
    bare = tuple(
        replace(node, mesh=None, skin=None, weights=None, camera=None, light=None) if index in gone else node
        for index, node in enumerate(scene.nodes)
    )
    return keep_nodes(replace(scene, nodes=bare), [i for i in range(len(bare)) if i not in gone])

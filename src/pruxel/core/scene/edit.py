"""Copy on write: new scenes from old ones."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

from pruxel.core.scene.digest import digest
from pruxel.core.scene.model import Mesh, Node, Scene, Skin
from pruxel.core.scene.references import TABLES, Table, references, remapped
from pruxel.core.scene.walk import parents_of

# Equal ones of these are stored once. In this order: what is pointed at comes before what points at it.
_SHARED: tuple[Table, ...] = ("images", "textures", "materials", "meshes", "cameras", "lights")


def edit_meshes(scene: Scene, nodes: Collection[int], change: Callable[[Mesh], Mesh]) -> Scene:
    """Change the meshes of some nodes; a mesh shared with an untouched node is copied first."""
    chosen = set(nodes)
    users: dict[int, list[int]] = {}
    for index, node in enumerate(scene.nodes):
        if node.mesh is not None:
            users.setdefault(node.mesh, []).append(index)
    meshes, new_nodes = list(scene.meshes), list(scene.nodes)
    for mesh, using in users.items():
        touched = [index for index in using if index in chosen]
        if not touched:
            continue
        changed = change(scene.meshes[mesh])
        if len(touched) == len(using):
            meshes[mesh] = changed
            continue
        meshes.append(changed)
        for index in touched:
            new_nodes[index] = replace(new_nodes[index], mesh=len(meshes) - 1)
    return replace(scene, meshes=tuple(meshes), nodes=tuple(new_nodes))


def keep_nodes(scene: Scene, keep: Collection[int]) -> Scene:
    """Keep some nodes with all that they hold (joints, meshes, materials, …) and all that stands above.

    Drop the rest. A skeleton that no mesh hangs on stays one where all of its joints are kept.
    """
    above = parents_of(scene)
    kept: dict[Table, set[int]] = {table: set() for table in TABLES}
    pending: list[tuple[Table, int]] = [("nodes", index) for index in keep]
    if all(node.mesh is None for node in scene.nodes):
        pending += [("skins", n) for n, skin in enumerate(scene.skins) if set(skin.joints) <= set(keep)]
    while pending:
        table, index = pending.pop()
        if index in kept[table]:
            continue
        kept[table].add(index)
        if table == "nodes" and above[index] >= 0:
            pending.append(("nodes", above[index]))
        pending += [(to.table, i) for _, to, i in references(getattr(scene, table)[index]) if to.held]
    return _left(scene, kept)


def drop_unused(scene: Scene) -> Scene:
    """Drop meshes, skins, materials, textures, images, cameras and lights that no node reaches."""
    return keep_nodes(scene, range(len(scene.nodes)))


def without(scene: Scene, table: Table, gone: Collection[int]) -> Scene:
    """The scene without some items of a table, and without what cannot be without them: a texture without its image."""
    left = {other: set(range(len(getattr(scene, other)))) for other in TABLES}
    losing: dict[Table, set[int]] = {table: set(gone)}
    while any(losing.values()):
        left = {other: numbers - losing.get(other, set()) for other, numbers in left.items()}
        maps = {other: {number: number for number in numbers} for other, numbers in left.items()}
        losing = {
            other: {number for number in numbers if remapped(getattr(scene, other)[number], maps) is None}
            for other, numbers in left.items()
        }
    return _left(scene, left)


def _left(scene: Scene, kept: Mapping[Table, Collection[int]]) -> Scene:
    """The scene with only some items of each table, renumbered; clips and stages that lose everything go."""
    maps: dict[Table, dict[int, int]] = {
        table: {old: new for new, old in enumerate(sorted(numbers))} for table, numbers in kept.items()
    }
    fewer: dict[str, Any] = {table: tuple(getattr(scene, table)[old] for old in maps[table]) for table in maps}
    moved = remapped(replace(scene, **fewer), maps)
    assert moved is not None
    return replace(
        moved,
        clips=tuple(clip for clip in moved.clips if clip.tracks),
        stages=tuple(stage for stage in moved.stages if stage.roots),
    )


def merge(name: str, scenes: Collection[Scene]) -> Scene:
    """Put several scenes beside each other; equal meshes, materials and images are stored once, names made unique."""
    joined: dict[str, list[Any]] = {table: [] for table in (*TABLES, "roots", "stages", "clips", "notes")}
    for scene in scenes:
        maps = {table: {i: i + len(joined[table]) for i in range(len(getattr(scene, table)))} for table in TABLES}
        moved = remapped(scene, maps)
        assert moved is not None
        for field_name, items in joined.items():
            items.extend(getattr(moved, field_name))
    tuples: dict[str, Any] = {field_name: tuple(items) for field_name, items in joined.items()}
    result = share_equal(Scene(name, **tuples))
    return replace(result, nodes=unique_names(result.nodes))


def share_equal(scene: Scene) -> Scene:
    """Store equal images, textures, materials, meshes, cameras and lights once."""
    for table in _SHARED:
        items = getattr(scene, table)
        first: dict[str, int] = {}
        new_from_old: dict[int, int] = {}
        for old, item in enumerate(items):
            new_from_old[old] = first.setdefault(digest(item), len(first))
        if len(first) == len(items):
            continue
        once = dict(zip(reversed(new_from_old.values()), reversed(items), strict=True))
        fewer: dict[str, Any] = {table: tuple(once[new] for new in range(len(first)))}
        moved = remapped(replace(scene, **fewer), {table: new_from_old})
        assert moved is not None
        scene = moved
    return scene


def unique_names(nodes: Collection[Node]) -> tuple[Node, ...]:
    """Give every node a name of its own: the second `claw` becomes `claw.2`."""
    seen: set[str] = set()
    last: dict[str, int] = {}
    result = []
    for node in nodes:
        plain = node.name or "part"
        name = plain
        while name in seen:
            last[plain] = last.get(plain, 1) + 1
            name = f"{plain}.{last[plain]}"
        seen.add(name)
        result.append(node if name == node.name else replace(node, name=name))
    return tuple(result)


def tree_of(nodes: Sequence[Node], parents: Sequence[int]) -> tuple[tuple[Node, ...], tuple[int, ...]]:
    """The nodes linked to their children, with names of their own, and the roots: those whose parent is below zero."""
    children: dict[int, list[int]] = {}
    for child, parent in enumerate(parents):
        if parent >= 0:
            children.setdefault(parent, []).append(child)
    below = (tuple(children.get(i, ())) for i in range(len(nodes)))
    linked = [
        node if node.children == own else replace(node, children=own) for node, own in zip(nodes, below, strict=True)
    ]
    return unique_names(linked), tuple(i for i, parent in enumerate(parents) if parent < 0)


def with_shared_skins(scene: Scene) -> Scene:
    """The scene with one skin where several hold the same joints alike: some formats have one for each mesh."""
    number_of: dict[tuple[tuple[int, ...], bytes], int] = {}
    kept, shared = list[Skin](), list[int]()
    for skin in scene.skins:
        number = number_of.setdefault((skin.joints, skin.inverse_bind.tobytes()), len(kept))
        kept += [skin] if number == len(kept) else []
        shared.append(number)
    if len(kept) == len(shared):
        return scene
    nodes = (node if node.skin is None else replace(node, skin=shared[node.skin]) for node in scene.nodes)
    return replace(scene, nodes=tuple(nodes), skins=tuple(kept))

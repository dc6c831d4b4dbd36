"""Copy on write: new scenes from old ones."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace

from pruxel.core.scene.materials import TEXTURE_SLOTS, Material
from pruxel.core.scene.model import Clip, Mesh, Node, Scene, Skin


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
    """Keep some nodes (and their ancestors and joints); drop the rest and all that nothing uses any more."""
    kept = set(keep)
    parent = {child: i for i, node in enumerate(scene.nodes) for child in node.children}
    for index in list(kept):
        skin = scene.nodes[index].skin
        if skin is not None:
            kept.update(scene.skins[skin].joints)
    for index in list(kept):
        above = parent.get(index)
        while above is not None and above not in kept:
            kept.add(above)
            above = parent.get(above)
    new_from_old = {old: new for new, old in enumerate(sorted(kept))}
    nodes = tuple(
        replace(
            scene.nodes[old],
            children=tuple(new_from_old[c] for c in scene.nodes[old].children if c in new_from_old),
        )
        for old in sorted(kept)
    )
    skins = tuple(_remap_skin(skin, new_from_old) for skin in scene.skins)
    clips = tuple(_remap_clip(clip, new_from_old) for clip in scene.clips)
    roots = tuple(new_from_old[r] for r in scene.roots if r in new_from_old)
    scene = replace(scene, nodes=nodes, roots=roots, skins=skins, clips=clips)
    return drop_unused(replace(scene, clips=tuple(c for c in clips if c.channels)))


def _remap_skin(skin: Skin, new_from_old: dict[int, int]) -> Skin:
    if any(joint not in new_from_old for joint in skin.joints):
        return replace(skin, joints=(), skeleton=None)
    skeleton = new_from_old.get(skin.skeleton) if skin.skeleton is not None else None
    return replace(skin, joints=tuple(new_from_old[j] for j in skin.joints), skeleton=skeleton)


def _remap_clip(clip: Clip, new_from_old: dict[int, int]) -> Clip:
    channels = tuple(
        replace(channel, node=new_from_old[channel.node]) for channel in clip.channels if channel.node in new_from_old
    )
    return replace(clip, channels=channels)


def _renumber(used: Collection[int]) -> dict[int, int]:
    return {old: new for new, old in enumerate(sorted(set(used)))}


def drop_unused(scene: Scene) -> Scene:
    """Drop meshes, skins, materials, textures and images that no node reaches."""
    mesh_ids = _renumber([n.mesh for n in scene.nodes if n.mesh is not None])
    skin_ids = _renumber([n.skin for n in scene.nodes if n.skin is not None])
    meshes = [scene.meshes[old] for old in mesh_ids]
    material_ids = _renumber([p.material for m in meshes for p in m.primitives if p.material is not None])
    materials = [scene.materials[old] for old in material_ids]
    texture_ids = _renumber([t for m in materials for t in textures_of(m)])
    textures = [scene.textures[old] for old in texture_ids]
    image_ids = _renumber([t.image for t in textures])
    return replace(
        scene,
        nodes=tuple(
            replace(
                node,
                mesh=None if node.mesh is None else mesh_ids[node.mesh],
                skin=None if node.skin is None else skin_ids[node.skin],
            )
            for node in scene.nodes
        ),
        meshes=tuple(_remap_materials(mesh, material_ids) for mesh in meshes),
        skins=tuple(scene.skins[old] for old in skin_ids),
        materials=tuple(remap_textures(m, texture_ids) for m in materials),
        textures=tuple(replace(t, image=image_ids[t.image]) for t in textures),
        images=tuple(scene.images[old] for old in image_ids),
    )


def _remap_materials(mesh: Mesh, new_from_old: dict[int, int]) -> Mesh:
    return replace(
        mesh,
        primitives=tuple(
            p if p.material is None else replace(p, material=new_from_old[p.material]) for p in mesh.primitives
        ),
    )


def textures_of(material: Material) -> list[int]:
    """The texture indices that a material's main slots use."""
    refs = (getattr(material, slot) for slot in TEXTURE_SLOTS)
    return [ref.texture for ref in refs if ref is not None]


def remap_textures(material: Material, new_from_old: dict[int, int]) -> Material:
    """Point a material's slots at renumbered textures."""
    changed = {}
    for slot in TEXTURE_SLOTS:
        ref = getattr(material, slot)
        if ref is not None:
            changed[slot] = replace(ref, texture=new_from_old[ref.texture])
    return replace(material, **changed)


def merge(name: str, scenes: Collection[Scene]) -> Scene:
    """Put several scenes beside each other; colliding node names get a number."""
    result = Scene(name)
    for scene in scenes:
        result = _append(result, scene)
    return replace(result, nodes=unique_names(result.nodes))


def _append(base: Scene, more: Scene) -> Scene:
    nodes, meshes, skins = len(base.nodes), len(base.meshes), len(base.skins)
    textures = {i: i + len(base.textures) for i in range(len(more.textures))}
    materials = {i: i + len(base.materials) for i in range(len(more.materials))}
    shift = {i: i + nodes for i in range(len(more.nodes))}
    return Scene(
        name=base.name,
        nodes=base.nodes
        + tuple(
            replace(
                node,
                mesh=None if node.mesh is None else node.mesh + meshes,
                skin=None if node.skin is None else node.skin + skins,
                children=tuple(shift[c] for c in node.children),
            )
            for node in more.nodes
        ),
        roots=base.roots + tuple(shift[r] for r in more.roots),
        meshes=base.meshes + tuple(_remap_materials(mesh, materials) for mesh in more.meshes),
        materials=base.materials + tuple(remap_textures(m, textures) for m in more.materials),
        textures=base.textures + tuple(replace(t, image=t.image + len(base.images)) for t in more.textures),
        images=base.images + more.images,
        skins=base.skins + tuple(_remap_skin(s, shift) for s in more.skins),
        clips=base.clips + tuple(_remap_clip(c, shift) for c in more.clips),
        notes=base.notes + more.notes,
    )


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
    linked = [replace(node, children=tuple(children.get(i, ()))) for i, node in enumerate(nodes)]
    return unique_names(linked), tuple(i for i, parent in enumerate(parents) if parent < 0)

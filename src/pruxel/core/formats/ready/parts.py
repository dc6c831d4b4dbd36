"""Parts that have something to show."""

from __future__ import annotations

from dataclasses import replace

from pruxel.core.scene.edit import drop_unused
from pruxel.core.scene.model import Mesh, Scene


def with_drawable_parts(scene: Scene, told: list[str]) -> Scene:
    """Primitives and strokes without triangles, points or lines go.

    A mesh that loses all of them leaves a bare node.
    """

    def drawable(mesh: Mesh) -> Mesh:
        primitives = tuple(p for p in mesh.primitives if len(p.indices) and len(p.positions))
        strokes = tuple(s for s in mesh.strokes if len(s.indices) and len(s.positions))
        if len(primitives) == len(mesh.primitives) and len(strokes) == len(mesh.strokes):
            return mesh
        return replace(mesh, primitives=primitives, strokes=strokes)

    meshes = tuple(drawable(mesh) for mesh in scene.meshes)
    empty = {index for index, mesh in enumerate(meshes) if not (mesh.primitives or mesh.strokes)}
    changed = [i for i, (new, old) in enumerate(zip(meshes, scene.meshes, strict=True)) if new is not old or i in empty]
    if not changed:
        return scene
    names = [node.name for node in scene.nodes if node.mesh in set(changed)]
    if names:
        told.append(f"without triangles, and left out: {listed(names)}")
    nodes = tuple(replace(n, mesh=None, skin=None) if n.mesh in empty else n for n in scene.nodes)
    return drop_unused(replace(scene, meshes=meshes, nodes=nodes))


def listed(names: list[str], most: int = 6) -> str:
    """The first names, and how many more there are."""
    return ", ".join(names[:most]) + (f" and {len(names) - most:,} more" if len(names) > most else "")

"""Write FBX 7.4 or 7.5, binary: the tree of nodes with placements, meshes, skins, shapes, materials and clips.

Scenes come from `formats.ready`. Nothing stands between the scene and the file: axes and unit are worked into every
value and said in the settings, so that no root node carries a turn or a scale.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray
from pruxel.core.base.context import Context
from pruxel.core.disk.names import unique_name
from pruxel.core.formats.fbx.document import Document, prop, table
from pruxel.core.formats.fbx.elements import Element, Int64, written
from pruxel.core.formats.fbx.options import FbxOptions
from pruxel.core.formats.fbx.views import camera_rows, light_rows, with_views_as_written
from pruxel.core.formats.fbx.write_clips import write_clips
from pruxel.core.formats.fbx.write_materials import write_materials
from pruxel.core.formats.fbx.write_meshes import Written, columns, materials_of, write_mesh, write_skin
from pruxel.core.formats.registry import OutFile
from pruxel.core.formats.textures import link_name
from pruxel.core.geometry.euler import euler_deg
from pruxel.core.scene.edit import unique_names
from pruxel.core.scene.keys import end_of
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Clip, Mesh, Node, Scene
from pruxel.core.scene.reframe import axes_of, reframed
from pruxel.core.scene.walk import in_order, parents_of, parts, world_from_local

_ROOT = Int64(0)
_INHERIT = 1  # a node's scale is worked into those below it, as in the scene: global = parent's global x local


def write(scene: Scene, stem: str, options: FbxOptions, context: Context) -> list[OutFile]:
    """The `.fbx` and, unless they are embedded or left out, a folder `textures`; links are relative."""
    scene = as_written(scene, options)
    document = Document()
    shown = list(in_order(scene))
    joints = {joint for skin in scene.skins for joint in skin.joints}
    filled = {index for index, _, mesh in parts(scene) if mesh.primitives}
    sorts = {index: "LimbNode" if index in joints else "Mesh" if index in filled else "Null" for index in shown}
    sorts |= {index: "Camera" for index in shown if scene.nodes[index].camera is not None}
    sorts |= {index: "Light" for index in shown if scene.nodes[index].light is not None}
    models = {index: _model(document, scene, index, sorts[index], options) for index in shown}
    materials, files = write_materials(document, scene, options.textures, context.part(0.0, 0.5))
    shapes = _meshes(document, scene, models, materials, options, context.part(0.5, 0.9))
    for index in shown:
        for child in scene.nodes[index].children:
            document.join(models[child], models[index])
    for root in scene.roots:
        document.join(models[root], _ROOT)
    write_clips(document, scene, models, shapes, options.rotation_error_deg)
    seconds = max((end_of(clip) for clip in scene.clips), default=0.0)
    pieces = written(document.elements(options, seconds), options.number, deflate=options.deflate)
    return [OutFile(f"{link_name(stem)}.fbx", pieces), *files]


def as_written(scene: Scene, options: FbxOptions) -> Scene:
    """The scene in the file's axes and unit, only what is shown, materials with names of their own.

    What a joint shows hangs below it, since joints show nothing here.
    """
    joints = {joint for skin in scene.skins for joint in skin.joints}
    nodes = list(scene.nodes)
    for index in sorted(joints):
        node = nodes[index]
        if node.mesh is not None:
            nodes.append(Node(f"{node.name}.part", mesh=node.mesh, weights=node.weights, role=node.role))
            nodes[index] = replace(node, mesh=None, weights=None, children=(*node.children, len(nodes) - 1))
    dressed = _dressed(scene)
    taken: set[str] = set()
    names = [unique_name(material.name or "material", taken) for material in dressed.materials]
    materials = tuple(replace(m, name=name) for m, name in zip(dressed.materials, names, strict=True))
    apart = replace(dressed, nodes=unique_names(nodes), materials=materials, clips=_shown_clips(scene))
    viewed = with_views_as_written(apart, axes_of(options.up))
    return reframed(replace(viewed, nodes=unique_names(viewed.nodes)), axes_of(options.up), options.per_metre)


def _dressed(scene: Scene) -> Scene:
    """Meshes of which only some primitives have a material have a plain one for the others."""
    plain = len(scene.materials)

    def dressed(mesh: Mesh) -> Mesh:
        if len({p.material is None for p in mesh.primitives}) < 2:
            return mesh
        whole = (p if p.material is not None else replace(p, material=plain) for p in mesh.primitives)
        return replace(mesh, primitives=tuple(whole))

    meshes = tuple(dressed(mesh) for mesh in scene.meshes)
    same = all(a is b for a, b in zip(meshes, scene.meshes, strict=True))
    return scene if same else replace(scene, meshes=meshes, materials=(*scene.materials, Material("plain")))


def _shown_clips(scene: Scene) -> tuple[Clip, ...]:
    """Clips without what they do to nodes that are not shown."""
    shown = set(in_order(scene))
    kept = (
        replace(
            c,
            channels=tuple(one for one in c.channels if one.node in shown),
            shown=tuple(one for one in c.shown if one.node in shown),
            looks=(),
        )
        for c in scene.clips
    )
    return tuple(clip for clip in kept if clip.tracks)


def _model(document: Document, scene: Scene, index: int, sort: str, options: FbxOptions) -> Int64:
    node = scene.nodes[index]
    ident, made = document.add("Model", node.name, sort)
    made.add("Version", 232)
    angles = euler_deg(np.array([node.rotation]))[0].tolist()
    made.children.append(
        table(
            prop("InheritType", "enum", "", "", _INHERIT),
            prop("DefaultAttributeIndex", "int", "Integer", "", 0),
            prop("Lcl Translation", "Lcl Translation", "", "A", *map(float, node.translation)),
            prop("Lcl Rotation", "Lcl Rotation", "", "A", *angles),
            prop("Lcl Scaling", "Lcl Scaling", "", "A", *map(float, node.scale)),
        )
    )
    made.children.append(Element("Shading", (True,)))
    made.add("Culling", "CullingOff")
    if sort != "Mesh":
        attribute, kind = document.add("NodeAttribute", node.name, sort)
        kind.add("TypeFlags", "Skeleton" if sort == "LimbNode" else sort)
        if node.camera is not None:
            kind.children.append(table(*camera_rows(scene.cameras[node.camera], options.per_metre)))
        elif node.light is not None:
            kind.children.append(table(*light_rows(scene.lights[node.light], options.per_metre)))
        document.join(attribute, ident)
    return ident


def _meshes(
    document: Document,
    scene: Scene,
    models: dict[int, Int64],
    materials: Sequence[Int64],
    options: FbxOptions,
    context: Context,
) -> dict[int, tuple[Int64, ...]]:
    """A geometry for every mesh, and for every part that a skin holds or that has shapes one of its own.

    Returns the objects of each node's shapes.
    """
    shared: dict[int, Written] = {}
    shapes: dict[int, tuple[Int64, ...]] = {}
    bound: dict[Int64, DoubleArray] = {}
    world = world_from_local(scene)
    drawn = [index for index in models if scene.nodes[index].mesh is not None]
    for number, index in enumerate(drawn):
        node = scene.nodes[index]
        assert node.mesh is not None
        mesh = scene.meshes[node.mesh]
        context.progress(number / len(drawn), node.name)
        if not mesh.primitives:
            continue
        own = node.skin is not None or any(p.targets for p in mesh.primitives)
        done = None if own else shared.get(node.mesh)
        if done is None:
            weights = mesh.target_weights if node.weights is None else node.weights
            done = write_mesh(document, mesh, weights, join_vertices=options.join_vertices)
        if node.skin is not None:
            # A skinned part stands at the top of the tree, unmoved: its own space is the world's.
            bound |= write_skin(document, scene, node, mesh, done, models)
            bound[models[index]] = world[index]
        elif not own:
            shared[node.mesh] = done
        document.join(done.ident, models[index])
        for one in materials_of(mesh.primitives):
            document.join(materials[one], models[index])
        shapes[index] = done.channels
    if bound:
        above = {models[index]: world[index] for index in models if models[index] not in bound}
        _bind_pose(document, bound | _ancestors(scene, models, bound, above))
    return shapes


def _ancestors(
    scene: Scene, models: dict[int, Int64], bound: dict[Int64, DoubleArray], free: dict[Int64, DoubleArray]
) -> dict[Int64, DoubleArray]:
    """Where the nodes above bound ones stand: a pose should be told down from the top."""
    parents, found = parents_of(scene), dict[Int64, DoubleArray]()
    for index, ident in models.items():
        if ident not in bound:
            continue
        above = parents[index]
        while above >= 0 and models[above] in free:
            found[models[above]] = free[models[above]]
            above = parents[above]
    return found


def _bind_pose(document: Document, matrices: dict[Int64, DoubleArray]) -> None:
    _, made = document.add("Pose", "bind", "BindPose")
    made.add("Type", "BindPose")
    made.add("Version", 100)
    made.add("NbPoseNodes", len(matrices))
    for ident, matrix in matrices.items():
        made.children.append(
            Element("PoseNode", (), [Element("Node", (ident,)), Element("Matrix", (columns(matrix),))])
        )

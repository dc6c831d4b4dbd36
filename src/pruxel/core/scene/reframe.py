"""A scene in another frame: other axes, another front, another unit of length. For what files may ask for."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray, as_floats, as_indices, frozen
from pruxel.core.geometry.euler import products
from pruxel.core.geometry.transforms import matrix_quaternion
from pruxel.core.scene.model import ClipChannel, Matrix, Mesh, MorphTarget, Node, Primitive, Scene, as_matrix

Up = Literal["y", "z"]
Front = Literal["+z", "+x", "-z", "-x"]
_FRONTS = {"+z": (0, 1), "+x": (1, 0), "-z": (0, -1), "-x": (-1, 0)}
# Rows of what was +Y up are +Z up: x stays, what looked along +Z looks along -Y.
Z_UP: DoubleArray = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]])


def reframed(scene: Scene, turn: DoubleArray, scale: float) -> Scene:
    """The scene with its axes turned, new_from_old (3, 3) of whole quarter turns or mirrored, and its lengths scaled.

    Every node keeps its place in the tree; positions, placements, bind matrices, shapes and clips are turned and scaled
    with it, so that no node carries the change. Cameras and lights keep looking along their own -Z.
    """
    if scale == 1 and np.array_equal(turn, np.eye(3)):
        return scene
    whole = _Frame(turn, scale)
    return replace(
        scene,
        nodes=tuple(whole.node(node) for node in scene.nodes),
        meshes=tuple(whole.mesh(mesh) for mesh in scene.meshes),
        skins=tuple(replace(skin, inverse_bind=frozen(whole.matrices(skin.inverse_bind))) for skin in scene.skins),
        clips=tuple(replace(clip, channels=tuple(whole.channel(c) for c in clip.channels)) for clip in scene.clips),
    )


class _Frame:
    def __init__(self, turn: DoubleArray, scale: float) -> None:
        self.turn, self.scale = turn, scale
        self.order = np.abs(turn).argmax(axis=1)  # which old axis each new one lies along
        self.signs = turn[np.arange(3), self.order]
        # Mirrored, what turned one way turns the other, and fronts have their corners the other way round.
        self.sense = 1.0 if float(np.linalg.det(turn)) > 0 else -1.0

    def points(self, values: FloatArray) -> FloatArray:
        return self.sorted(values, self.signs * self.scale)

    def directions(self, values: FloatArray | None) -> FloatArray | None:
        return None if values is None else self.sorted(values, self.signs)

    def sorted(self, values: FloatArray, factors: DoubleArray) -> FloatArray:
        """Columns in their new order: a product of matrices takes four times as long."""
        if self.order.tolist() == [0, 1, 2] and bool((factors == 1).all()):
            return values
        found = np.empty((len(values), 3), np.float32)
        for new, old in enumerate(self.order):
            np.multiply(values[:, old], factors[new], out=found[:, new], casting="same_kind")
        return as_floats(found, 3)

    def tangents(self, values: FloatArray | None) -> FloatArray | None:
        if values is None:
            return None
        return as_floats(np.concatenate([values[:, :3] @ self.turn.T, values[:, 3:] * self.sense], axis=1), 4)

    def matrices(self, values: DoubleArray) -> DoubleArray:
        found = np.array(values, np.float64)
        found[..., :3, :3] = self.turn @ found[..., :3, :3] @ self.turn.T
        found[..., :3, 3] = found[..., :3, 3] @ (self.turn.T * self.scale)
        return found

    def node(self, node: Node) -> Node:
        t, r, s = np.array(node.translation), np.array(node.rotation), np.array(node.scale)
        t, s = self.turn @ t * self.scale, s[self.order]
        x, y, z = self.turn @ r[:3] * self.sense
        matrix: Matrix | None = None if node.matrix is None else as_matrix(self.matrices(np.array(node.matrix)))
        return replace(
            node,
            translation=(float(t[0]), float(t[1]), float(t[2])),
            rotation=(float(x), float(y), float(z), float(r[3])),
            scale=(float(s[0]), float(s[1]), float(s[2])),
            matrix=matrix,
        )

    def mesh(self, mesh: Mesh) -> Mesh:
        strokes = tuple(replace(s, positions=self.points(s.positions)) for s in mesh.strokes)
        return replace(mesh, primitives=tuple(self.primitive(p) for p in mesh.primitives), strokes=strokes)

    def primitive(self, primitive: Primitive) -> Primitive:
        return replace(
            primitive,
            positions=self.points(primitive.positions),
            indices=primitive.indices if self.sense > 0 else as_indices(primitive.indices[:, ::-1]),
            normals=self.directions(primitive.normals),
            tangents=self.tangents(primitive.tangents),
            targets=tuple(self.target(target) for target in primitive.targets),
        )

    def target(self, target: MorphTarget) -> MorphTarget:
        return replace(
            target,
            positions=None if target.positions is None else self.points(target.positions),
            normals=self.directions(target.normals),
            tangents=self.directions(target.tangents),
        )

    def channel(self, channel: ClipChannel) -> ClipChannel:
        values = channel.values
        if channel.path == "translation":
            return replace(channel, values=self.points(values))
        if channel.path == "rotation":
            turned = np.concatenate([values[:, :3] @ self.turn.T * self.sense, values[:, 3:]], axis=1)
            return replace(channel, values=as_floats(turned, 4))
        if channel.path == "scale":
            return replace(channel, values=as_floats(values[:, self.order], 3))
        return channel


def axes_of(up: Up) -> DoubleArray:
    """(3, 3) what turns +Y up into this axis up."""
    return Z_UP if up == "z" else np.eye(3)


def facing(scene: Scene, front: Front) -> Scene:
    """The scene turned about the axis up, so that what looked along +Z looks along another axis."""
    x, z = _FRONTS[front]
    turn = np.array([[float(z), 0.0, float(x)], [0.0, 1.0, 0.0], [float(-x), 0.0, float(z)]])
    return reframed(with_views_apart(scene, turn, turn), turn, 1.0) if front != "+z" else scene


def with_views_apart(scene: Scene, camera: DoubleArray, light: DoubleArray) -> Scene:
    """The scene with its cameras and lights one a node, turned (3, 3) each behind its node's own turn.

    Where a node holds anything else, or moves, they hang below it. So a frame may turn under what looks along an axis.
    """
    moving = {channel.node for clip in scene.clips for channel in clip.channels}
    joints = {joint for skin in scene.skins for joint in skin.joints}
    nodes = list(scene.nodes)
    for index, node in enumerate(scene.nodes):
        for key, turn in (("camera", camera), ("light", light)):
            view = getattr(node, key)
            if view is None:
                continue
            whole = matrix_quaternion(turn)
            busy = node.children or node.mesh is not None or index in moving | joints or node.matrix is not None
            alone = (node.camera is None) != (node.light is None)
            if not busy and alone and len(set(node.scale)) == 1:
                nodes[index] = turned(nodes[index], whole)
                continue
            held = Node(f"{node.name}.{key}", rotation=whole)
            nodes.append(replace(held, camera=view) if key == "camera" else replace(held, light=view))
            left = replace(nodes[index], camera=None) if key == "camera" else replace(nodes[index], light=None)
            nodes[index] = replace(left, children=(*left.children, len(nodes) - 1))
    return replace(scene, nodes=tuple(nodes))


def turned(node: Node, turn: tuple[float, float, float, float]) -> Node:
    """The node with a turn xyzw behind its own."""
    x, y, z, w = products(np.array(node.rotation), np.array(turn)).tolist()
    return replace(node, rotation=(x, y, z, w))

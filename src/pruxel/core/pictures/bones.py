"""A skeleton made visible: a small ball at every joint, and a tapering stick to each joint below it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import DoubleArray, FloatArray, IndexArray, as_floats, as_indices
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.scene.materials import Material
from pruxel.core.scene.model import Mesh, Primitive, Scene
from pruxel.core.scene.walk import bare_nodes, world_from_local

_SIDES = 8
_JOINT = Material("joint", base_color=(0.75, 0.36, 0.16, 1.0), roughness=0.7, metallic=0.0)
_STICK = Material("stick", base_color=(0.83, 0.78, 0.68, 1.0), roughness=0.85, metallic=0.0)


def visible(scene: Scene) -> Scene:
    """The scene as it can be looked at: one without any mesh with its joints drawn."""
    return scene if scene.meshes else with_bones(scene)


def with_bones(scene: Scene) -> Scene:
    """The scene with drawn joints, each in its own joint's space, so that they follow a clip. For looking only."""
    known = {joint for skin in scene.skins for joint in skin.joints} or bare_nodes(scene)
    if not known:
        return scene
    joints = sorted(known)
    matrices = world_from_local(scene)
    size = float(np.ptp(matrices[joints][:, :3, 3], axis=0).max()) or 1.0
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    first = len(scene.materials)
    for joint in joints:
        grown = max(float(np.linalg.norm(matrices[joint][:3, :3], axis=0).mean()), 1e-9)
        radius = 0.018 * size / grown
        ends = [np.array(scene.nodes[c].translation) for c in scene.nodes[joint].children if c in known]
        ball = _primitive(*_ball(radius), first)
        sticks = [_primitive(*_stick(end, 0.62 * radius), first + 1) for end in ends if np.linalg.norm(end) > radius]
        nodes[joint] = replace(nodes[joint], mesh=len(meshes))
        meshes.append(Mesh(nodes[joint].name, (ball, *sticks)))
    materials = (*scene.materials, _JOINT, _STICK)
    return replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), materials=materials)


def _primitive(positions: FloatArray, indices: IndexArray, material: int) -> Primitive:
    return Primitive(positions, indices, normals=vertex_normals(positions, indices), material=material)


def _around(rings: DoubleArray) -> tuple[FloatArray, IndexArray]:
    """A closed surface of turning from rings (k, 2): height along +Y and radius; ends with radius 0 close it."""
    angles = np.linspace(0, 2 * np.pi, _SIDES, endpoint=False)
    circle = np.stack([np.sin(angles), np.cos(angles)], axis=1)
    points = np.concatenate([np.insert(circle * radius, 1, height, axis=1) for height, radius in rings])
    corners = []
    for ring in range(len(rings) - 1):
        for side in range(_SIDES):
            a, b = ring * _SIDES + side, ring * _SIDES + (side + 1) % _SIDES
            corners += [(a, b, b + _SIDES), (a, b + _SIDES, a + _SIDES)]
    return as_floats(points, 3), as_indices(np.array(corners))


def _ball(radius: float) -> tuple[FloatArray, IndexArray]:
    angles = np.linspace(-np.pi / 2, np.pi / 2, 7)
    return _around(np.stack([np.sin(angles), np.cos(angles)], axis=1) * radius)


def _stick(end: DoubleArray, radius: float) -> tuple[FloatArray, IndexArray]:
    """From the origin to `end`, thick at the origin."""
    length = float(np.linalg.norm(end))
    up = end / length
    side = np.cross(up, (1.0, 0.0, 0.0) if abs(up[0]) < 0.9 else (0.0, 0.0, 1.0))
    side /= np.linalg.norm(side)
    frame = np.stack([np.cross(up, side), up, side])
    points, corners = _around(np.array([(0.0, 0.0), (0.0, radius), (length, 0.35 * radius), (length, 0.0)]))
    return as_floats(points @ frame, 3), corners

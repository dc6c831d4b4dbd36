"""Small scenes that tests build on."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.geometry.normals import vertex_normals
from pruxel.core.images import png
from pruxel.core.scene.images import EncodedImage, Image
from pruxel.core.scene.materials import Material, Texture, TextureRef
from pruxel.core.scene.model import (
    Camera,
    Clip,
    ClipChannel,
    Light,
    LookChannel,
    Mesh,
    MorphTarget,
    Node,
    Primitive,
    Scene,
    ShownChannel,
    Skin,
    Strokes,
)
from pruxel.core.scene.walk import world_from_local

_CORNERS = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float)
_SIDES = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]


def box(size: float = 1.0, at: tuple[float, float, float] = (0, 0, 0)) -> Primitive:
    """A closed box with a UV square a side, outward."""
    positions, faces, uvs = [], [], []
    for side in _SIDES:
        start = len(positions)
        positions += [_CORNERS[c] * size / 2 + at for c in side]
        uvs += [(0.0, 0.0), (1.0, 0.0), (1.0, 0.75), (0.0, 0.75)]
        faces += [(start, start + 1, start + 2), (start, start + 2, start + 3)]
    points, corners = as_floats(positions, 3), as_indices(faces)
    return Primitive(points, corners, normals=vertex_normals(points, corners), uvs=(as_floats(uvs, 2),), material=0)


def gradient() -> Image:
    """A small picture whose four channels differ."""
    y, x = np.mgrid[0:8, 0:16]
    rgba = np.stack([x * 15, y * 30, x * 7 + y, 255 - x * 9], axis=-1).astype(np.uint8)
    return Image("gradient", EncodedImage(png.encode(rgba), "image/png"))


def two_boxes() -> Scene:
    """Two parts under a turned and scaled parent, one textured material."""
    meshes = (Mesh("large", (box(2.0),)), Mesh("small", (box(0.5, (0.1, 0.2, 0.3)),)))
    nodes = (
        Node("top", children=(1, 2), translation=(1.0, 2.0, 3.0), rotation=(0.0, 0.6, 0.0, 0.8), scale=(2.0, 1.0, 0.5)),
        Node("large", mesh=0, translation=(0.0, 1.0, 0.0)),
        Node("small", mesh=1, scale=(-1.0, 1.0, 1.0), role="collision"),
    )
    material = Material(
        "paint", base_color=(0.8, 0.5, 0.2, 1.0), metallic=0.25, roughness=0.5, base_color_texture=TextureRef(0)
    )
    return Scene(
        "boxes",
        nodes=nodes,
        roots=(0,),
        meshes=meshes,
        materials=(material,),
        textures=(Texture(0),),
        images=(gradient(),),
    )


def animated() -> Scene:
    """A box with skin, morph target and clip: everything the model's types hold."""
    base = box(1.0)
    count = len(base.positions)
    joints = np.zeros((count, 4), np.uint16)
    joints[:, 1] = 1
    weights = np.tile(np.array([0.75, 0.25, 0, 0], np.float32), (count, 1))
    target = MorphTarget("swell", as_floats(base.positions * 0.1, 3))
    mesh = Mesh("body", (replace(base, joints=joints, weights=weights, targets=(target,)),), target_weights=(0.0,))
    times = np.array([0.0, 0.5, 1.0], np.float32)
    turn = np.array([[0, 0, 0, 1], [0, 0.6, 0, 0.8], [0, 0, 0, 1]], np.float32)
    clip = Clip("wave", (ClipChannel(2, "rotation", times, turn),))
    nodes = (Node("root", children=(1, 2)), Node("body", mesh=0, skin=0), Node("hip", children=(3,)), Node("knee"))
    skin = Skin("bones", (2, 3), np.tile(np.eye(4), (2, 1, 1)), skeleton=2)
    return Scene(
        "animated",
        nodes=nodes,
        roots=(0,),
        meshes=(mesh,),
        materials=(Material("plain"),),
        skins=(skin,),
        clips=(clip,),
    )


def everything() -> Scene:
    """A character and a prop: two materials, two UV sets, colours, skin, morph target, clips, camera, light, strokes."""
    rng = np.random.default_rng(7)
    count = len(box().positions)
    joints = np.tile(np.array([0, 1, 0, 0], np.uint16), (count, 1))
    share = rng.uniform(0.1, 0.9, count).astype(np.float32)
    weights = np.stack([share, 1 - share, np.zeros(count, np.float32), np.zeros(count, np.float32)], axis=1)
    second = as_floats(rng.uniform(0, 1, (count, 2)), 2)
    colors = as_floats(rng.uniform(0, 1, (count, 4)), 4)
    swell = MorphTarget("swell", as_floats(box().positions * 0.1, 3))
    skinned = replace(box(1.0), joints=joints, weights=weights, targets=(swell,), uvs=(*box().uvs, second))
    sleeve = replace(box(0.5, (0.2, 0.1, 0.7)), joints=joints, weights=weights, material=1, targets=(swell,))
    body = Mesh("body", (skinned, sleeve), target_weights=(0.25,))
    lines = Strokes(as_floats([[0, 0, 0], [1, 0, 0], [1, 1, 0]], 3), np.array([[0, 1], [1, 2]], np.uint32), material=1)
    prop = Mesh(
        "prop", (replace(box(0.4), colors=(colors,)), replace(box(0.3, (1, 0, 0)), material=1)), strokes=(lines,)
    )
    nodes = (
        Node(
            "top",
            children=(1, 2, 4),
            translation=(0.0, 1.0, 0.0),
            scale=(-1.0, 1.0, 2.0),
            rotation=(0.0, 0.6, 0.0, 0.8),
        ),
        Node("prop", mesh=1, translation=(2.0, 0.0, 0.0)),
        Node("hip", children=(3,), translation=(0.1, 0.2, 0.3)),
        Node("knee", translation=(0.0, -0.4, 0.1), rotation=(0.6, 0.0, 0.0, 0.8)),
        Node("body", mesh=0, skin=0),
        Node("eye", camera=0, translation=(0.0, 2.0, 5.0)),
        Node("lamp", light=0, translation=(3.0, 3.0, 3.0)),
    )
    bare = Scene("bind", nodes=nodes, roots=(0, 5, 6))
    inverse = np.linalg.inv(world_from_local(bare)[[2, 3]])
    times = np.array([0.0, 0.4, 1.25], np.float32)
    turns = np.array([[0, 0, 0, 1], [0, 0, 0.6, 0.8], [0.28, 0, 0, 0.96]], np.float32)
    moves = np.array([[0, -0.4, 0.1], [0.1, -0.5, 0.2], [0.3, -0.4, 0.1]], np.float32)
    swells = np.array([[0.0], [1.0], [0.5]], np.float32)
    wave = Clip("wave", (ClipChannel(2, "rotation", times, turns), ClipChannel(3, "translation", times, moves)))
    glow = [[0, 0, 0], [0, 0, 0], [1, 0, 0], [0.5, 0, 0], [1, 0.5, 0], [0, 0, 0], [0, 0, 0], [0, 0, 1], [0, 0, 0]]
    when = times.copy()
    breathe = Clip(
        "breathe",
        (ClipChannel(4, "weights", times, swells),),
        shown=(ShownChannel(1, when, as_floats([[1], [0], [1]], 1)),),
        looks=(
            LookChannel(0, "offset", when, as_floats([[0, 0], [0.5, 0], [0.5, 1]], 2)),
            LookChannel(0, "roughness", when, as_floats([[0.5], [0.1], [0.9]], 1), interpolation="STEP"),
            LookChannel(1, "emissive", when, as_floats(glow, 3), interpolation="CUBICSPLINE"),
            LookChannel(1, "base_color", when, as_floats([[1, 0, 0, 1], [0, 1, 0, 1], [0, 0, 1, 0.5]], 4)),
        ),
    )
    textured = Material(
        "paint",
        base_color=(0.8, 0.5, 0.2, 1.0),
        metallic=0.25,
        roughness=0.5,
        base_color_texture=TextureRef(0),
        occlusion_texture=TextureRef(1, uv_set=1),
    )
    return Scene(
        "everything",
        nodes=nodes,
        roots=(0, 5, 6),
        meshes=(body, prop),
        materials=(textured, Material("cloth", base_color=(0.1, 0.2, 0.9, 1.0), base_color_texture=TextureRef(1))),
        textures=(Texture(0), Texture(1)),
        images=(gradient(), replace(gradient(), name="second")),
        skins=(Skin("bones", (2, 3), inverse),),
        cameras=(Camera("eye", yfov_rad=0.8, near=0.1),),
        lights=(Light("lamp", "spot", color=(1.0, 0.9, 0.8), intensity=40.0, range=12.0),),
        clips=(wave, breathe),
        extras='{"made by":"hand"}',
    )

"""Steps that make surfaces thick, round, flat and coarse, and that repaint; against independent judges where there are."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from pruxel.core.base.arrays import as_floats, as_indices
from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError, UsageError
from pruxel.core.geometry.measure import signed_volume, triangle_areas
from pruxel.core.geometry.shells import thickened
from pruxel.core.geometry.subdividing import halved, rounded
from pruxel.core.images.levels import adjusted, normals_of, without_color
from pruxel.core.native.unwrap import unwrapped
from pruxel.core.scene.checks import problems
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Mesh, Node, Primitive, Scene
from pruxel.core.scene.walk import parts, world_from_local
from pruxel.core.steps.registry import STEPS
from tests.contracts.test_steps import flawed
from tests.scenes import animated, everything, two_boxes

CONTEXT = Context()


def done(scene: Scene, name: str, **params: object) -> Scene:
    step = STEPS.get(name)
    return step.run(scene, step.parse(params), CONTEXT).scene


def alone(mesh: trimesh.Trimesh, **more: object) -> Scene:
    primitive = Primitive(as_floats(mesh.vertices, 3), as_indices(mesh.faces), **more)  # type: ignore[arg-type]
    return Scene("alone", nodes=(Node("alone", mesh=0),), roots=(0,), meshes=(Mesh("alone", (primitive,)),))


def read(scene: Scene) -> trimesh.Trimesh:
    [p] = scene.meshes[0].primitives
    return trimesh.Trimesh(p.positions, p.indices, process=True, merge_norm=True, merge_tex=True)


def cap() -> trimesh.Trimesh:
    """The upper part of a ball, open below."""
    ball = trimesh.creation.icosphere(subdivisions=2)
    upper = trimesh.Trimesh(ball.vertices, ball.faces[ball.triangles_center[:, 1] > 0.2], process=False)
    upper.remove_unreferenced_vertices()
    return upper


SHEETS = {
    "grid": trimesh.Trimesh(
        [[x, 0.1 * np.sin(x * y), y] for y in range(5) for x in range(5)],
        [[a, b, c] for y in range(4) for x in range(4) for k in [5 * y + x]
         for a, b, c in ((k, k + 5, k + 1), (k + 1, k + 5, k + 6))],
        process=False,
    ),
    "cap": cap(),
    "ball": trimesh.creation.icosphere(subdivisions=2),
    "tube": trimesh.creation.annulus(0.9, 1, 2),
}  # fmt: skip


@pytest.mark.parametrize("name", sorted(SHEETS))
@pytest.mark.parametrize("thickness", [0.02, -0.02])
def test_a_shell_is_closed_faces_outward_and_is_as_thick_as_asked(name: str, thickness: float) -> None:
    sheet = SHEETS[name]
    shell = read(done(alone(sheet), "thicken", thickness=thickness))
    assert shell.is_watertight
    assert shell.is_winding_consistent
    assert shell.volume == pytest.approx(sheet.area * abs(thickness), rel=0.12)
    # A point of the middle of the sheet lies within the shell.
    inside = sheet.triangles_center - sheet.face_normals * thickness / 2
    assert shell.contains(inside).mean() > 0.97


def test_seams_do_not_open_and_a_sharp_corner_is_not_torn_away() -> None:
    cube = trimesh.creation.box()
    split = trimesh.Trimesh(cube.vertices[cube.faces].reshape(-1, 3), np.arange(36).reshape(-1, 3), process=False)
    shell = thickened(as_floats(split.vertices, 3), as_indices(split.faces), 0.1)
    inner = shell.positions[shell.side == 1]
    assert not (shell.side == 2).any()
    np.testing.assert_allclose(np.abs(inner), 0.4, atol=1e-4)
    assert signed_volume(shell.positions, shell.indices) == pytest.approx(1 - 0.8**3, rel=1e-3)


def test_what_joints_hold_and_shapes_move_is_thickened_and_rounded_with_them() -> None:
    for name, more in (("thicken", {"thickness": 0.05}), ("subdivide", {})):
        for scene in (animated(), everything()):
            made = done(scene, name, **more)
            assert problems(made) == []
            for mesh in made.meshes:
                for p in mesh.primitives:
                    if p.weights is not None:
                        np.testing.assert_allclose(p.weights.sum(axis=1), 1, atol=1e-5)


# Not the grid: the library takes an inner edge whose both ends are on the border for one of the border.
@pytest.mark.parametrize("name", ["ball", "cap"])
def test_rounding_is_loops_as_another_library_works_it_out(name: str) -> None:
    sheet = SHEETS[name]
    vertices, _ = trimesh.remesh.subdivide_loop(sheet.vertices, sheet.faces, iterations=1)
    mine = done(alone(sheet), "subdivide", angle=180).meshes[0].primitives[0]
    assert len(mine.indices) == 4 * len(sheet.faces)
    assert len(np.unique(np.round(mine.positions, 5), axis=0)) == len(vertices)
    distance, _ = cKDTree(vertices).query(mine.positions.astype(float))
    assert distance.max() < 1e-5


def test_flat_cutting_keeps_the_surface_and_creases_keep_their_line() -> None:
    cube = trimesh.creation.box()
    flat = read(done(alone(cube), "subdivide", shape="as it is"))
    assert flat.volume == pytest.approx(1)
    assert flat.area == pytest.approx(6)
    sharp = read(done(alone(cube), "subdivide", angle=30))
    assert sharp.is_watertight
    np.testing.assert_allclose(np.abs(sharp.bounds), 0.5, atol=1e-6)
    soft = read(done(alone(cube), "subdivide", angle=180))
    assert soft.is_watertight
    assert soft.volume < 0.75


def test_middles_are_shared_by_both_faces() -> None:
    halves = halved(as_indices([[0, 1, 2], [2, 1, 3]]), 4)
    assert len(halves.ends) == 5
    assert len(halves.indices) == 8
    old, middle = rounded(
        np.eye(4, 3, dtype=np.float32), as_indices([[0, 1, 2]]), np.array([[0, 1], [1, 2], [0, 2]]), 1.0
    )
    np.testing.assert_allclose(middle[0], [0.5, 0.5, 0])
    assert len(old) == 4


@pytest.mark.parametrize("name", ["ball", "cap", "tube"])
def test_what_is_unwrapped_lies_apart_undistorted_and_within_the_texture(name: str) -> None:
    sheet = SHEETS[name]
    scene = done(alone(sheet), "unwrap", texels=512)
    [p] = scene.meshes[0].primitives
    assert len(p.indices) == len(sheet.faces)
    assert triangle_areas(p.positions, p.indices).sum() == pytest.approx(sheet.area, rel=1e-4)
    uv = p.uvs[0]
    assert uv.min() >= 0
    assert uv.max() <= 1
    flat = np.column_stack([uv, np.zeros(len(uv))]).astype(np.float32)
    areas = triangle_areas(flat, p.indices)
    assert areas.min() > 0
    # No texel is of two triangles: what is covered is what all of them have.
    grid = np.zeros((256, 256), int)
    for triangle in uv[p.indices].astype(float) * 256:
        low, high = np.floor(triangle.min(axis=0)).astype(int), np.ceil(triangle.max(axis=0)).astype(int)
        y, x = np.mgrid[low[1] : high[1], low[0] : high[0]] + 0.5
        points = np.stack([x.ravel(), y.ravel()], axis=1)
        edge = np.roll(triangle, -1, axis=0) - triangle
        side = [
            e[0] * (points[:, 1] - t[1]) - e[1] * (points[:, 0] - t[0]) for e, t in zip(edge, triangle, strict=True)
        ]
        within = (np.array(side) > 1e-9).all(axis=0) | (np.array(side) < -1e-9).all(axis=0)
        inside = points[within].astype(int)
        grid[inside[:, 1].clip(0, 255), inside[:, 0].clip(0, 255)] += 1
    assert (grid > 1).mean() < 0.002
    stretch = areas / triangle_areas(p.positions, p.indices)
    assert np.percentile(stretch, 95) < 4 * np.percentile(stretch, 5)


def test_unwrapping_leaves_what_has_coordinates_and_keeps_faces_without_area() -> None:
    scene = two_boxes()
    assert done(scene, "unwrap").meshes[0].primitives[0].uvs is scene.meshes[0].primitives[0].uvs
    more = done(scene, "unwrap", where="as one set more").meshes[0].primitives[0]
    assert len(more.uvs) == len(scene.meshes[0].primitives[0].uvs) + 1
    np.testing.assert_array_equal(
        np.sort(more.uvs[0], axis=0)[[0, -1]], np.sort(scene.meshes[0].primitives[0].uvs[0], axis=0)[[0, -1]]
    )
    ball = trimesh.creation.icosphere(subdivisions=1)
    faces = np.concatenate([ball.faces[:10], [[3, 3, 5]], ball.faces[10:]])
    made = done(alone(trimesh.Trimesh(ball.vertices, faces, process=False)), "unwrap")
    assert len(made.meshes[0].primitives[0].indices) == len(faces)
    assert problems(made) == []


def test_what_does_not_unwrap_is_told() -> None:
    with pytest.raises(InputError, match="does not unwrap"):
        unwrapped(np.full((3, 3), np.nan, np.float32), as_indices([[0, 1, 900_000]]), 64, 1, "odd")


@given(
    st.floats(-360, 360), st.sampled_from(["not", "across", "upwards", "both"]),
    st.tuples(st.floats(-4, 4), st.floats(-4, 4)), st.tuples(st.floats(-2, 2), st.floats(-2, 2)),
)  # fmt: skip
def test_coordinates_are_scaled_turned_over_turned_about_the_middle_and_shifted(
    turn: float, flip: str, scale: tuple[float, float], shift: tuple[float, float]
) -> None:
    scene = two_boxes()
    before = scene.meshes[0].primitives[0].uvs[0].astype(float)
    made = done(scene, "move_uvs", turn=turn, flip=flip, scale=scale, shift=shift).meshes[0].primitives[0].uvs[0]
    u, v = (before * scale).T
    u = 1 - u if flip in {"across", "both"} else u
    v = 1 - v if flip in {"upwards", "both"} else v
    # As complex numbers, seen with V down: a clockwise turn is a growing angle.
    turned = ((u - 0.5) + 1j * (v - 0.5)) * np.exp(1j * np.deg2rad(turn))
    expected = np.stack([turned.real + 0.5 + shift[0], turned.imag + 0.5 + shift[1]], axis=1)
    np.testing.assert_allclose(made, expected, atol=2e-5)


def test_one_set_is_kept_of_several() -> None:
    scene = done(two_boxes(), "unwrap", where="as one set more")
    kept = done(scene, "move_uvs", uv_set=1, keep="only this set")
    for mesh, was in zip(kept.meshes, scene.meshes, strict=True):
        for p, q in zip(mesh.primitives, was.primitives, strict=True):
            assert len(p.uvs) == 1
            np.testing.assert_allclose(p.uvs[0], q.uvs[1], atol=1e-6)


def test_levels_are_made_marked_and_told_apart_again() -> None:
    scene = animated()
    made = done(scene, "make_levels", levels=2, share=50)
    levels = {node.name: node.detail for _, node, _ in parts(made)}
    originals = [node.name for _, node, _ in parts(scene)]
    assert set(levels) == {f"{name}{end}" for name in originals for end in ("", "_lod1", "_lod2")}
    assert problems(made) == []
    world = world_from_local(made)
    where = {node.name: world[index] for index, node, _ in parts(made)}
    for name in originals:
        np.testing.assert_allclose(where[f"{name}_lod2"], where[name])
    ball = done(alone(trimesh.creation.icosphere(subdivisions=3)), "make_levels", levels=2, share=25)
    assert [sum(len(p.indices) for p in mesh.primitives) for _, _, mesh in parts(ball)] == [1280, 320, 80]
    coarse = done(made, "choose_class", level=2)
    assert {node.name for _, node, _ in parts(coarse)} == {f"{name}_lod2" for name in originals}
    assert done(made, "choose_class", level=9).meshes == coarse.meshes or len(coarse.meshes) == len(originals)
    with pytest.raises(UsageError, match="names of their own"):
        done(scene, "make_levels", ending="_low")
    with pytest.raises(UsageError, match="no part would be left"):
        done(scene, "choose_class", keep="collision hulls alone")


def test_hulls_go_or_stay_alone() -> None:
    scene = flawed()
    hulls = {node.name for _, node, _ in parts(scene) if node.role == "collision"}
    assert hulls
    without = done(scene, "choose_class", keep="all but collision hulls")
    assert not hulls & {node.name for _, node, _ in parts(without)}
    alone_now = done(scene, "choose_class", keep="collision hulls alone")
    assert {node.name for _, node, _ in parts(alone_now)} == hulls
    assert measure(alone_now).triangles + measure(without).triangles == measure(scene).triangles


def test_tangents_stand_square_to_normals_for_all_that_have_coordinates() -> None:
    for scene in (two_boxes(), everything()):
        for mesh in done(scene, "make_tangents").meshes:
            for p in mesh.primitives:
                if not p.uvs:
                    continue
                assert p.tangents is not None
                assert p.normals is not None
                np.testing.assert_allclose(np.linalg.norm(p.tangents[:, :3], axis=1), 1, atol=1e-4)
                assert np.abs((p.tangents[:, :3] * p.normals).sum(axis=1)).max() < 1e-3


def test_colours_that_are_left_as_they_are_stay_to_the_bit() -> None:
    rgba = np.random.default_rng(1).integers(0, 256, (8, 8, 4), np.uint8)
    same = {"black": 0.0, "white": 1.0, "gamma": 1.0, "hue_deg": 0.0, "saturation": 1.0, "lightness": 0.0}
    np.testing.assert_allclose(adjusted(rgba, **same).astype(int), rgba, atol=1)
    grey = adjusted(rgba, **(same | {"saturation": 0.0}))
    assert np.ptp(grey[..., :3].astype(int), axis=2).max() <= 1
    assert (adjusted(rgba, **(same | {"lightness": 1.0}))[..., :3] == 255).all()
    assert (adjusted(rgba, **(same | {"lightness": -1.0}))[..., :3] == 0).all()
    np.testing.assert_array_equal(adjusted(rgba, **(same | {"hue_deg": 77.0}))[..., 3], rgba[..., 3])
    inner = np.clip(rgba, 90, 160)
    turned = adjusted(adjusted(inner, **(same | {"hue_deg": 30.0})), **(same | {"hue_deg": -30.0}))
    np.testing.assert_allclose(turned[..., :3].astype(int), inner[..., :3], atol=3)
    spread = adjusted(rgba, **(same | {"black": 0.25, "white": 0.75}))[..., :3]
    np.testing.assert_allclose(spread, np.clip((rgba[..., :3] / 255 - 0.25) * 2, 0, 1) * 255, atol=1)


def test_heights_become_slopes_in_the_directions_of_gltf() -> None:
    ramp = np.tile(np.linspace(0, 1, 16, dtype=np.float32), (16, 1))
    across, down = normals_of(ramp, 8.0), normals_of(ramp.T.copy(), 8.0)
    # What rises to the right leans to the left; what rises downwards in the picture leans up.
    assert across[8, 8, 0] < 120
    assert across[8, 8, 1] == 128
    assert down[8, 8, 1] > 135
    assert down[8, 8, 0] == 128
    lengths = np.linalg.norm(across[..., :3] / 127.5 - 1, axis=2)
    np.testing.assert_allclose(lengths, 1, atol=0.01)


def test_a_key_colour_goes_softly() -> None:
    rgba = np.array([[[255, 0, 255, 255], [250, 5, 250, 255], [128, 0, 255, 200], [0, 255, 0, 255]]], np.uint8)
    alpha = without_color(rgba, (1.0, 0.0, 1.0), 0.05, 1.0)[0, :, 3]
    assert alpha[0] == alpha[1] == 0
    assert 0 < alpha[2] < 200
    assert alpha[3] == 255
    made = done(flawed(), "key_color", color="#000000", near=100, soft=0, cutoff=30)
    worn = [m for m in made.materials if m.base_color_texture is not None]
    assert worn
    assert all(m.alpha_mode == "MASK" for m in worn)


@pytest.mark.parametrize("name", ["adjust_textures"])
def test_a_texture_that_is_not_there_is_named(name: str) -> None:
    with pytest.raises(UsageError, match="no texture called 'nowhere'"):
        done(two_boxes(), name, textures=["nowhere"])

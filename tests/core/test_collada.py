"""COLLADA: documents put together by plain code, other readers beside ours, and what is wrong on purpose."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import collada
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.collada.curves import Curve
from pruxel.core.formats.collada.moves import Move, matrix_of
from pruxel.core.formats.registry import FORMATS, ReadResult, format_for
from pruxel.core.images import png
from pruxel.core.scene.digest import digest
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed, standing
from pruxel.core.scene.walk import world_from_local
from tests import zoo
from tests.collada_text import collada_text
from tests.scenes import animated, everything, two_boxes

CONTEXT = Context()
PICTURE = png.encode(np.full((2, 2, 4), 200, np.uint8))
FOLDER = zoo.FOLDER / "Collada"


def opened(data: bytes | str, name: str = "thing.dae", context: Context = CONTEXT) -> ReadResult:
    raw = data.encode() if isinstance(data, str) else data
    spec = format_for(name, raw[:512])
    assert spec is FORMATS.get("collada")
    assert spec.read is not None
    return spec.read(memoryview(raw), name, lambda link: PICTURE if link.endswith(".png") else None, context)


def corners(scene: Scene) -> dict[str, np.ndarray]:
    """World positions of all triangle corners (m, 3, 3) by part."""
    found: dict[str, list[np.ndarray]] = {}
    for _, node, mesh in standing(scene):
        found.setdefault(node.name, []).extend(p.positions[p.indices] for p in mesh.primitives)
    return {name: np.concatenate(rows) for name, rows in found.items()}


def assert_same_places(one: Scene, other: Scene) -> None:
    a, b = corners(one), corners(other)
    assert a.keys() == b.keys()
    for name, rows in a.items():
        np.testing.assert_allclose(rows, b[name], atol=2e-5, err_msg=name)


@pytest.mark.parametrize("scene", [two_boxes(), animated(), everything()], ids=["boxes", "animated", "everything"])
def test_a_document_of_everything_comes_in_as_it_was(scene: Scene) -> None:
    result = opened(collada_text(scene))
    found = result.scene
    assert result.faults == ()
    assert {n.name for n in found.nodes} == {n.name for n in scene.nodes}
    assert_same_places(found, scene)
    for clip in scene.clips:
        [same] = [c for c in found.clips if c.name == clip.name]
        for seconds in np.linspace(0, max(float(c.times[-1]) for c in clip.channels), 9).tolist():
            assert_same_places(posed(found, same, seconds), posed(scene, clip, seconds))
    for mesh in found.meshes:
        [was] = [m for m in scene.meshes if m.name == mesh.name]
        assert mesh.target_weights == pytest.approx(was.target_weights)
        for one, other in zip(mesh.primitives, was.primitives, strict=True):
            assert [t.name for t in one.targets] == [t.name for t in other.targets]
            assert len(one.uvs) == len(other.uvs)
            pairs = [*zip(one.uvs, other.uvs, strict=True), *zip(one.colors, other.colors, strict=True)]
            for a, b in [*pairs, (one.normals, other.normals)]:
                assert b is not None
                np.testing.assert_allclose(a[one.indices], b[other.indices], atol=1e-5)  # type: ignore[index]
    for material in found.materials:
        [was_so] = [m for m in scene.materials if m.name == material.name]
        assert (material.base_color_texture is None) == (was_so.base_color_texture is None)
        assert material.unresolved == ()
    assert [c.name for c in found.cameras] == [c.name for c in scene.cameras]
    assert [(one.kind, one.intensity) for one in found.lights] == [("spot", one.intensity) for one in scene.lights]


@pytest.mark.parametrize("axis", ["X_UP", "Y_UP", "Z_UP"])
def test_axes_and_units_are_worked_in(axis: str) -> None:
    """Up is where the file says; its cameras and lights look where they looked."""
    scene = everything()
    found = opened(collada_text(scene, f'<unit meter="0.01"/><up_axis>{axis}</up_axis>')).scene
    ours_from_file = {"X_UP": [[0, -1, 0], [1, 0, 0], [0, 0, 1]], "Z_UP": [[1, 0, 0], [0, 0, 1], [0, -1, 0]]}
    turn = np.array(ours_from_file.get(axis, np.eye(3)), float)
    was, now = corners(scene), corners(found)
    for name, rows in was.items():
        np.testing.assert_allclose(now[name], rows @ turn.T * 0.01, atol=1e-6)
    for one, other in ((scene, "camera"), (scene, "light")):
        looks = []
        for side in (one, found):
            [number] = [n for n, node in enumerate(side.nodes) if getattr(node, other) is not None]
            looks.append(world_from_local(side)[number])
        np.testing.assert_allclose(looks[1][:3, 2], turn @ looks[0][:3, 2], atol=1e-9)
        np.testing.assert_allclose(looks[1][:3, 3], turn @ looks[0][:3, 3] * 0.01, atol=1e-9)


WHOLE = [p for p in zoo.models() if p.suffix.lower() == ".dae" and "UTF16" not in p.name]
# What the other reader does not take: decimal commas, references to nothing, lights that say nothing.
NOT_THERE = {
    "cube_tristrips.dae",
    "earthCylindrical.DAE",
    "teapots.DAE",
    "cube_emptyTags.dae",
    "regr01.dae",
    "library_animation_clips.dae",
}


@pytest.mark.filterwarnings("ignore::PendingDeprecationWarning")
@pytest.mark.parametrize("path", [p for p in WHOLE if p.name not in NOT_THERE], ids=zoo.label)
def test_places_agree_with_another_reader(path: Path) -> None:
    """pycollada's triangles of the shown scene, in the file's own frame, turned and scaled by hand."""
    document = collada.Collada(str(path), ignore=[collada.common.DaeUnsupportedError, collada.common.DaeBrokenRefError])
    places = []
    for bound in document.scene.objects("geometry"):
        for primitive in bound.primitives():
            made = primitive if hasattr(primitive, "vertex_index") and primitive.vertex_index is not None else None
            if made is None or not hasattr(primitive, "triangleset"):
                places += [] if made is None else [made.vertex[made.vertex_index].reshape(-1, 3)]
            else:
                triangles = primitive.triangleset()
                places.append(triangles.vertex[triangles.vertex_index].reshape(-1, 3))
    if not places or "skin" in path.read_text(errors="replace"):
        pytest.skip("it shows no mesh that stands still")
    flat = np.concatenate(places)
    turns = {"Z_UP": [[1, 0, 0], [0, 0, 1], [0, -1, 0]], "X_UP": [[0, -1, 0], [1, 0, 0], [0, 0, 1]]}
    turn = np.array(turns.get(document.assetInfo.upaxis, np.eye(3)), float)
    flat = flat @ turn.T * (document.assetInfo.unitmeter or 1)
    facts = measure(opened(path.read_bytes(), path.name).scene)
    room = float(np.ptp(flat, axis=0).max())
    np.testing.assert_allclose(facts.minimum, flat.min(axis=0), atol=1e-4 * room)
    np.testing.assert_allclose(facts.maximum, flat.max(axis=0), atol=1e-4 * room)


TWINS = [
    ("COLLADA.dae", "COLLADA_triangulate.dae"),
    ("duck.dae", "duck_triangulate.dae"),
    ("duck.dae", "duck.zae"),
    ("duck.dae", "duck_nomanifest.zae"),
    ("sphere.dae", "sphere_triangulate.dae"),
    ("cube_UTF16LE.dae", "cube_UTF8BOM.dae"),
    ("cube_UTF8BOM.dae", "cube_triangulate.dae"),
]


@pytest.mark.parametrize(("one", "other"), TWINS)
def test_the_same_model_told_twice_is_the_same(one: str, other: str) -> None:
    first, second = (measure(opened((FOLDER / n).read_bytes(), n).scene) for n in (one, other))
    assert first.triangles == second.triangles
    np.testing.assert_allclose((*first.minimum, *first.maximum), (*second.minimum, *second.maximum), rtol=1e-4)
    assert first.area == pytest.approx(second.area, rel=1e-3), "polygons that are not flat may be cut otherwise"


@given(
    x=st.tuples(st.floats(0, 0.6), st.floats(0.4, 1)),
    y=st.tuples(*[st.floats(-5, 5)] * 4),
    part=st.floats(0.02, 0.98),
)
@settings(deadline=None, max_examples=200)
def test_bezier_curves_pass_where_their_own_points_lie(
    x: tuple[float, float], y: tuple[float, float, float, float], part: float
) -> None:
    """A point worked out from the curve's parameter lies on the curve that is asked by time."""
    s, t = part, 1 - part
    at = 3 * t * t * s * x[0] + 3 * t * s * s * x[1] + s**3
    value = t**3 * y[0] + 3 * t * t * s * y[1] + 3 * t * s * s * y[2] + s**3 * y[3]
    leaving = np.array([[[x[0], y[1]]], [[1.3, 0.0]]])
    arriving = np.array([[[-0.3, 0.0]], [[x[1], y[2]]]])
    curve = Curve(np.array([0.0, 1.0]), np.array([[y[0]], [y[3]]]), np.array([2, 2]), leaving, arriving)
    assert curve.at(np.array([at]))[0, 0] == pytest.approx(value, abs=2e-3)
    np.testing.assert_allclose(curve.at(np.array([-1.0, 0.0, 1.0, 2.0]))[:, 0], [y[0], y[0], y[3], y[3]], atol=1e-9)


def test_placements_multiply_in_their_order() -> None:
    moves = [
        Move("translate", "", np.array([1.0, 0, 0])),
        Move("rotate", "", np.array([0.0, 0, 2, 90])),
        Move("scale", "", np.array([2.0, 3, 4])),
        Move("skew", "", np.array([45.0, 0, 1, 0, 1, 0, 0])),
    ]
    # (1, 1, 0) leans to (2, 1, 0), grows to (4, 3, 0), turns to (-3, 4, 0), moves to (-2, 4, 0).
    np.testing.assert_allclose(matrix_of(moves) @ [1, 1, 0, 1], [-2, 4, 0, 1], atol=1e-12)
    look = matrix_of([Move("lookat", "", np.array([0.0, 0, 5, 3, 0, 5, 0, 1, 0]))])
    np.testing.assert_allclose(look @ [0, 0, -2, 1], [2, 0, 5, 1], atol=1e-12)


def test_curves_of_single_components_move_what_they_name() -> None:
    """One angle of three, one coordinate, jumps and a whole turn between two keys."""
    text = collada_text(two_boxes()).replace(
        '<node id="n1" sid="j1" name="large"><matrix sid="transform">1.0 0.0 0.0 0.0 0.0 1.0 0.0 1.0 '
        "0.0 0.0 1.0 0.0 0.0 0.0 0.0 1.0</matrix>",
        '<node id="n1" sid="j1" name="large"><translate sid="where">0 1 0</translate>'
        '<rotate sid="turnY">0 1 0 0</rotate>',
    )
    assert "turnY" in text

    def source(key: str, kind: str, values: str, count: int) -> str:
        return (
            f'<source id="{key}"><{kind}_array id="{key}a">{values}</{kind}_array><technique_common>'
            f'<accessor source="#{key}a" count="{count}" stride="1"><param name="V"/></accessor></technique_common></source>'
        )

    def animation(key: str, values: str, how: str, target: str) -> str:
        return (
            f"<animation>{source(key + 'i', 'float', '0 1 2', 3)}{source(key + 'o', 'float', values, 3)}"
            f"{source(key + 'k', 'Name', how, 3)}"
            f'<sampler id="{key}"><input semantic="INPUT" source="#{key}i"/><input semantic="OUTPUT" source="#{key}o"/>'
            f'<input semantic="INTERPOLATION" source="#{key}k"/></sampler><channel source="#{key}" target="{target}"/>'
            "</animation>"
        )

    moving = animation("x", "0 360 360", "LINEAR LINEAR LINEAR", "n1/turnY.ANGLE")
    moving += animation("y", "1 4 9", "STEP STEP STEP", "n1/where.Y")
    moving += animation("z", "1 4 9", "STEP STEP STEP", "n1/where.NOTHING")
    text = text.replace("<library_animations>", "<library_animations>" + moving)
    scene = opened(text).scene
    assert any("1 curves" in note for note in scene.notes)
    [clip] = scene.clips
    node = next(n for n, one in enumerate(scene.nodes) if one.name == "large")
    for seconds, angle, height in (
        (0.0, 0, 1),
        (0.25, 90, 1),
        (0.5, 180, 1),
        (0.75, 270, 1),
        (1.25, 0, 4),
        (2.0, 0, 9),
    ):
        own = posed(scene, clip, seconds).nodes[node]
        x, y, z, w = own.rotation
        assert abs(y * np.cos(np.radians(angle) / 2) - w * np.sin(np.radians(angle) / 2)) < 2e-3, seconds
        assert (x, z) == pytest.approx((0, 0), abs=1e-6)
        assert own.translation[1] == pytest.approx(height), seconds


def changed(text: str, old: str, new: str) -> str:
    assert re.search(old, text) is not None, old
    return re.sub(old, new, text, count=1)


BOXES = collada_text(everything())
TOLD: dict[str, tuple[Callable[[], str], str]] = {
    "a corner beyond its points": (lambda: changed(BOXES, r"<p>0 ", "<p>99999 "), "corners that are no points"),
    "a corner below zero": (lambda: changed(BOXES, r"<p>0 ", "<p>-7 "), "corners that are no points"),
    "a place that is no number": (lambda: changed(BOXES, r'(id="g1-p-a" count="\d+">)\S+', r"\1nan"), "no points"),
    "polygons of 0, 1 and 2 corners": (lambda: changed(BOXES, "<vcount>3 3 3 3", "<vcount>0 1 2 3"), "too few corners"),
    "polygons beyond the list": (lambda: changed(BOXES, "<vcount>3", "<vcount>3000"), "no corners left"),
    "a skin of nobody": (lambda: changed(BOXES, r"<Name_array([^>]*)>j2", r"<Name_array\1>jaw"), "are no nodes"),
    "a picture of nowhere": (
        lambda: changed(BOXES, "<init_from>image0", "<init_from>none"),
        "is no picture",
    ),
    "a scene within itself": (
        lambda: changed(BOXES, '(<node id="n3"[^>]*>)', r'\1<instance_node url="#n2"/>'),
        "holds itself",
    ),
    "a geometry of nowhere": (lambda: changed(BOXES, 'url="#g1"', 'url="#g77"'), "not in the document"),
    "another document": (lambda: changed(BOXES, 'url="#g1"', 'url="../../etc/passwd#g1"'), "not in the document"),
}


@pytest.mark.parametrize(("change", "told"), TOLD.values(), ids=TOLD)
def test_what_cannot_be_used_is_told_and_the_rest_read(change: Callable[[], str], told: str) -> None:
    result = opened(change())
    words = " ".join(fault.line() for fault in result.faults)
    assert told in words
    assert "thing.dae" in words
    assert result.scene.meshes


def bomb(levels: int) -> str:
    entities = '<!ENTITY a0 "ha">' + "".join(f'<!ENTITY a{k} "&a{k - 1};&a{k - 1};">' for k in range(1, levels))
    return f'<?xml version="1.0"?><!DOCTYPE COLLADA [{entities}]><COLLADA>&a{levels - 1};</COLLADA>'


def many_times_over(levels: int) -> str:
    nodes = "".join(
        f'<node id="t{k}"><instance_node url="#t{k + 1}"/><instance_node url="#t{k + 1}"/></node>'
        for k in range(levels)
    )
    return changed(BOXES, '<visual_scene id="scene">', f'<visual_scene id="scene">{nodes}<node id="t{levels}"/>')


REFUSED: dict[str, tuple[Callable[[], bytes | str], ErrorCode, str]] = {
    "entities that multiply": (lambda: bomb(40), ErrorCode.BUDGET, "entities"),
    "nodes that multiply": (lambda: many_times_over(28), ErrorCode.BUDGET, "more nodes"),
    "ten thousand levels": (lambda: "<COLLADA>" + "<node>" * 10_000, ErrorCode.BUDGET, "levels"),
    "cut in the middle": (lambda: BOXES[: len(BOXES) // 2], ErrorCode.MALFORMED, "line"),
    "words among numbers": (
        lambda: changed(BOXES, r'(id="g1-p-a" count="\d+">)\S+', r"\1wing"),
        ErrorCode.MALFORMED,
        "wing",
    ),
    "no scene at all": (lambda: "<COLLADA/>", ErrorCode.MALFORMED, ""),
}


@pytest.mark.parametrize(("data", "code", "told"), REFUSED.values(), ids=REFUSED)
def test_what_is_wrong_is_refused_with_its_place(data: Callable[[], bytes | str], code: ErrorCode, told: str) -> None:
    try:
        result = opened(data(), context=Context(limits=Limits(nodes=5000)))
    except InputError as error:
        assert error.fault.code is code
        assert error.fault.file == "thing.dae"
        assert told in error.fault.line()
        return
    assert told == ""
    assert not result.scene.meshes


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def test_packages_hold_their_pictures_and_are_held_to_budgets() -> None:
    text = BOXES.replace("gradient.png", "../art/gradient.bmp").encode()
    manifest = b"<dae_root>models/thing.dae</dae_root>"
    data = zipped({"manifest.xml": manifest, "models/thing.dae": text, "art/gradient.bmp": PICTURE, "a.dae": b"<x/>"})
    scene = opened(data, "thing.zae").scene
    assert digest(scene) == digest(opened(zipped({"thing.dae": BOXES.encode()}), "thing.zae").scene)
    assert all(material.unresolved == () for material in scene.materials)
    for files, told in (({"x.dae": b" " * 50_000_000}, "implausibly"), ({"y.txt": b""}, "no document")):
        with pytest.raises(InputError, match=told):
            opened(zipped(files), "thing.zae")
    with pytest.raises(InputError, match="cannot be opened"):
        opened(data[: len(data) // 2], "thing.zae")

"""glTF by its specification: files written here word by word, and what must come out of them."""

from __future__ import annotations

import base64
import json
from typing import Any

import numpy as np
import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.deliver.deliver import deliver
from pruxel.core.deliver.proof import Outcome
from pruxel.core.formats.registry import FORMATS, ReadResult
from pruxel.core.scene.checks import problems
from pruxel.core.scene.measure import measure
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed, standing, stiff
from pruxel.core.scene.walk import world_from_local
from tests.glb import Glb

CONTEXT = Context()
FLOAT, BYTE, UBYTE, SHORT, USHORT, UINT = 5126, 5120, 5121, 5122, 5123, 5125
_WIDTHS = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
_CODES = {"f4": FLOAT, "i1": BYTE, "u1": UBYTE, "i2": SHORT, "u2": USHORT, "u4": UINT}
QUAD = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32)


class Book(Glb):
    """A document under construction."""

    @classmethod
    def empty(cls) -> Book:
        document: dict[str, Any] = {
            "asset": {"version": "2.0"},
            "buffers": [{"byteLength": 0}],
            "bufferViews": [],
            "accessors": [],
            "meshes": [],
            "nodes": [],
            "scenes": [{"nodes": []}],
            "scene": 0,
        }
        return cls(document)

    def put(self, values: Any, kind: str = "f4", **more: Any) -> int:
        """An accessor of an array of its own."""
        array = np.ascontiguousarray(values, f"<{kind}")
        view = self.view(array.tobytes())
        width = 1 if array.ndim == 1 else array.shape[1]
        accessor = {"bufferView": view, "componentType": _CODES[kind], "count": len(array), "type": _WIDTHS[width]}
        self.document["accessors"].append(accessor | more)
        return len(self.document["accessors"]) - 1

    def view(self, data: bytes, **more: Any) -> int:
        at = len(self.binary)
        self.binary += data + b"\0" * (-len(data) % 4)
        self.document["buffers"][0]["byteLength"] = len(self.binary)
        self.document["bufferViews"].append({"buffer": 0, "byteOffset": at, "byteLength": len(data)} | more)
        return len(self.document["bufferViews"]) - 1

    def part(self, primitive: dict[str, Any], node: dict[str, Any] | None = None, **mesh: Any) -> int:
        self.document["meshes"].append({"primitives": [primitive]} | mesh)
        self.document["nodes"].append({"mesh": len(self.document["meshes"]) - 1} | (node or {}))
        self.document["scenes"][0]["nodes"].append(len(self.document["nodes"]) - 1)
        return len(self.document["nodes"]) - 1


def read(book: Book) -> ReadResult:
    reader = FORMATS.get("glb").read
    assert reader is not None
    found = reader(memoryview(book.bytes()), "book.glb", lambda _: None, CONTEXT)
    assert problems(found.scene) == []
    return found


def scene_of(book: Book) -> Scene:
    found = read(book)
    assert found.faults == ()
    return found.scene


def only(scene: Scene) -> Any:
    [mesh] = scene.meshes
    [primitive] = mesh.primitives
    return primitive


@pytest.mark.parametrize(
    ("mode", "indices", "triangles"),
    [
        (4, [0, 1, 2, 0, 2, 3], [(0, 1, 2), (0, 2, 3)]),
        (5, [0, 1, 3, 2], [(0, 1, 3), (1, 2, 3)]),  # a strip turns every second one
        (6, [0, 1, 2, 3], [(0, 1, 2), (0, 2, 3)]),
        (6, None, [(0, 1, 2), (0, 2, 3)]),
        (4, [0, 1, 2, 0, 2, 3, 1], [(0, 1, 2), (0, 2, 3)]),  # what is left over belongs to no triangle
    ],
)
def test_triangles_in_all_their_modes(mode: int, indices: list[int] | None, triangles: list[tuple[int, ...]]) -> None:
    book = Book.empty()
    primitive: dict[str, Any] = {"attributes": {"POSITION": book.put(QUAD)}, "mode": mode}
    if indices is not None:
        primitive["indices"] = book.put(indices, "u2")
    book.part(primitive)
    found = only(read(book).scene)
    corners = {tuple(sorted(map(tuple, found.positions[t].tolist()))) for t in found.indices}
    assert corners == {tuple(sorted(map(tuple, QUAD[list(t)].tolist()))) for t in triangles}
    facing = np.cross(
        found.positions[found.indices[:, 1]] - found.positions[found.indices[:, 0]],
        found.positions[found.indices[:, 2]] - found.positions[found.indices[:, 0]],
    )
    assert (facing[:, 2] > 0).all(), "all of them face the same way"


@pytest.mark.parametrize(("mode", "rows"), [(0, 4), (1, 2), (2, 4), (3, 3)])
def test_points_and_lines_become_strokes(mode: int, rows: int) -> None:
    book = Book.empty()
    book.part({"attributes": {"POSITION": book.put(QUAD)}, "mode": mode})
    [mesh] = scene_of(book).meshes
    [strokes] = mesh.strokes
    assert strokes.indices.shape == (rows, 1 if mode == 0 else 2)
    assert not mesh.primitives


@pytest.mark.parametrize(
    ("kind", "stored", "meant"),
    [
        ("u1", [0, 128, 255], [0, 128 / 255, 1]),
        ("i1", [-128, 0, 127], [-1, 0, 1]),
        ("u2", [0, 65535, 13107], [0, 1, 0.2]),
        ("i2", [-32768, -32767, 32767], [-1, -1, 1]),
    ],
)
def test_normalized_integers_mean_shares(kind: str, stored: list[int], meant: list[float]) -> None:
    book = Book.empty()
    uvs = np.stack([stored, stored], axis=1)
    attributes = {
        "POSITION": book.put(QUAD[:3]),
        "TEXCOORD_0": book.put(uvs, kind, normalized=True),
    }
    book.document["extensionsUsed"] = ["KHR_mesh_quantization"]
    book.part({"attributes": attributes})
    np.testing.assert_allclose(only(scene_of(book)).uvs[0][:, 0], meant, atol=1e-6)


def test_rows_may_stand_apart_and_share_a_view() -> None:
    book = Book.empty()
    rows = np.zeros(4, [("p", "<f4", 3), ("n", "<f4", 3), ("uv", "<u2", 2)])
    rows["p"], rows["n"], rows["uv"] = QUAD, (0, 0, 1), [[0, 0], [65535, 0], [65535, 65535], [0, 65535]]
    view = book.view(rows.tobytes(), byteStride=28)
    for at, kind, width, more in (
        (0, FLOAT, "VEC3", {}),
        (12, FLOAT, "VEC3", {}),
        (24, USHORT, "VEC2", {"normalized": True}),
    ):
        book.document["accessors"].append(
            {"bufferView": view, "byteOffset": at, "componentType": kind, "count": 4, "type": width} | more
        )
    book.part(
        {"attributes": {"POSITION": 0, "NORMAL": 1, "TEXCOORD_0": 2}, "indices": book.put([0, 1, 2, 0, 2, 3], "u1")}
    )
    found = only(scene_of(book))
    np.testing.assert_array_equal(found.positions, QUAD)
    np.testing.assert_allclose(found.uvs[0], QUAD[:, :2])


@pytest.mark.parametrize("based", [True, False])
def test_sparse_accessors_lie_over_a_base_or_over_zeros(based: bool) -> None:
    book = Book.empty()
    accessor = book.put(QUAD)
    described = book.document["accessors"][accessor]
    described["sparse"] = {
        "count": 2,
        "indices": {"bufferView": book.view(np.array([1, 3], "<u2").tobytes()), "componentType": USHORT},
        "values": {"bufferView": book.view(np.array([[5, 6, 7], [8, 9, 1]], "<f4").tobytes())},
    }
    if not based:
        del described["bufferView"]
    book.part({"attributes": {"POSITION": accessor}, "indices": book.put([0, 1, 3], "u1")})
    expected = QUAD.copy() if based else np.zeros_like(QUAD)
    expected[[1, 3]] = [[5, 6, 7], [8, 9, 1]]
    found = only(scene_of(book))
    np.testing.assert_array_equal(found.positions[found.indices[0]], expected[[0, 1, 3]])


def test_sets_of_coordinates_colours_and_influences_are_all_kept() -> None:
    book = Book.empty()
    count = 4
    attributes = {"POSITION": book.put(QUAD), "NORMAL": book.put(np.tile((0, 0, 1.0), (4, 1)))}
    for n in range(3):
        attributes[f"TEXCOORD_{n}"] = book.put(QUAD[:, :2] * (n + 1))
    attributes["COLOR_0"] = book.put(np.full((count, 3), 0.5))
    attributes["COLOR_1"] = book.put(np.full((count, 4), 255), "u1", normalized=True)
    for n in range(2):
        attributes[f"JOINTS_{n}"] = book.put(np.full((count, 4), n), "u1")
        attributes[f"WEIGHTS_{n}"] = book.put(np.full((count, 4), 0.125))
    attributes["_HEAT"] = book.put(np.arange(count))
    node = book.part({"attributes": attributes, "indices": book.put([0, 1, 2], "u2")}, {"skin": 0})
    book.document["nodes"] += [{"name": "a"}, {"name": "b"}]
    book.document["scenes"][0]["nodes"] += [node + 1, node + 2]
    book.document["skins"] = [{"joints": [node + 1, node + 2]}]
    scene = scene_of(book)
    found = only(scene)
    assert len(found.uvs) == 3
    assert [c.shape for c in found.colors] == [(4, 4), (4, 4)]
    assert found.joints.shape == found.weights.shape == (4, 8)
    np.testing.assert_allclose(found.weights.sum(axis=1), 1.0)
    [heat] = found.attributes
    assert "HEAT" in heat.name
    assert scene.skins[0].inverse_bind.shape == (2, 4, 4)
    np.testing.assert_array_equal(scene.skins[0].inverse_bind, [np.eye(4)] * 2)


def test_instances_stand_where_they_are_told(tmp_path: Any) -> None:
    book = Book.empty()
    spots = np.array([[0, 0, 0], [2, 0, 0], [0, 3, 0]], np.float32)
    turns = np.array([[0, 0, 0, 1], [0, 0, 0.70710678, 0.70710678], [0, 0, 0, 1]], np.float32)
    instances = {"attributes": {"TRANSLATION": book.put(spots), "ROTATION": book.put(turns)}}
    book.document["extensionsUsed"] = book.document["extensionsRequired"] = ["EXT_mesh_gpu_instancing"]
    book.part(
        {"attributes": {"POSITION": book.put(QUAD)}, "indices": book.put([0, 1, 2], "u1")},
        {"translation": [10, 0, 0], "extensions": {"EXT_mesh_gpu_instancing": instances}},
    )
    scene = scene_of(book)
    placed = [mesh.primitives[0].positions for _, _, mesh in standing(scene)]
    assert len(placed) == 3
    low = sorted(tuple(np.round(p.min(axis=0), 4).tolist()) for p in placed)
    assert low == [(10.0, 0.0, 0.0), (10.0, 3.0, 0.0), (11.0, 0.0, 0.0)]
    assert len(scene.meshes) == 1
    report = deliver([scene], "thing", ["glb"], tmp_path, CONTEXT)
    assert report.outcome is Outcome.PROVEN


def test_a_matrix_that_no_parts_give_is_kept() -> None:
    book = Book.empty()
    sheared = np.eye(4)
    sheared[0, 1] = 0.5
    indices = book.put([0, 1, 2, 0, 2, 3], "u1")
    matrix = sheared.T.ravel().tolist()
    book.part({"attributes": {"POSITION": book.put(QUAD)}, "indices": indices}, {"matrix": matrix})
    scene = scene_of(book)
    np.testing.assert_allclose(world_from_local(scene)[0], sheared)
    [(_, _, mesh)] = standing(scene)
    assert measure(scene).maximum[0] == pytest.approx(1.5)
    assert mesh.primitives[0].positions[:, 0].max() == pytest.approx(1.5)


def test_cubic_splines_are_what_the_specification_says() -> None:
    book = Book.empty()
    times, keys = [0.0, 2.0], np.zeros((6, 3), np.float32)
    keys[1], keys[2], keys[3], keys[4] = (0, 0, 0), (1, 0, 0), (0, 1, 0), (4, 0, 0)  # value, out, in, value
    node = book.part({"attributes": {"POSITION": book.put(QUAD[:3])}})
    book.document["animations"] = [
        {
            "name": "glide",
            "channels": [{"sampler": 0, "target": {"node": node, "path": "translation"}}],
            "samplers": [{"input": book.put(times), "output": book.put(keys), "interpolation": "CUBICSPLINE"}],
        }
    ]
    scene = scene_of(book)
    for share in (0.0, 0.25, 0.5, 1.0):
        # Appendix C: p(t) = (2t³-3t²+1)p0 + d(t³-2t²+t)m0 + (-2t³+3t²)p1 + d(t³-t²)m1
        t, d = share, 2.0
        x = d * (t**3 - 2 * t**2 + t) * 1 + (-2 * t**3 + 3 * t**2) * 4
        y = d * (t**3 - t**2) * 1
        moved = posed(scene, scene.clips[0], share * 2.0).nodes[0].translation
        np.testing.assert_allclose(moved, (x, y, 0), atol=1e-5)


def test_targets_move_what_they_say(tmp_path: Any) -> None:
    book = Book.empty()
    target = {"POSITION": book.put(np.full((4, 3), (0, 0, 2.0))), "NORMAL": book.put(np.zeros((4, 3)))}
    book.part(
        {
            "attributes": {"POSITION": book.put(QUAD), "NORMAL": book.put(np.tile((0, 0, 1.0), (4, 1)))},
            "indices": book.put([0, 1, 2], "u1"),
            "targets": [target],
        },
        {"weights": [0.25]},
        weights=[0.75],
        extras={"targetNames": ["lift"]},
    )
    scene = scene_of(book)
    assert only(scene).targets[0].name == "lift"
    # A node's own weights count before its mesh's (section 3.7.2.2).
    [(_, _, mesh)] = standing(stiff(scene))
    np.testing.assert_allclose(mesh.primitives[0].positions[:, 2], 0.5)
    assert deliver([scene], "thing", ["glb"], tmp_path, CONTEXT).outcome is Outcome.PROVEN


def test_cameras_lights_and_extras_come_along() -> None:
    book = Book.empty()
    node = book.part(
        {"attributes": {"POSITION": book.put(QUAD[:3])}}, {"extras": {"owner": "the reef", "deep": [1, {"a": None}]}}
    )
    book.document["cameras"] = [
        {"type": "perspective", "perspective": {"yfov": 0.7, "znear": 0.1, "zfar": 50}},
        {"type": "orthographic", "orthographic": {"xmag": 2, "ymag": 3, "znear": 0, "zfar": 10}},
    ]
    lights = [{"type": "spot", "name": "lamp", "intensity": 7, "spot": {"innerConeAngle": 0.1, "outerConeAngle": 0.4}}]
    book.document |= {
        "extensionsUsed": ["KHR_lights_punctual"],
        "extensions": {"KHR_lights_punctual": {"lights": lights}},
    }
    book.document["nodes"] += [{"camera": 0}, {"camera": 1}, {"extensions": {"KHR_lights_punctual": {"light": 0}}}]
    book.document["scenes"][0]["nodes"] += [node + 1, node + 2, node + 3]
    scene = scene_of(book)
    assert [c.yfov_rad for c in scene.cameras] == [pytest.approx(0.7), None]
    assert (scene.cameras[1].xmag, scene.cameras[1].ymag) == (2, 3)
    assert (scene.lights[0].kind, scene.lights[0].intensity) == ("spot", 7)
    assert json.loads(scene.nodes[node].extras) == {"owner": "the reef", "deep": [1, {"a": None}]}


def test_what_is_not_taken_over_is_told_by_name() -> None:
    book = Book.empty()
    book.document["extensionsUsed"] = ["VND_glitter", "KHR_materials_variants"]
    book.part(
        {"attributes": {"POSITION": book.put(QUAD)}, "extensions": {"VND_glitter": {"much": 3}}},
        {"extensions": {"VND_glitter": {"more": 4}}},
    )
    notes = " ".join(read(book).scene.notes)
    assert "VND_glitter" in notes


def test_a_broken_part_is_left_out_and_the_others_stay() -> None:
    book = Book.empty()
    good = {"attributes": {"POSITION": book.put(QUAD)}, "indices": book.put([0, 1, 2], "u1")}
    bad = {"attributes": {"POSITION": book.put(QUAD)}, "indices": book.put([0, 1, 99], "u1")}
    book.part(good, {"name": "good"})
    book.part(bad, {"name": "bad"})
    book.part(good, {"name": "fine"})
    found = read(book)
    assert [fault.file for fault in found.faults] == ["book.glb"]
    assert "99" in found.faults[0].line()
    assert sum(len(p.indices) for m in found.scene.meshes for p in m.primitives) >= 2


@pytest.mark.parametrize(
    "break_it",
    [
        lambda d: d["nodes"].append({"children": [len(d["nodes"])]}),
        lambda d: d.update(nodes=[{"children": [1]}, {"children": [0]}]),
        lambda d: d["scenes"][0].update(nodes=[7]),
        lambda d: d.update(scene=4),
        lambda d: d["asset"].update(version="3.0", minVersion="3.0"),
        lambda d: d["accessors"][0].update(type="VEC9"),
        lambda d: d["accessors"][0].update(count=-1),
        lambda d: d["bufferViews"][0].update(byteStride=3),
        lambda d: d.update(meshes="none"),
        lambda d: d["meshes"][0].update(primitives=[[]]),
    ],
)
def test_what_the_specification_forbids_is_refused_or_told(break_it: Any) -> None:
    book = Book.empty()
    book.part({"attributes": {"POSITION": book.put(QUAD)}, "indices": book.put([0, 1, 2], "u1")})
    break_it(book.document)
    try:
        found = read(book)
    except InputError as error:
        assert error.fault.file == "book.glb"
        assert error.fault.field or error.fault.expected or error.fault.hint
        return
    assert found.faults or found.scene.notes


def test_images_may_be_data_addresses_and_buffers_too() -> None:
    book = Book.empty()
    book.part({"attributes": {"POSITION": book.put(QUAD)}, "indices": book.put([0, 1, 2], "u1")})
    whole = base64.b64encode(bytes(book.binary)).decode()
    book.document["buffers"][0]["uri"] = f"data:application/octet-stream;base64,{whole}"
    reader = FORMATS.get("gltf").read
    assert reader is not None
    text = json.dumps(book.document).encode()
    scene = reader(memoryview(text), "book.gltf", lambda _: None, CONTEXT).scene
    np.testing.assert_array_equal(only(scene).positions[:3], QUAD[:3])

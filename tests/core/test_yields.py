"""What layouts yield, from files put together by hand: each as some formats have it and others do not."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
import pytest

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.binary.conventions import Conventions
from pruxel.core.binary.load import load_layout
from pruxel.core.binary.schema import Layout
from pruxel.core.extract.clips import LooseClip, read_clips
from pruxel.core.extract.clips_on_scene import with_clips
from pruxel.core.extract.file import ParsedFile, first_that_reads, parse_file
from pruxel.core.extract.level import Level, read_level
from pruxel.core.extract.markers import with_markers
from pruxel.core.extract.meshes import LooseModel, read_model
from pruxel.core.extract.skeleton import read_skeleton
from pruxel.core.geometry.transforms import compose
from pruxel.core.knowledge.kinds import layouts_for
from pruxel.core.scene.checks import problems
from pruxel.core.scene.model import Node, Primitive, Scene
from pruxel.core.scene.pose import posed
from pruxel.core.scene.walk import world_from_local

SQUARE = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)], "<f4")


def file_of(records: str, yields: str, data: bytes, head: str = "", **named: memoryview) -> ParsedFile:
    """A file read by a layout of these records of `file` (and others) and these sections."""
    text = f"layout: odd\n{head}\nrecords:\n{records}\nyields:\n{yields}\n"
    return parse_file(memoryview(data), load_layout(text, "odd.yaml"), "a/odd.bin", Conventions(), Context(), named.get)


def model_of(records: str, yields: str, data: bytes, head: str = "", **named: memoryview) -> LooseModel:
    found = read_model(file_of(records, yields, data, head, **named), Context())
    assert problems(found.scene) == []
    return found


def only(model: LooseModel) -> Primitive:
    assert model.faults == []
    [primitive] = [p for mesh in model.scene.meshes for p in mesh.primitives]
    return primitive


def refused(code: ErrorCode, words: str, records: str, yields: str, data: bytes) -> None:
    with pytest.raises(InputError) as caught:
        read_model(file_of(records, yields, data), Context())
    assert caught.value.fault.code is code
    assert words in caught.value.fault.line()


def test_a_soup_without_any_list_of_corners() -> None:
    data = SQUARE[[0, 1, 2, 0, 2, 3]].tobytes()
    primitive = only(
        model_of(
            "  file: [{name: all, type: bytes, size: file_end}]",
            "  meshes: {vertices: {data: all, elements: {position: {type: f32x3}}}}",
            data,
        )
    )
    assert primitive.indices.tolist() == [[0, 1, 2], [3, 4, 5]]


@pytest.mark.parametrize("flags", range(8))
def test_attributes_that_are_not_there_shift_those_behind_them(flags: int) -> None:
    """One block, a flag for each attribute: normals packed into 10-10-10-2, colours 5-6-5, UVs as halves."""
    rows = []
    for number, point in enumerate(SQUARE):
        row = point.tobytes()
        row += struct.pack("<I", 511 << 20) if flags & 1 else b""
        row += struct.pack("<H", 31 << 11 if number else 0) if flags & 2 else b""
        row += np.array((number / 4, 0.5), "<f2").tobytes() if flags & 4 else b""
        rows.append(row)
    data = bytes([flags]) + b"".join(rows)
    records = "  file: [{name: flags, type: u8}, {name: block, type: bytes, size: file_end - here}]"
    yields = """
  meshes:
    vertices:
      data: block
      count: 4
      elements:
        position: {type: f32x3}
        normal: {type: snorm10_10_10_2, when: flags & 1}
        color1: {type: u16, when: flags & 2}
        uv0: {type: f16x2, when: flags & 4}
    triangles: {corners: range(4), shape: quads}
"""
    # The colour's raw words come along; another section could unpack them: here the stride is what matters.
    if flags & 2:
        yields = yields.replace("color1: {type: u16, when: flags & 2}", "ignored: {type: u16, when: flags & 2}")
    primitive = only(model_of(records, yields, data))
    assert np.array_equal(primitive.positions, SQUARE)
    assert primitive.normals is not None
    assert np.allclose(primitive.normals, (0, 0, 1))
    assert [uv.tolist() for uv in primitive.uvs] == ([[[n / 4, 0.5] for n in range(4)]] if flags & 4 else [])


def test_attributes_in_blocks_of_their_own_and_packed_ones() -> None:
    data = (
        SQUARE.tobytes()
        + np.array([0, 31 << 11, 63 << 5, 31], "<u2").tobytes()
        + bytes([0, 0, 255, 0, 255, 255, 0, 255])
    )
    records = """
  file:
    - {name: points, type: f32x3, count: 4}
    - {name: colors, type: u16, count: 4}
    - {name: uvs, type: unorm8x2, count: 4}
"""
    yields = """
  meshes:
    vertices: {elements: {position: points, color: "unpack_unorm(colors, 5, 6, 5)[:, vec(2, 1, 0)]", uv0: uvs}}
    triangles: {corners: range(4), shape: fan}
"""
    primitive = only(model_of(records, yields, data))
    assert primitive.colors[0].tolist() == [[0, 0, 0, 1], [1, 0, 0, 1], [0, 1, 0, 1], [0, 0, 1, 1]]
    assert primitive.uvs[0].tolist() == [[0, 0], [1, 0], [1, 1], [0, 1]]
    assert primitive.indices.tolist() == [[0, 1, 2], [0, 2, 3]]


PARTS = """
  file:
    - {name: pool, type: f32x3, count: 8}
    - {name: corners, type: u16, count: 12}
    - {name: parts, type: part, count: 3}
  part:
    - {name: first, type: u8}
    - {name: count, type: u8}
    - {name: base, type: u8}
    - {name: kind, type: u8}
"""


def test_parts_share_a_pool_by_ranges_and_bases_and_some_are_left_out() -> None:
    pool = np.concatenate([SQUARE, SQUARE + (0, 0, 5)]).astype("<f4")
    corners = np.array([0, 1, 2, 0, 2, 3, 0, 1, 2, 0, 1, 3], "<u2")
    data = pool.tobytes() + corners.tobytes() + bytes([0, 6, 0, 1, 6, 3, 4, 1, 9, 3, 0, 7])
    yields = """
  meshes:
    each: parts
    where: kind != 7
    name: "'part ' + text(row)"
    vertices: {elements: {position: pool}}
    triangles: {corners: "corners[first:first + count]", base: base}
"""
    model = model_of(PARTS, yields, data)
    assert [node.name for node in model.scene.nodes] == ["part 0", "part 1"]
    first, second = (mesh.primitives[0] for mesh in model.scene.meshes)
    assert len(second.positions) == 3
    assert np.array_equal(second.positions[second.indices[0]], pool[[4, 5, 6]])
    assert np.array_equal(first.positions[first.indices], pool[corners[:6].reshape(2, 3)])


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({25: 9}, "index 0 is out of range; expected 0 to 7; found 9"),
        ({96: 11, 97: 0}, None),
        ({121: 250}, "no stretch of 12 items"),
    ],
)
def test_a_bad_part_is_left_out_and_told(change: dict[int, int], words: str | None) -> None:
    corners = np.array([0, 1, 2, 0, 2, 3, 0, 1, 2, 0, 1, 3], "<u2")
    data = bytearray(
        np.concatenate([SQUARE, SQUARE]).astype("<f4").tobytes()
        + corners.tobytes()
        + bytes([0, 3, 0, 1, 3, 3, 0, 1, 9, 3, 0, 7])
    )
    for at, byte in change.items():
        data[at if at >= 96 else 96 + 6 if at == 25 else at] = byte
    yields = '  meshes: {each: parts, vertices: {elements: {position: pool}}, triangles: {corners: "corners[first:first + count]"}}'
    found = read_model(file_of(PARTS, yields, bytes(data)), Context())
    assert (len(found.scene.nodes), len(found.scene.meshes), len(found.faults)) == (3, 2, 1)
    assert words is None or words in found.faults[0].line()


RIG = """
  file:
    - {name: joints, type: joint, count: 3}
    - {name: rest, type: bytes, size: file_end - here}
  joint:
    - {name: title, type: text, size: 4}
    - {name: parent, type: i8}
    - {name: numbers, type: f32x16}
"""
TREE = [("tip", 1, (0, 0, 3)), ("mid", 2, (0, 0, 2)), ("root", -1, (0, 0, 1))]


def rig(kind: str, rest: bytes = b"") -> bytes:
    """Three joints, children first; numbers are (1,2,3) steps of one metre along z, each turned about z."""
    turn = (0, 0, np.sin(0.2), np.cos(0.2))
    out = b""
    worlds = {name: compose(at, turn, (1, 1, 1)) for name, _, at in TREE}
    for name, parent, _ in TREE:
        world = worlds[name]
        local = world if parent < 0 else np.linalg.inv(worlds[TREE[parent][0]]) @ world
        stored = {"model": world, "inverse": np.linalg.inv(world), "parent": local}[kind]
        out += struct.pack("<4sb", name.encode(), parent) + stored.T.astype("<f4").tobytes()
    return out + rest


@pytest.mark.parametrize("kind", ["model", "inverse", "parent"])
def test_joints_in_any_order_by_any_kind_of_matrix(kind: str) -> None:
    yields = f"  skeletons: {{joints: joints, joint: title, parent: parent, matrix: \"matrix(numbers, 'columns')\", relative_to: {kind}}}"
    scene = read_skeleton(file_of(RIG, yields, rig(kind)), Context())
    assert problems(scene) == []
    assert [(n.name, n.children) for n in scene.nodes] == [("tip", ()), ("mid", (0,)), ("root", (1,))]
    assert np.allclose(world_from_local(scene)[:, :3, 3], [at for _, _, at in TREE], atol=1e-5)
    assert np.allclose(world_from_local(scene) @ scene.skins[0].inverse_bind, np.eye(4), atol=1e-6)


@pytest.mark.parametrize(("parents", "code"), [((1, 0, -1), "ring"), ((0, 2, -1), "ring"), ((1, 9, -1), "not there")])
def test_rings_and_parents_that_are_not_there_are_told(parents: tuple[int, ...], code: str) -> None:
    data = bytearray(rig("model"))
    for number, parent in enumerate(parents):
        data[number * 69 + 4] = parent & 255
    yields = "  skeletons: {joints: joints, parent: parent, matrix: matrix(numbers, 'columns'), relative_to: model}"
    yields = yields.replace("matrix(numbers, 'columns')", "\"matrix(numbers, 'columns')\"")
    with pytest.raises(InputError) as caught:
        read_skeleton(file_of(RIG, yields, bytes(data)), Context())
    assert caught.value.fault.code is ErrorCode.REFERENCE
    assert code in caught.value.fault.line()


@pytest.mark.parametrize(
    ("joints", "weights", "extra", "wanted"),
    [
        ("u8x1", None, "", [[(2, 1)], [(0, 1)], [(1, 1)], [(1, 1)]]),
        ("u8x2", "u8x2", "", [[(2, 0.6), (1, 0.4)], [(0, 1)], [(1, 0.25), (2, 0.75)], [(1, 1)]]),
        ("u8x2", "unorm8x1", "", None),
        ("i16x2", "f32x2", "", [[(2, 0.6), (1, 0.4)], [(0, 1)], [], [(1, 1)]]),
        ("u8x2", "u16x2", 'palette: "vec(2, 1, 0)"\n    no_joint: 255', None),
    ],
)
def test_weights_in_every_usual_shape(joints: str, weights: str | None, extra: str, wanted: Any) -> None:
    width = int(joints[-1])
    given = np.array([[2, 1], [0, 0], [1, 2], [1, 1]])[:, :width]
    pulls = np.array([[0.6, 0.4], [1, 0], [0.25, 0.75], [1, 0]])
    if joints.startswith("i16"):
        given = np.where(np.array([[0], [0], [1], [0]]) == 1, -1, given)
    if "palette" in extra:
        given = np.array([[0, 1], [2, 255], [1, 0], [1, 255]])
        wanted = [[(2, 0.6), (1, 0.4)], [(0, 1)], [(1, 0.25), (2, 0.75)], [(1, 1)]]
    data = SQUARE.tobytes() + given.astype("<" + {"u8": "u1", "i16": "i2"}[joints.split("x", maxsplit=1)[0]]).tobytes()
    lines = f"        position: points\n        joints: {'{'}value: joint_numbers{'}'}\n"
    records = f"  file:\n    - {{name: points, type: f32x3, count: 4}}\n    - {{name: joint_numbers, type: {joints}, count: 4}}\n"
    if weights is not None:
        stored = pulls[:, : int(weights[-1])]
        scale, code = {"u8": (255, "u1"), "unorm8": (255, "u1"), "u16": (65535, "<u2"), "f32": (1, "<f4")}[
            weights.split("x")[0]
        ]
        data += (np.round(stored * scale) if scale > 1 else stored).astype(code).tobytes()
        records += f"    - {{name: pulls, type: {weights}, count: 4}}\n"
        lines += "        weights: pulls\n"
        wanted = wanted or [[(2, 0.6), (1, 0.4)], [(0, 1)], [(1, 0.25), (2, 0.75)], [(1, 1)]]
    yields = f"  meshes:\n    {extra}\n    vertices:\n      elements:\n{lines}    triangles: {{corners: range(4), shape: quads}}\n"
    primitive = only(model_of(records, yields, data))
    assert primitive.joints is not None
    assert primitive.weights is not None
    for row, pull, expected in zip(primitive.joints.tolist(), primitive.weights.tolist(), wanted, strict=True):
        found = {joint: weight for joint, weight in zip(row, pull, strict=True) if weight > 0}
        assert found == pytest.approx(dict(expected), abs=0.004)


CLIP = "  file: [{name: keys, type: f32, count: file_end // 4}]"


def clips_of(yields: str, keys: np.ndarray, skeleton: Scene | None = None) -> tuple[LooseClip, ...]:
    del skeleton
    return read_clips(file_of(CLIP, yields, keys.astype("<f4").tobytes()), Context())


def test_keys_by_frame_joint_and_channel_of_which_clips_are_ranges() -> None:
    """Five frames of two joints, seven numbers each; two clips share them; the rate is one for all."""
    keys = np.zeros((5, 2, 7))
    keys[:, :, 3:] = (0, 0, 0, 1)
    keys[:, 1, 0] = np.arange(5)
    yields = """
  clips:
    each: 2
    name: "'walk' if row == 0 else 'rest'"
    rate: 10
    tracks: 2
    joint: row
    translation: "grid(keys, 5, 2, 7)[:, row, 0:3]"
    rotation: "grid(keys, 5, 2, 7)[:, row, 3:7]"
    first: 0 if clip == 0 else 3
    count: 3 if clip == 0 else 2
"""
    # A track sees the row of its own; the clip's is kept under a name.
    yields = yields.replace("    each: 2\n", "    each: clips\n")
    records = "  file: [{name: keys, type: f32, count: 70}, {name: clips, type: clip, count: 2}]\n  clip: [{name: clip, type: u8}]"
    found = read_clips(file_of(records, yields, keys.astype("<f4").tobytes() + bytes([0, 1])), Context())
    assert [(clip.name, clip.frames) for clip in found] == [("walk", 3), ("rest", 2)]
    moved = next(t for t in found[1].tracks if t.joint == 1 and t.path == "translation")
    assert moved.values[:, 0].tolist() == [3, 4]
    assert np.allclose(moved.times, [0, 0.1])


def test_frames_have_normals_of_their_own_in_our_axes() -> None:
    """Two frames of a triangle in a file whose up is z: the second lies on its side."""
    flat, steep = SQUARE[:3], SQUARE[:3][:, [0, 2, 1]]
    frames = [(flat, (0, 0, 1)), (steep, (0, -1, 0))]
    data = b"".join(points.tobytes() + np.array([normal] * 3, "<f4").tobytes() for points, normal in frames)
    records = """
  file: [{name: frames, type: frame, count: 2}]
  frame: [{name: points, type: f32x3, count: "3"}, {name: normals, type: f32x3, count: "3"}]
"""
    yields = """
  meshes:
    vertices: {elements: {position: "frames[0].points", normal: "frames[0].normals"}}
    frames: {each: frames, position: points, normal: normals, clips: one}
"""
    primitive = only(model_of(records, yields, data, "conventions: {axes: [x, z, '-y']}"))
    assert primitive.normals is not None
    target = primitive.targets[1]
    assert target.normals is not None
    assert np.allclose(primitive.normals, (0, 1, 0))
    assert np.allclose(primitive.normals + target.normals, (0, 0, 1))
    assert np.allclose(primitive.positions + target.positions, steep[:, [0, 2, 1]] * (1, 1, -1))


def test_sparse_frames_and_constant_channels() -> None:
    yields = """
  clips:
    tracks: 1
    joint: "'tip'"
    rate: 20
    translation: vec(1, 2, 3)
    scale: rows(keys, 1)
    frames: vec(0, 4, 10)
"""
    slow = file_of(
        CLIP,
        yields.replace("    rate: 20\n", ""),
        np.array([1, 2, 4], "<f4").tobytes(),
        "conventions: {frame_rate: 10}",
    )
    assert np.allclose(read_clips(slow, Context())[0].tracks[1].times, [0, 0.4, 1.0])
    [clip] = clips_of(yields, np.array([1, 2, 4]))
    still, grown = clip.tracks
    assert (still.path, still.values.tolist(), still.times.tolist()) == ("translation", [[1, 2, 3]], [0])
    assert np.allclose(grown.times, [0, 0.2, 0.5])
    assert grown.values.tolist() == [[1] * 3, [2] * 3, [4] * 3]
    with pytest.raises(InputError, match="times of a track"):
        clips_of(yields.replace("vec(0, 4, 10)", "vec(0, 4, 2)"), np.array([1, 2, 4]))


def test_matrices_of_the_model_put_each_joint_where_they_say() -> None:
    skeleton = read_skeleton(
        file_of(
            RIG,
            "  skeletons: {joints: joints, joint: title, parent: parent, matrix: \"matrix(numbers, 'columns')\", relative_to: model}",
            rig("model"),
        ),
        Context(),
    )
    rng = np.random.default_rng(5)
    worlds = np.array(
        [[compose(rng.uniform(-2, 2, 3), rng.normal(size=4), (1, 1, 1)) for _ in range(3)] for _ in range(4)]
    )
    yields = """
  clips:
    tracks: 3
    rate: 10
    matrix: "matrix(grid(keys, 4, 3, 16)[:, row])"
    relative_to: model
"""
    scene, share = with_clips(skeleton, clips_of(yields, worlds))
    assert share == 1
    for frame in range(4):
        found = world_from_local(posed(scene, scene.clips[0], frame / 10))
        assert np.allclose(found, worlds[frame], atol=1e-4)


def level_of(yields: str, data: bytes, records: str) -> Level:
    return read_level(file_of(records, yields, data))


def test_a_level_row_by_row_with_computed_paths_and_turns_in_degrees() -> None:
    records = """
  file:
    - {name: props, type: prop, until: end}
  prop:
    - {name: kind, type: u8}
    - {name: place, type: f32x3}
    - {name: heading, type: i16, note: degrees}
"""
    rows = [(3, (1, 2, 3), 90), (255, (0, 0, 0), 0), (12, (4, 5, 6), -45)]
    data = b"".join(struct.pack("<B3fh", kind, *place, heading) for kind, place, heading in rows)
    yields = """
  placements:
    each: props
    where: kind != 255
    model: "'props/p' + text(kind, 3) + '.mdl'"
    translation: place
    rotation: "axis_angle(vec(0, 1, 0), radians(heading))"
    scale: 2
"""
    level = level_of(yields, data, records)
    assert level.models == ("props/p003.mdl", "props/p012.mdl")
    assert level.placements.positions.tolist() == [[1, 2, 3], [4, 5, 6]]
    assert np.allclose(level.placements.rotations[0], (0, 0.5**0.5, 0, 0.5**0.5))
    assert level.placements.scales.tolist() == [[2] * 3] * 2


def test_vertices_in_a_file_beside() -> None:
    records = """
  file:
    - {name: side, type: sibling, path: "stem(file_name) + '.pts'"}
    - {name: points, type: f32x3, count: 4, within: side}
    - {name: corners, type: u8, count: file_end}
"""
    yields = "  meshes: {vertices: {elements: {position: points}}, triangles: corners}"
    data = bytes([0, 1, 2, 0, 2, 3])
    assert len(only(model_of(records, yields, data, **{"odd.pts": memoryview(SQUARE.tobytes())})).positions) == 4
    with pytest.raises(InputError, match=r"the file 'odd.pts' that belongs to this one is not there"):
        file_of(records, yields, data)
    with pytest.raises(InputError, match="ends inside this field"):
        file_of(records, yields, data, **{"odd.pts": memoryview(SQUARE.tobytes()[:40])})


def test_chunks_are_walked_by_their_sizes_whatever_they_hold() -> None:
    chunks = [(1, b"abc"), (9, bytes(7)), (2, struct.pack("<I", 77)), (0, b"")]
    data = b"".join(struct.pack("<BI", kind, len(body)) + body for kind, body in chunks) + b"tail"
    records = """
  file:
    - {name: chunks, type: chunk, until: kind == 0}
    - {name: tail, type: text, size: file_end - here}
  chunk:
    - {name: kind, type: u8, names: what}
    - {name: size, type: u32}
    - {name: number, type: u32, when: kind == 'number'}
    - {name: word, type: text, size: size, when: kind == 'word'}
    - {type: goto, at: start_of_record + 5 + size}
enums:
  what: {1: word, 2: number}
"""
    records = records.replace("kind == 0}", "kind == 'unknown 0'}")
    head = file_of(records, "  tables: {}", data).head
    assert head["tail"] == "tail"
    assert [(c["kind"], c.values.get("word"), c.values.get("number")) for c in head["chunks"]] == [
        ("word", "abc", None), ("unknown 9", None, None), ("number", None, 77), ("unknown 0", None, None),
    ]  # fmt: skip


def test_records_are_given_values_and_checked() -> None:
    records = """
  file:
    - {name: wide, type: u8}
    - {name: rows, type: row, count: 2, with: {size: 2 if wide else 1}}
    - {name: mark, type: u8, check: mark == 7 and len(rows) == 2}
  row:
    - {name: raw, type: bytes, size: size}
"""
    head = file_of(records, "  tables: {}", b"\1abcd\7").head
    assert [bytes(row["raw"]) for row in head["rows"]] == [b"ab", b"cd"]
    with pytest.raises(InputError, match="a check of the layout fails"):
        file_of(records, "  tables: {}", b"\0ab\1")


def test_a_checksum_is_checked_where_it_stands() -> None:
    records = """
  file:
    - {name: size, type: u16}
    - {name: body, type: bytes, size: size}
    - {name: sum, type: u32, check: sum == crc32(body)}
"""
    body = b"123456789"
    good = struct.pack("<H", 9) + body + struct.pack("<I", 0xCBF43926)  # the check value of the standard
    assert file_of(records, "  tables: {}", good).head["sum"] == 0xCBF43926
    for at in range(2, len(good)):
        broken = bytearray(good)
        broken[at] ^= 1
        with pytest.raises(InputError, match="a check of the layout fails") as caught:
            file_of(records, "  tables: {}", bytes(broken))
        assert caught.value.fault.offset == 11


@pytest.mark.parametrize(
    ("yields", "words"),
    [
        ("  meshes: {vertices: {elements: {position: points}}, triangles: 'range(5)'}", "no whole triangles"),
        ("  meshes: {vertices: {elements: {position: points, uv0: 'points[0:3]'}}}", "differ in number"),
        ("  meshes: {vertices: {elements: {position: points * 1e39}}}", "positions that are not numbers"),
        ("  meshes: {vertices: {elements: {uv0: points}}}", "no position"),
        ("  meshes: {vertices: {elements: {position: 5}}}", "rows of 2 or 3 or 4 numbers"),
        ("  meshes: {vertices: {elements: {position: points}}, space: joints}", "need 'joints'"),
        (
            "  meshes: {vertices: {elements: {position: points}}, triangles: {corners: range(4), shape: hexes}}",
            "'hexes'",
        ),
        ("  meshes: {vertices: {elements: {position: points}}, scale: 0}", "stands nowhere"),
        ("  meshes: {vertices: {elements: {position: points}}, matrix: 'matrix(vec(1,0,1, 0,1,0, 1,0,1))'}", "no size"),
        ("  meshes: {vertices: {elements: {position: {type: f32x3}}}}", "has no 'data'"),
        (
            "  meshes: {vertices: {data: raw, elements: {position: {type: f32x3}, normal: {type: f32}}}}",
            "'f32', 1 of them",
        ),
        ("  meshes: {vertices: {data: raw, elements: {position: {type: f32x3}, uv0: {type: u8}}}}", "'u8', 1 of them"),
        ("  meshes: {vertices: {data: points, elements: {position: {type: f32x3}}}}", "bytes"),
        (
            "  meshes: {vertices: {elements: {position: points, joints: 'full(5, 4)', weights: 'full(vec(1, 1, 1), 4)'}}}",
            "do not go together",
        ),
    ],
)
def test_what_does_not_fit_says_what_and_where(yields: str, words: str) -> None:
    with pytest.raises(InputError) as caught:
        read_model(
            file_of(
                "  file: [{name: points, type: f32x3, count: 4}, {name: raw, type: bytes, size: 48, at: 0}]",
                yields,
                SQUARE.tobytes(),
            ),
            Context(),
        )
    assert words in caught.value.fault.line()
    assert caught.value.fault.file == "a/odd.bin"


def test_nothing_at_all_is_a_valid_scene() -> None:
    """A part of no vertices and no triangles: told by nothing, and no broken file."""
    records = "  file: [{name: points, type: f32x3, count: 0}]"
    primitive = only(model_of(records, "  meshes: {vertices: {elements: {position: points}}}", b""))
    assert (len(primitive.positions), len(primitive.indices)) == (0, 0)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ("let: {a: b + 1, b: a}", "'let' leads back"),
        ("let: {a: '1 +'}", "not an expression"),
        ("let: {a: 'nothing(1)'}", "calls something other"),
        ("let: {a: 'array()'}", "with other arguments than array(data, type"),
    ],
)
def test_names_for_expressions_are_checked_beforehand(change: str, words: str) -> None:
    with pytest.raises(InputError) as caught:
        file_of("  file: [{name: a, type: u8}]", "  tables: {}", b"1", change)
    assert words in caught.value.fault.line()


@pytest.mark.parametrize(
    ("match", "name", "head", "claims"),
    [
        ("magic: [ABC, ABCD]", "x.bin", b"ABCD", True),
        ("magic: ABC, at: 2", "x.bin", b"..ABC", True),
        ("magic: ABC, at: 2", "x.bin", b"ABC..", False),
        ("magic: ABC, within: 16", "x.bin", b"12 ABC", True),
        ("magic: ABC, within: 4", "x.bin", b"12 ABC", False),
        ("hex: ['00 ff', 'ff00']", "x.bin", b"\xff\0", True),
        ("paths: ['meshes/**']", "meshes/deep/x", b"", True),
        ("paths: ['meshes/**']", "other/x", b"", False),
        ("paths: ['meshes/**'], extensions: [.m]", "meshes/x.n", b"", False),
        ("paths: ['meshes/**'], magic: ABC", "other/x", b"ABC", False),
    ],
)
def test_files_are_recognised_by_bytes_paths_and_endings(match: str, name: str, head: bytes, claims: bool) -> None:
    text = f"layout: odd\nmatch: {{{match}}}\nrecords:\n  file: [{{name: a, type: u8}}]\n"
    assert bool(layouts_for(head, len(head), name, [load_layout(text, "odd")])) is claims


def test_of_two_that_claim_a_file_the_longer_magic_wins_and_the_other_is_told() -> None:
    def layout(name: str, magic: str, size: int) -> Layout:
        fields = f"[{{name: magic, type: text, size: {len(magic)}}}, {{name: points, type: f32x3, count: {size}}}]"
        made = f"layout: {name}\nmatch: {{magic: {magic}}}\nrecords: {{file: {fields}}}\nyields: {{meshes: {{vertices: {{elements: {{position: points}}}}}}}}\n"
        return load_layout(made, name)

    short, long, greedy = layout("short", "AB", 3), layout("long", "ABCD", 3), layout("greedy", "ABCD", 99)
    data = memoryview(b"ABCD" + SQUARE[:3].tobytes())
    claimed = layouts_for(bytes(data[:64]), len(data), "x.bin", [short, greedy, long])
    assert [one.layout for one in claimed] == ["greedy", "long", "short"]
    file = first_that_reads(claimed, data, "x.bin", Conventions(), Context())
    assert file.layout.layout == "long"
    assert "layout 'greedy' does not read it" in file.notes[0]
    assert file.notes[1].endswith("layout 'short' claims it too")
    with pytest.raises(InputError, match="ends inside"):
        first_that_reads([greedy], data, "x.bin", Conventions(), Context())


def test_several_skeletons_of_a_file_are_numbered_through() -> None:
    records = """
  file: [{name: rigs, type: rig, count: 2}]
  rig: [{name: title, type: text, size: 4}, {name: count, type: u8}, {name: joints, type: joint, count: count}]
  joint: [{name: parent, type: i8}, {name: place, type: f32x3}]
"""
    yields = "  skeletons: {each: rigs, name: title, joints: joints, parent: parent, translation: place}"
    data = b"".join(
        name + bytes([len(joints)]) + b"".join(struct.pack("<b3f", parent, x, 0, 0) for parent, x in joints)
        for name, joints in ((b"left", [(-1, 1.0), (0, 1.0)]), (b"rght", [(-1, -1.0), (-1, -3.0), (1, 2.0)]))
    )
    scene = read_skeleton(file_of(records, yields, data), Context())
    assert problems(scene) == []
    [skin] = scene.skins
    assert skin.joints == (0, 1, 2, 3, 4)
    assert np.allclose(world_from_local(scene)[:, 0, 3], [1, 2, -1, -3, -1])
    assert np.allclose(world_from_local(scene) @ skin.inverse_bind, np.eye(4))
    assert scene.roots == (0, 2, 3)


@pytest.mark.parametrize(
    ("markers", "words"),
    [
        ("{each: 2, translation: 'points[0:3]', rotation: 'turns'}", "differs in length"),
        ("{each: 1, translation: 'points[0:2] / 0'}", "stands nowhere"),
        ("{each: 1, rotation: 'points[0]'}", "places no point"),
        ("{each: 1, matrix: points}", "a 4x4 matrix"),
        ("{each: name_that_is_not, translation: points}", "there is no 'name_that_is_not'"),
    ],
)
def test_named_points_that_stand_nowhere_are_told(markers: str, words: str) -> None:
    file = file_of(
        "  file: [{name: points, type: f32x3, count: '4'}, {name: turns, type: f32x4, count: '2'}]",
        f"  markers: {markers}",
        SQUARE.tobytes() + np.tile(np.array([0, 0, 0, 1], "<f4"), 2).tobytes(),
    )
    with pytest.raises(InputError) as caught:
        with_markers(Scene("x"), file, Context())
    assert words in caught.value.fault.line()


def test_a_point_without_its_joint_stands_in_the_model_and_is_told() -> None:
    file = file_of(
        "  file: [{name: points, type: f32x3, count: '4'}]",
        "  markers: {each: points, name: \"'p' + text(row)\", joint: \"'hip' if row < 2 else ''\", translation: item}",
        SQUARE.tobytes(),
    )
    scene = with_markers(Scene("x", nodes=(Node("hip", translation=(0, 5, 0)),), roots=(0,)), file, Context())
    assert problems(scene) == []
    assert scene.notes == ()
    assert world_from_local(scene)[2][:3, 3].tolist() == [1, 5, 0]
    alone = with_markers(Scene("x"), file, Context())
    assert len(alone.roots) == 4
    assert "the point 'p0' names the joint 'hip'" in alone.notes[0]


def test_a_test_sees_no_further_than_the_first_bytes() -> None:
    """A condition over a field that lies beyond them, or that cannot be worked out, is of no file."""
    text = "layout: odd\nmatch: {test: TEST}\nrecords:\n  file:\n    - {name: a, type: u32}\n    - {name: far, type: u8, at: '600'}\n"
    for test, claims in (
        ("a == 7", True),
        ("far == 0", False),
        ("a // 0 == 1", False),
        ("'text'", False),
        ("a == 8", False),
    ):
        layout = load_layout(text.replace("TEST", f'"{test}"'), "odd")
        head = struct.pack("<I", 7) + bytes(508)
        assert bool(layouts_for(head, 2000, "x", [layout])) is claims, test


def test_more_variants_than_a_model_has_are_refused() -> None:
    refused(
        ErrorCode.MALFORMED,
        "too many variants",
        "  file: [{name: points, type: f32x3, count: '4'}]",
        "  meshes: {vertices: {elements: {position: points}}, variants: {each: 2000, base_color: 'vec(1, 0, 0)'}}",
        SQUARE.tobytes(),
    )


def test_a_track_of_no_joint_moves_nothing() -> None:
    """A number below zero is no joint, as it always was; only `root` moves the whole model."""
    records = "  file: [{name: keys, type: f32x3, count: '2'}]"
    clips = "  clips: {tracks: 1, joint: '-1', translation: keys, rate: 10ROOT}"
    scene = Scene("x", nodes=(Node("hip"),), roots=(0,))
    for root, names in (("", ["hip"]), (", root: {translation: keys}", ["hip", "root path"])):
        file = file_of(records, clips.replace("ROOT", root), SQUARE[:2].tobytes())
        moved, _ = with_clips(scene, read_clips(file, Context()))
        assert [node.name for node in moved.nodes] == names
        assert [clip.channels[0].node for clip in moved.clips] == ([1] if root else [])
